#include "notebook/reason.hpp"

#include <fmt/format.h>

#include <cmath>

#include "base/nearest.hpp"
#include "base/text.hpp"
#include "notebook/otherwise.hpp"

namespace tidewater {
namespace {

constexpr std::size_t longest_name = 256;

std::string too_long(std::string_view name) { return fmt::format("nothing has a name of {} letters", name.size()); }

std::string unknown_event(std::string_view name, const KnownNames& known) {
  if (!known.any_bank) return "no bank is loaded";
  if (name.size() > longest_name) return too_long(name);
  if (const std::string event = known.event_that_starts ? known.event_that_starts(name) : std::string(); !event.empty())
    return fmt::format("'{}' is a sound; '{}' is an event that starts it", name, event);
  return fmt::format("no loaded bank has this event{}", did_you_mean(name, known.events()));
}

std::string unknown_group(std::string_view name, const KnownNames& known) {
  if (name.size() > longest_name) return too_long(name);
  return fmt::format("there is no group '{}'{}", name, did_you_mean(name, known.groups()));
}

std::string unknown_gauge(std::string_view name, const KnownNames& known) {
  if (name.size() > longest_name) return too_long(name);
  return fmt::format("no loaded bank has a gauge '{}'{}", name, did_you_mean(name, known.gauges()));
}

std::string unknown_scope(std::string_view name, const KnownNames& known) {
  if (name.size() > longest_name) return too_long(name);
  return fmt::format("no loaded bank has a scope '{}'{}", name, did_you_mean(name, known.scopes()));
}

std::string unknown_track(std::string_view name, const KnownNames& known) {
  if (name.size() > longest_name) return too_long(name);
  return fmt::format("no loaded bank has a track '{}'{}", name, did_you_mean(name, known.tracks()));
}

std::string unknown_mood(std::string_view name, const KnownNames& known) {
  if (name.size() > longest_name) return too_long(name);
  return fmt::format("no loaded bank has a mood '{}'{}", name, did_you_mean(name, known.moods()));
}

/// "on beat 3 of bar 5, in 'round' of 'estuary'".
std::string falls_on(const Reason& r) {
  if (r.name.empty()) return "at once";
  if (r.number == 0) return r.more == "now" ? fmt::format("while '{}' plays", r.name) : fmt::format("on the {} of '{}'", r.more, r.name);
  const std::string beat = r.other == 1 ? std::string() : fmt::format("beat {:.0f} of ", r.other);
  return fmt::format("on {}bar {:.0f}, in '{}' of '{}'", beat, r.number, r.unit, r.name);
}

std::string all_taken(const Reason& r) {
  return fmt::format("all {:.0f} voices are taken by sounds that are louder or outrank it", r.number);
}

/// "31 ms", "1.5 s"
std::string length_of(double seconds) { return seconds < 1 ? fmt::format("{:.3g} ms", 1000 * seconds) : fmt::format("{:.3g} s", seconds); }

constexpr std::string_view all_fade = "there is room for it, but every voice still fades what was told to go";
constexpr std::string_view keeps = "; it keeps its place";
constexpr std::string_view cannot_wait = ", and it is too short to wait";

/// Of a limit that the farthest yields to.
std::string farther(const Reason& r) {
  return r.other > 0 ? fmt::format("; {:.3g} m away, this one is the farthest", r.other) : std::string();
}

/// "surface=planks, weight=light".
std::string list_of(std::span<const Trait> traits) {
  std::string list;
  for (const Trait& trait : traits) list += fmt::format("{}{}={}", list.empty() ? "" : ", ", trait.name.text(), trait.value.text());
  return list.empty() ? "no trait" : list;
}

}  // namespace

std::string words(const Reason& r, const KnownNames& known) {
  using Code = Reason::Code;
  const std::string_view sound = r.sound == nullptr ? std::string_view() : std::string_view(r.sound->name);
  const std::string_view whose = r.each ? " for this emitter" : "";
  switch (r.code) {
    case Code::none: return {};
    case Code::text: return std::string(r.name);
    case Code::unknown_event: return unknown_event(r.name, known);
    case Code::event_unloaded: return fmt::format("the bank '{}' with this event was unloaded", r.name);
    case Code::unknown_group: return unknown_group(r.name, known);
    case Code::unknown_gauge: return unknown_gauge(r.name, known);
    case Code::event_on_its_way:
      return fmt::format(
          "the bank '{}' with this event is being loaded, and {:.0f} % of it is there: raise the event when the load has ended", r.name,
          r.number);
    case Code::no_such_bank: return fmt::format("no bank named '{}' is loaded", r.name);
    case Code::no_such_sound: return fmt::format("the bank '{}' has no sound '{}'", r.more, r.name);
    case Code::no_turning: return "this build of the library cannot turn sounds; configure it with TIDEWATER_DESK=ON";
    case Code::not_a_number: return fmt::format("{} that is not a number is refused; it may be {}", r.name, r.more);
    case Code::brought:
      return fmt::format("{} of {}{}{} was brought to {}{}{}; it may be {}", r.name, r.number, r.unit.empty() ? "" : " ", r.unit, r.other,
                         r.unit.empty() ? "" : " ", r.unit, r.more);
    case Code::plays_already: return fmt::format("'{}' plays already{}, and its retrigger is \"ignore\"", sound, whose);
    case Code::too_soon:
      if (r.number == 0)
        return fmt::format("'{}' would begin together with another start of it{}; its spacing is {}", sound, whose,
                           length_of(r.sound->spacing.value));
      return fmt::format("'{}' would begin {} {} another start of it{}; its spacing is {}", sound, length_of(std::abs(r.number)),
                         r.number < 0 ? "before" : "after", whose, length_of(r.sound->spacing.value));
    case Code::limited: return fmt::format("{:.0f} of '{}' play already{}, which is its limit{}", r.number, sound, whose, farther(r));
    case Code::group_limited:
      return fmt::format("{:.0f} playback{} already in the group '{}', which is its limit{}", r.number, r.number == 1 ? " plays" : "s play",
                         r.name, farther(r));
    case Code::asked_again: return "it was asked for again";
    case Code::past_end:
      return fmt::format("'{}' was to begin beyond the end of '{}', which lasts {:.3f} s; see its start-at", sound, r.name, r.number);
    case Code::no_clip: return why_otherwise(*r.sound, *r.layer, r.traits, ", and none otherwise");
    case Code::otherwise:
      return fmt::format("{}: {}", r.name, why_otherwise(*r.sound, *r.layer, r.traits, ", and plays what it has otherwise"));
    case Code::left_out: return fmt::format("'{}' plays by chance, and this time the draw left it out", sound);
    case Code::put_off: return fmt::format("it will {} '{}' {} from now", r.more, r.name, length_of(r.number));
    case Code::other_traits: return fmt::format("this {} is for other traits: see its `when`", r.name);
    case Code::response_left_out:
      return fmt::format("this {} has a chance of {:.3g} %, and this time the draw left it out", r.name, 100 * r.number);
    case Code::did: return fmt::format("{} '{}'", r.more, r.name);
    case Code::set_to:
      return fmt::format("{} '{}' to {}", r.more, r.name, r.unit.empty() ? shortest_digits(r.number) : to_text(Decibels{r.number}));
    case Code::raises: return fmt::format("it raises '{}', which is raise {:.0f}", r.name, r.number);
    case Code::chain_too_long:
      return fmt::format("'{}' is not raised: events raise each other {} {:.0f} {} at this moment; give one of them a delay", r.name,
                         r.other == 0 ? "more than" : "in a circle, and", r.number, r.other == 0 ? "deep" : "were raised");
    case Code::paused_by: return fmt::format("event '{}' paused it", r.name);
    case Code::called_off: return fmt::format("event '{}' called it off", r.name);
    case Code::calls_off:
      return fmt::format("{:.0f} {} and {:.0f} {} of '{}' were still to come", r.number, r.number == 1 ? "response" : "responses", r.other,
                         r.other == 1 ? "start" : "starts", r.name);
    case Code::undeclared:
      return fmt::format("'{}' was raised with {} = '{}', which no loaded bank declares{}", r.unit, r.name, r.more,
                         did_you_mean(r.more, known.values(r.name)));
    case Code::nothing_waits: return fmt::format("nothing of '{}' was still to come", r.name);
    case Code::put_off_too_long: return "this response waited for its delay; meanwhile its bank was unloaded or replaced by one without it";
    case Code::no_more_put_off:
      return fmt::format("{:.0f} responses wait for their delay, and there is room for no more: raise such events less often", r.number);
    case Code::not_playing: return fmt::format("'{}' was not playing", sound);
    case Code::waits: return fmt::format("{}{}", all_taken(r), keeps);
    case Code::waits_for_fades: return fmt::format("{}{}", all_fade, keeps);
    case Code::too_short: return fmt::format("{}{}", all_taken(r), cannot_wait);
    case Code::too_short_for_fades: return fmt::format("{}{}", all_fade, cannot_wait);
    case Code::muted: return fmt::format("group '{}' is muted since {:.1f} s", r.name, r.number);
    case Code::silent_group: return fmt::format("the level of group '{}' is silent", r.name);
    case Code::faint_group: return fmt::format("group '{}' and those above it come to less than -120 dB", r.name);
    case Code::drawn_silent: return "its level was drawn at silence";
    case Code::silent_clip: return "its clip is silent";
    case Code::faint: return "it would be quieter than -120 dB";
    case Code::gave_way_to_heard: return fmt::format("its voice went to '{}', which is heard; this one is not", r.name);
    case Code::outranked_by: return fmt::format("its voice went to '{}', which outranks it", r.name);
    case Code::not_louder_than: return fmt::format("its voice went to '{}', which is not quieter", r.name);
    case Code::stream_late:
      return fmt::format("the stream of '{}' was late at {:.3f} s and faded out; the disk, or the thread that reads, did not keep up",
                         r.name, r.number);
    case Code::stream_back: return fmt::format("the stream of '{}' is heard again, {:.3f} s later", r.name, r.number);
    case Code::clip_read_now:
      return fmt::format("'{}' was not in memory and is being read; prefetch the event earlier, or let its sound preload", r.name);
    case Code::unreadable: return std::string(r.name);
    case Code::over_budget:
      return fmt::format(
          "clips take {:.1f} MiB of memory, more than the {:.1f} MiB of ManagerOptions::clip_memory, and all of them are used or stay with "
          "their bank",
          r.number, r.other);
    case Code::unrendered:
      return "the game's time goes on but nothing calls render, so nothing is heard; open a Device, or render the blocks yourself";
    case Code::broken_samples:
      return fmt::format(
          "samples in group '{}' were not numbers, or beyond what a float holds, and were made silent; a clip that was damaged "
          "after it was checked does that, or memory that something else has written to",
          r.name);
    case Code::out_of_range: {
      const auto metres = [](double length) { return length < 10 ? fmt::format("{:.1f} m", length) : fmt::format("{:.0f} m", length); };
      return fmt::format("it is {} away, and far is {}", metres(r.number), metres(r.other));
    }
    case Code::emitter_gone:
      return fmt::format(
          "emitter {:.0f} was removed, or belongs to another manager, so '{}', a sound in the world, has no place to be heard from; raise "
          "it on an emitter that is there, or with a place",
          r.number, sound);
    case Code::emitter_removed: return "its emitter was removed";
    case Code::begins_cadence: return "it starts again and again from here on, by its cadence";
    case Code::silent_by_gauge:
      return r.name.empty() ? "a gauge that it follows makes it silent"
                            : fmt::format("gauge '{}' at {:g} makes it silent", r.name, r.number);
    case Code::held_by_gauge:
      return fmt::format("gauge '{}' at {:g} holds its steps back: '{}' is heard when the gauge lets them come", r.name, r.number, sound);
    case Code::steps_left_out:
      return fmt::format("an update came {:.2f} s after the one before, so {:.0f} {} left out, first of '{}'", r.other, r.number,
                         r.number == 1 ? "step was" : "steps were", sound);
    case Code::unupdated:
      return fmt::format(
          "nothing called update for {:.1f} s while frames were rendered: delays of more than 0.25 s, the steps of cadences and sounds "
          "that "
          "wait to be heard again need it; call update once a game frame",
          r.number);
    case Code::fast_game:
      return fmt::format(
          "update was told of {:.0f} s of game time while {:.1f} s were rendered: it takes seconds, not milliseconds; pass "
          "Seconds{{frame_time_in_milliseconds / 1000}}",
          r.number, r.other);
    case Code::no_place:
      return fmt::format(
          "{}: '{}' is a sound in the world, but no place came with it: it is heard as on the screen; raise it on an emitter, or with a "
          "place",
          r.name, sound);
    case Code::no_listener:
      return fmt::format("{}: '{}' is a sound in the world, but there is no listener: it is heard as on the screen; call set_listener",
                         r.name, sound);
    case Code::stale_emitters:
      return fmt::format(
          "an emitter was placed, moved or turned that was removed or belongs to another manager, or a value for one was not a number; "
          "nothing was changed, and this is not told again");
    case Code::too_many_listeners:
      return fmt::format("there is no listener {:.0f}: there may be {:.0f}, numbered from 0", r.number, r.other);
    case Code::no_emitters:
      return fmt::format(
          "there are {:.0f} emitters, and there is room for no more: remove those that are gone, or give ManagerOptions::emitters more "
          "room",
          r.number);
    case Code::no_playbacks:
      return fmt::format(
          "{:.0f} playbacks sound or keep their place, and there is room for no more: stop what is not needed, or give "
          "ManagerOptions::playbacks more room",
          r.number);
    case Code::no_room:
      return fmt::format(
          "{:.0f} requests found no room in the journal and were refused: call update once a game frame, or give "
          "ManagerOptions::journal_lines more room",
          r.number);
    case Code::lines_lost:
      return fmt::format("{:.0f} lines found no room in the journal and are lost: call update once a game frame", r.number);
    case Code::late_lost:
      return fmt::format(
          "{:.0f} requests reached the audio thread after their block had begun, and which of them did is not noted: this journal may not "
          "play again bit for bit",
          r.number);
    case Code::unknown_scope: return unknown_scope(r.name, known);
    case Code::scope_paused:
      return fmt::format("scope '{}' has been paused since {:.3f} s, and '{}' is too short to wait", r.name, r.number, sound);
    case Code::scope_stands:
      return fmt::format("the time scale of scope '{}' has been 0 since {:.3f} s, and '{}' is too short to wait", r.name, r.number, sound);
    case Code::waits_for_scope:
      return fmt::format("scope '{}' has been on hold since {:.3f} s; the sound begins when the scope resumes", r.name, r.number);
    case Code::scope_ended: return fmt::format("scope '{}' ended at {:.3f} s; call begin(\"{}\") first", r.name, r.number, r.name);
    case Code::ends_with_scope: return fmt::format("scope '{}' ended", r.name);
    case Code::restarted_with: return fmt::format("scope '{}' restarted", r.name);
    case Code::goes_on_by_traits: return fmt::format("'{}' plays on, with {} from its next start on", sound, list_of(r.traits));
    case Code::went_on:
      return fmt::format("scope '{}' restarted, and playback {:.0f}.{:.0f} from before the restart plays on", r.name, r.number, r.other);
    case Code::held_gave_way: return "its scope is on hold, and another sound needed the voice; it keeps its place";
    case Code::unknown_track: return unknown_track(r.name, known);
    case Code::unknown_mood: return unknown_mood(r.name, known);
    case Code::silent_mood: return fmt::format("the mood '{}' makes group '{}' silent", r.more, r.name);
    case Code::player_off: return fmt::format("the player has turned group '{}' off", r.name);
    case Code::not_offered: return fmt::format("group '{0}' is not offered to the player; write player = true in [groups.{0}]", r.name);
    case Code::no_more_players: return fmt::format("'{}' would be one more group than the 256 whose player settings are kept", r.name);
    case Code::duck_left_out:
      return fmt::format(
          "the duck of group '{0}' for group '{1}' is left out: with those of the other banks it would make a circle; take it out of "
          "[groups.{0}]",
          r.name, r.more);
    case Code::track_unloaded: return "the bank with this track was unloaded before the change";
    case Code::no_more_stands: return fmt::format("'{}' would be one more stand than the {:.0f} that there can be", r.name, r.number);
    case Code::no_music: return fmt::format("no music plays on the stand '{}'", r.name);
    case Code::track_on_its_way: return fmt::format("'{}' plays already, or is on its way", r.name);
    case Code::track_still_plays: return fmt::format("'{}' still plays; the change that was planned is off", r.name);
    case Code::change_replaced: return fmt::format("before the change fell due, '{}' was asked for", r.name);
    case Code::track_planned: return fmt::format("at {:.3f} s, {}", r.seconds, falls_on(r));
    case Code::takes_over_on: return fmt::format("takes over {}", falls_on(r));
    case Code::gives_way_on: return fmt::format("gives way {}", falls_on(r));
    case Code::music_waits_for_scope: return fmt::format("scope '{}' is on hold; the music changes when it resumes", r.name);
    case Code::left_over:
      return fmt::format("scope '{}' restarted, and no raise asked for the sound again within {}", r.name, to_text(Seconds{r.number}));
  }
  return {};
}

}  // namespace tidewater
