/// Plays tracks: asks the planner which track begins on which frame, and has it begin there.

#include "music/music.hpp"

#include <algorithm>
#include <utility>

#include "choose/draws.hpp"
#include "choose/pick.hpp"
#include "music/change_rules.hpp"
#include "play/starter.hpp"

namespace tidewater {
namespace {

// A change is placed so long before its frame.
constexpr Seconds placed_ahead{0.25};
/// Time before a boundary at which a change is placed if the track that plays ends there by itself: there is no later boundary.
constexpr Seconds placed_ahead_of_end{1};
/// Time to read a track from disk that begins beyond the part of its clip that is in memory.
constexpr Seconds time_to_read_track{0.1};
constexpr Seconds until_clips_come{0.05};

Name name_of(const LiveSound& track) { return Name(track.design->name); }

}  // namespace

LiveSound* Starter::track_with(std::uint64_t hash) const {
  return library.loaded.track_called(Name(std::string_view(StrippedName(Name("", hash))), hash));
}

/// How a track begins at its start, or where it was left.
TrackBeginning Starter::beginning_of(const LiveSound& track) const {
  const BankTrack& design = *track.design->as_track();
  const TrackTiming timing(design);
  TrackBeginning begins;
  begins.step = voices.step_of(track, {});
  begins.fade_in = voices.frames_of(track.design->fade_in);
  begins.first = timing.first_beat();
  if (design.goes_on)
    if (const auto left = music.left_at(name_of(track).hash())) {
      begins.source = *left;
      begins.first = {};
    }
  const BankClip& clip = track.bank->clips[track.design->layers.front().choices.front().clips.front().clip];
  if (clip.streamed != nullptr && begins.source.whole >= clip.streamed->head) begins.needs = voices.frames_of(time_to_read_track);
  return begins;
}

/// Makes the change to a track, by the rules of both tracks. `track` is null for silence.
MusicChange Starter::change_to(const Stand& stand, const LiveSound* track, PlaybackId id, std::uint64_t event) const {
  const LiveSound* left = stand.playing ? track_with(stand.playing.track) : nullptr;
  const BankTrack* its = left == nullptr ? nullptr : left->design->as_track();
  const ChangeRules rules = rules_between(its, left == nullptr ? std::string_view() : std::string_view(left->design->name),
                                          track == nullptr ? nullptr : track->design->as_track());
  MusicChange change;
  change.asked = id;
  change.event = event;
  if (track == nullptr) {
    change.on = rules.on;
    change.over = stand.playing.fade_out;
  } else {
    change.track = name_of(*track).hash();
    change.begins = beginning_of(*track);
    change.on = rules.on;
    change.by = rules.by;
    change.over = voices.frames_of(rules.over);
  }
  if (track != nullptr && change.by == By::bridge) lead_by(change, Name(rules.bridge), false);
  return change;
}

/// Has a bridge or an ending play first, if it is loaded.
void Starter::lead_by(MusicChange& change, Name name, bool seamless) const {
  const LiveSound* via = library.loaded.track_called(name);
  if (via == nullptr) return;
  change.via = name.hash();
  change.via_begins = beginning_of(*via);
  change.seamless = seamless;
}

Outcome Starter::play(LiveSound& track, PlaybackId id, Name event) {
  const BankTrack& design = *track.design->as_track();
  if (!design.list.empty()) return play_list(track, id, event);
  Stand* stand = music.find_or_make(Name(design.stand_name()).hash());
  if (stand == nullptr)
    return noting.decide(Outcome::no_room, id, {.code = Reason::Code::no_more_stands, .number = most_stands, .name = design.stand_name()},
                         event);
  look_after(*stand);
  MusicChange change = change_to(*stand, &track, id, event.hash());
  if (change.on == On::end && stand->playing) end_with_ending(*stand, change);
  const bool listed = std::exchange(stand->list, 0) != 0;
  const Outcome outcome = ask_stand(*stand, change, track.design->name, event);
  if (listed && outcome == Outcome::went_on && stand->wants && stand->wanted.by_itself) stand->wants = false, take_turn_away(*stand);
  return outcome;
}

/// Plays the tracks of a list one after the other.
Outcome Starter::play_list(LiveSound& list, PlaybackId id, Name event) {
  const std::uint64_t its_name = name_of(list).hash();
  Stand* stand = music.find_or_make(Name(list.design->as_track()->stand_name()).hash());
  if (stand != nullptr) look_after(*stand);
  if (stand != nullptr && stand->list == its_name && (stand->playing || stand->wants)) {
    renew(*stand);
    return noting.decide(Outcome::went_on, id, {.code = Reason::Code::track_on_its_way, .name = list.design->name}, event);
  }
  LiveSound* track = pick_of(list);
  if (track == nullptr) return noting.decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::track_unloaded}, event);
  const Outcome outcome = play(*track, id, event);
  if (stand == nullptr || !plays(outcome)) return outcome;
  stand->list = its_name;
  if (stand->wants && stand->wanted.by_itself) {
    stand->wants = false;
    take_turn_away(*stand);
  }
  if (stand->playing && !stand->wants) go_by_itself(*stand);
  return outcome;
}

/// Chooses the next track of a list, and remembers it, so that none comes twice running.
LiveSound* Starter::pick_of(LiveSound& list) {
  const BankLayer& layer = list.design->layers.front();
  const Picked picked = pick(Pick::shuffle, layer.choices.front(), list.memory->picks.front(), Draws::hash_of(~list.key, 0));
  list.memory->picks.front() = picked.after;
  const BankTrack& design = *list.design->as_track();
  return library.loaded.track_called(Name(design.list[picked.clip].text, design.list[picked.clip].hash));
}

/// Plans the next track of the list, if a list plays. Returns whether there is one.
bool Starter::follow_list(Stand& stand) {
  LiveSound* list = stand.list == 0 ? nullptr : track_with(stand.list);
  if (list == nullptr || stand.playing.timing.loops()) return false;
  LiveSound* next = pick_of(*list);
  if (next == nullptr) return false;
  const Range<Seconds> pause = list->design->as_track()->pause;
  const double share = Draws(list->key, ++list->memory->asked).unit(0);
  MusicChange change = change_to(stand, next, {}, 0);
  change.fall_on_end();
  change.by_itself = true;
  change.not_before = stand.playing.ends() + voices.frames_of({pause.low.value + (pause.high - pause.low).value * share});
  stand.wants = true;
  stand.wanted = change;
  plan(stand, false);
  return true;
}

/// Has a track play its ending first if it is left at its end.
void Starter::end_with_ending(const Stand& stand, MusicChange& change) const {
  const LiveSound* left = track_with(stand.playing.track);
  if (left == nullptr || left->design->as_track()->ending.empty() || change.via != 0 || stand.after_via) return;
  lead_by(change, Name(left->design->as_track()->ending), true);
}

Outcome Starter::leave(Name name, std::optional<On> on, std::optional<Seconds> fade, PlaybackId id, Name event) {
  Stand* stand = music.find(name.hash());
  if (stand != nullptr) look_after(*stand);
  if (stand == nullptr || (!stand->playing && !stand->wants))
    return noting.decide(Outcome::nothing_to_stop, id, {.code = Reason::Code::no_music, .name = name.text()}, event);
  MusicChange change = change_to(*stand, nullptr, id, event.hash());
  if (on) change.on = *on;
  if (fade) change.over = voices.frames_of(*fade);
  if (change.on == On::end && stand->playing) end_with_ending(*stand, change);
  stand->list = 0;
  return ask_stand(*stand, change, name.text(), event);
}

Outcome Starter::ask_stand(Stand& stand, const MusicChange& change, std::string_view name, Name event) {
  std::optional<PlaybackId> replaced;
  const Asked asked = Music::ask(stand, change, replaced);
  if (asked == Asked::nothing)
    return noting.decide(Outcome::nothing_to_stop, change.asked, {.code = Reason::Code::no_music, .name = name}, event);
  if (asked == Asked::goes_on || asked == Asked::back) renew(stand);
  if (replaced) noting.decide(Outcome::replaced, *replaced, {.code = Reason::Code::change_replaced, .name = name}, event);
  if (asked == Asked::back) {
    take_turn_away(stand);
    go_by_itself(stand);
  }
  if (asked != Asked::planned)
    return noting.decide(Outcome::went_on, change.asked,
                         {.code = asked == Asked::back ? Reason::Code::track_still_plays : Reason::Code::track_on_its_way, .name = name},
                         event);
  return plan(stand, true);
}

/// Keeps a track through a restart of its scope if it was asked for again since.
void Starter::renew(const Stand& stand) {
  if (LiveStart* start = stand.playing ? voices.find(stand.playing.start) : nullptr) start->renewed = noting.totals.raised;
}

void Starter::take_turn_away(Stand& stand) {
  if (stand.turn != Agenda::no_ticket) agenda.remove(std::exchange(stand.turn, Agenda::no_ticket));
}

/// Finds out whether the track that plays has ended.
void Starter::look_after(Stand& stand) {
  if (!stand.playing) return;
  const ScopeFrame now = voices.times().at(stand.playing.scope, noting.link.now().lands);
  if (stand.playing.ends() > now && voices.plays_on(stand.playing.start)) return;
  if (stand.playing.ends() > now) leave_behind(stand.playing, now);
  Music::ended(stand);
  if (!stand.wants) take_turn_away(stand);
}

/// Remembers where a track is left, for when it goes on.
void Starter::leave_behind(const PlayingTrack& its, ScopeFrame when) {
  const LiveSound* track = track_with(its.track);
  if (track != nullptr && track->design->as_track()->goes_on) music.leave_at(its.track, its.timing.folded(its.course.at(when)));
}

/// The scope in which a stand's change is counted.
ScopeNumber Starter::scope_of(const Stand& stand) const {
  if (stand.playing) return stand.playing.scope;
  const LiveSound* track = track_with(stand.wanted.track);
  return track == nullptr ? ScopeNumber{0} : track->scope;
}

/// Places the change that a stand wants, or has the agenda do it when its time comes. `asked` says that a request asks for it now.
Outcome Starter::plan(Stand& stand, bool asked) {
  take_turn_away(stand);
  look_after(stand);
  if (!stand.wants) return Outcome::done;
  const MusicChange& wanted = stand.wanted;
  const Name event = event_named(wanted.event);
  LiveSound* comes = wanted.track == 0 ? nullptr : track_with(wanted.track);
  if (wanted.track != 0 && comes == nullptr) {
    const PlaybackId id = wanted.asked;
    Music::give_up(stand);
    return noting.decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::track_unloaded}, event);
  }
  const ScopeNumber scope = scope_of(stand);
  if (scopes[scope].state == Scopes::State::ended && comes != nullptr && !stand.playing) {
    const PlaybackId id = wanted.asked;
    Music::give_up(stand);
    return noting.decide(Outcome::scope_ended, id, scopes.why_ended(scope), event);
  }
  if (stand.free_scope != scope) stand.free_from = {0};
  const ScopeFrame from = voices.times().from(scope, noting.link.base());
  Placement placement = Music::plan(stand, from);
  const std::int64_t early = voices.frames_of(
      stand.playing && !stand.playing.timing.loops() && placement.boundary >= stand.playing.ends() ? placed_ahead_of_end : placed_ahead);
  const ScopeFrame turn = std::min(placement.frame, placement.stops ? placement.stop_at : placement.frame) - early;
  LiveSound* begins = placement.starts == 0 ? nullptr : track_with(placement.starts);
  const bool away = begins != nullptr && !clips_there(*begins);
  const bool held = voices.times().held(scope);
  const bool elsewhere = begins != nullptr && begins->scope != scope;
  if (!away && ((held && elsewhere) || (!held && turn <= voices.times().at(scope, noting.link.now().at)))) {
    if (elsewhere) bring_to_scope(begins->scope, stand, placement);
    return carry_out(stand, placement);
  }
  const ScopeFrame soon = voices.times().from(scope, noting.link.now().at) + voices.frames_of(until_clips_come);
  stand.turn = agenda.add_music(scope,
                                away   ? std::max(turn, soon)
                                : held ? std::max(turn, voices.times().stood_at(scope))
                                       : turn,
                                music.number_of(stand));
  if (!asked) return Outcome::planned;
  note_planned(stand, placement, event);
  return Outcome::planned;
}

/// Plans a change to a track whose scope is another than that of the track that plays. A track on hold reaches no boundary, so it gives way
/// at once.
void Starter::bring_to_scope(ScopeNumber scope, const Stand& stand, Placement& placement) const {
  const ScopeTimes& times = voices.times();
  if (!times.held(stand.playing.scope)) {
    placement.frame = times.from(scope, times.mixed(stand.playing.scope, placement.frame));
    return;
  }
  placement.change.via = 0;
  placement.starts = placement.change.track;
  placement.frame = times.from(scope, noting.link.base());
  placement.source = placement.change.begins.source;
  placement.fade_in = placement.fade_out = 0;
  placement.crosses = false;
  placement.stop_at = {0};
}

/// Returns whether all clips of a track are in memory, and asks for those that are not.
bool Starter::clips_there(LiveSound& track) {
  bool there = true;
  LiveBank& bank = *track.home->loaded;
  for (const BankLayer& stem : track.design->layers) {
    const bool has = library.has_clip(bank, bank.clips[stem.choices.front().clips.front().clip]);
    there = there && has;
  }
  return there;
}

Name Starter::event_named(std::uint64_t hash) const {
  const Catalogue::Event* event = hash == 0 ? nullptr : library.loaded.catalogue()->find(hash);
  return event == nullptr ? Name("", 0) : Name(event->design->name, hash);
}

}  // namespace tidewater
