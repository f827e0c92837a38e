#include <algorithm>
#include <array>
#include <limits>
#include <utility>

#include "choose/shape.hpp"
#include "choose/traits.hpp"
#include "play/control.hpp"
#include "terms/emitters.hpp"

namespace tidewater {

Outcome Control::respond(const BankResponse& response, LiveBank& bank, PlaybackId id, const Happening& happening, Raised& raised) {
  using Effect = Outcome (Control::*)(LiveBank&, LiveSound&, const BankResponse&, PlaybackId, const Happening&, Raised&);
  static constexpr std::array<Effect, verb_words.size()> effects = {&Control::start, &Control::stop};  // by verb
  return (this->*effects[static_cast<std::size_t>(response.verb)])(bank, bank.sounds[response.target], response, id, happening, raised);
}

Outcome Control::start(LiveBank& bank, LiveSound& sound, const BankResponse& response, PlaybackId id, const Happening& happening,
                       Raised& raised) {
  const BankSound& design = *sound.design;
  if (!happening.at && sound.heard_kind != 0 && happening.emitter)
    return decide(Outcome::emitter_gone, id,
                  {.code = Reason::Code::emitter_gone, .number = static_cast<double>(happening.emitter.number), .sound = &design},
                  happening.event);
  const std::optional<HeardFrom> heard_from = heard_in_world(sound, happening);
  const HeardFrom* from = heard_from ? &*heard_from : nullptr;
  // A delay decides what is too soon, so that all is drawn first. Of each asking, also one that is held back, the numbers are its own.
  const Part part = design.cadence.high <= Seconds{} ? Part::whole : happening.of != nullptr ? Part::beat : Part::cadence;
  const StartShape shape = draw_shape(design, Draws(sound.key, ++sound.memory->asked));
  const auto is_there = [&](std::size_t layer) { return part == Part::cadence || shape.layers[layer].there; };
  std::array<std::int64_t, most_layers> starts{};
  std::int64_t heard = std::numeric_limits<std::int64_t>::max();
  for (std::size_t l = 0; l < design.layers.size(); ++l) {
    const Seconds its_delay = part == Part::cadence ? Seconds{} : shape.layers[l].delay;  // which is of each beat
    starts[l] = happening.base + voices.frames_of(response.delay + its_delay);
    if (is_there(l)) heard = std::min(heard, starts[l]);
  }
  if (const auto held = voices.hold_back(sound, sound.memory->heard, happening.emitter.number, heard, from, part)) {
    if (part == Part::cadence) change_traits(sound, happening);
    if (held->first == Outcome::already_playing && raised.count < Raised::most_handles)
      if (const LiveStart* plays = voices.what_plays(sound, happening.emitter.number, part))
        raised.playbacks[raised.count++] = Playback(this, plays->slot, plays->id);
    return decide(held->first, id, held->second, happening.event);
  }

  const std::size_t emitter = design.each_emitter ? slot_of(happening.emitter.number) : 0;
  const std::size_t apart = design.each_emitter ? emitters_apart : 1;
  candidates.clear();
  const BankClip* past_end = nullptr;  ///< a clip that was to begin beyond its end
  const BankLayer* without_clip = nullptr;
  for (std::size_t l = 0, list = 0; l < design.layers.size(); list += design.layers[l++].choices.size()) {
    const BankLayer& layer = design.layers[l];
    const LayerShape& its = shape.layers[l];
    if (!is_there(l)) continue;
    const BankChoice* choice = choice_for(layer, happening.traits);
    if (choice == nullptr || choice->clips.empty()) {
      if (without_clip == nullptr) without_clip = &layer;
      continue;
    }
    if (went_otherwise(layer, choice)) note_otherwise(sound, layer, happening);
    Candidate& candidate = candidates.emplace_back();
    candidate.list = (list + static_cast<std::size_t>(choice - layer.choices.data())) * apart + emitter;
    candidate.picked = pick(layer.pick, *choice, sound.memory->picks[candidate.list], Draws::hash_of(~sound.key, candidate.list));
    candidate.use = &choice->clips[candidate.picked.clip];
    const BankClip& clip = sound.bank->clips[candidate.use->clip];
    const Frames start_at = frames(its.start_at, sound.bank->rate);
    if (!layer.loop && start_at.value >= clip.frames) {
      past_end = &clip;
      candidates.pop_back();
      continue;
    }
    candidate.layer = &layer;
    candidate.clip = &clip;
    candidate.gain = its.gain + candidate.use->trim;
    candidate.pitch = its.pitch;
    candidate.step = voices.step_of(sound, candidate.pitch);
    candidate.position.whole =
        layer.start_anywhere ? static_cast<std::int64_t>(its.anywhere * static_cast<double>(clip.frames - 1)) : start_at.value;
    if (layer.loop && !clip.streamed) candidate.position.fold(clip.loop_from, clip.frames);
    candidate.starts = starts[l];
    candidate.level = Level(clip.level + candidate.gain) + groups.levels().heard[sound.group];
    if (from != nullptr) candidate.level = candidate.level + from->level;
  }
  Followers::Follower follower;
  if (sound.following != nullptr) {
    follower = follower_of(sound, id, happening, from != nullptr);
    const Following::Values values = Followers::now(follower, drive.gauges, ready_values(from));
    for (Candidate& candidate : candidates) {
      const auto which = static_cast<std::size_t>(candidate.layer - design.layers.data());
      candidate.bent = sound.following->bend(which, values, from != nullptr);
      candidate.step = voices.step_of(sound, candidate.pitch + candidate.bent.pitch);
      candidate.level = candidate.level + Level(candidate.bent.gain);
      if (Level(candidate.bent.gain).audible()) continue;
      if (const auto by = sound.following->quietened_by(which, values)) candidate.silent_by = by->gauge, candidate.gauge_at = by->value;
    }
  }
  std::string unreadable;
  const bool waits = wait_for_clips(bank, unreadable);
  const std::span<Candidate> wanted(candidates);
  if (wanted.empty() && !unreadable.empty())
    return decide(Outcome::unreadable, id, {.code = Reason::Code::unreadable, .name = notebook.keep(unreadable), .sound = &design},
                  happening.event);
  if (wanted.empty()) {
    using Code = Reason::Code;
    if (past_end != nullptr)
      return decide(
          Outcome::past_end, id,
          {.code = Code::past_end, .number = seconds({past_end->frames}, sound.bank->rate).value, .name = past_end->name, .sound = &design},
          happening.event);
    if (without_clip != nullptr)
      return decide(Outcome::no_clip, id, {.code = Code::no_clip, .sound = &design, .layer = without_clip, .traits = happening.traits},
                    happening.event);
    return decide(Outcome::left_out, id, {.code = Code::left_out, .sound = &design}, happening.event);
  }
  NewStart as{.id = id,
              .emitter = happening.emitter.number,
              .base = happening.base,
              .heard = heard,
              .pan = shape.pan,
              .low_pass = shape.low_pass,
              .high_pass = design.high_pass,
              .from = from,
              .follows = sound.following != nullptr,
              .part = part};
  if (part == Part::beat) {
    go_by_cadence(*happening.of, as);
    for (Candidate& candidate : wanted) candidate.level = candidate.level + Level(as.own_gain);
  }
  if (part == Part::cadence) return begin_cadence(sound, as, happening, sound.following != nullptr ? &follower : nullptr, raised);
  if (from != nullptr && !from->level.audible() &&
      std::none_of(wanted.begin(), wanted.end(), [&](const Candidate& c) { return voices.worth_waiting(c); }))
    return decide(Outcome::out_of_range, id, why_out_of_range(sound, *from), happening.event);
  if (waits)
    for (Candidate& candidate : wanted) candidate.fate = Candidate::Fate::reading;
  else
    voices.share(sound, id, wanted);
  if (std::none_of(wanted.begin(), wanted.end(), [](const Candidate& c) { return c.fate != Candidate::Fate::too_late; }))
    return decide(Outcome::pool_full, id, why(sound, wanted.front(), from), happening.event);
  if (!voices.has_room(wanted.size()))
    return decide(Outcome::no_room, id, {.code = Reason::Code::no_playbacks, .number = static_cast<double>(options.playbacks)},
                  happening.event);

  join(sound, voices.begin(sound, as, wanted), happening, sound.following != nullptr ? &follower : nullptr, raised);
  Outcome outcome = Outcome::pool_full;
  for (const Candidate& candidate : wanted) {
    if (candidate.fate == Candidate::Fate::too_late) continue;
    sound.memory->picks[candidate.list] = candidate.picked.after;
    if (!plays(outcome) || outcome_of(candidate.fate) < outcome) outcome = outcome_of(candidate.fate);
  }
  if (notebook.open()) note_starts(sound, wanted, as, happening.event);
  ++totals.started;
  sound.memory->heard.add(happening.emitter.number, heard);
  return outcome;
}

void Control::join(LiveSound& sound, const LiveStart& start, const Happening& happening, Followers::Follower* follower, Raised& raised) {
  if (follower != nullptr) {
    follower->start = start.ref();
    drive.followers.add(*follower);
  }
  if (start.in_world)
    world.earshot.add(start.ref(), sound.heard_kind, Voices::own_level(start), follower != nullptr && sound.following->bends_levels(),
                      !happening.stays && has_room_for(happening.emitter) ? happening.emitter : Emitter{}, *happening.at);
  if (raised.count < Raised::most_handles) raised.playbacks[raised.count++] = Playback(this, start.slot, start.id);
}

/// Once for each value, so that a step a second does not fill the journal.
void Control::note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening) {
  if (!notebook.open() || sound.told_count == sound.told.size()) return;
  const std::uint64_t key = otherwise_key(layer, happening.traits);
  const auto end = sound.told.begin() + static_cast<std::ptrdiff_t>(sound.told_count);
  if (std::find(sound.told.begin(), end, key) != end) return;
  sound.told[sound.told_count++] = key;
  tell({.code = Reason::Code::otherwise,
        .name = happening.event.text(),
        .sound = sound.design,
        .layer = &layer,
        .traits = happening.traits});
}

/// Why a layer is not heard; nothing where it is.
Reason Control::why(const LiveSound& sound, const Candidate& candidate, const HeardFrom* from) const {
  using Fate = Candidate::Fate;
  using Code = Reason::Code;
  switch (candidate.fate) {
    case Fate::voice:
    case Fate::later: return {};
    case Fate::reading: return candidate.unread ? Reason{.code = Code::clip_read_now, .name = candidate.clip->name} : Reason{};
    case Fate::waits:
      if (candidate.over_limit) return voices.why_limited(sound);
      return {.code = candidate.all_fade ? Code::waits_for_fades : Code::waits, .number = static_cast<double>(options.voices)};
    case Fate::too_late:
      if (candidate.over_limit) return voices.why_limited(sound);
      return {.code = candidate.all_fade ? Code::too_short_for_fades : Code::too_short, .number = static_cast<double>(options.voices)};
    case Fate::unheard: break;
  }
  if (from != nullptr && !from->level.audible()) return why_out_of_range(sound, *from);
  if (!Level(candidate.bent.gain).audible())
    return {.code = Code::silent_by_gauge, .number = candidate.gauge_at, .name = candidate.silent_by};
  if (!groups.levels().heard[sound.group].audible()) return groups.why_silent(sound.group);
  return {.code = candidate.gain == silence ? Code::drawn_silent : candidate.clip->level == silence ? Code::silent_clip : Code::faint};
}

/// One line is the decision, as the whole came out; every further layer has one of its own, also where it found no voice.
void Control::note_starts(const LiveSound& sound, std::span<const Candidate> layers, const NewStart& as, Name event) {
  const auto leads = std::min_element(layers.begin(), layers.end(), [](const auto& a, const auto& b) { return a.fate < b.fate; });
  const auto note_one = [&](const Candidate& candidate, bool further) {
    const bool explained = candidate.fate != Candidate::Fate::voice && candidate.fate != Candidate::Fate::later;
    const Reason* reason = explained ? notebook.keep(why(sound, candidate, as.from)) : nullptr;
    notebook.add<BegunNote>(link.now().at, [&](BegunNote& note) {
      note.further = further;
      note.outcome = outcome_of(candidate.fate);
      note.playback = as.id;
      note.event = event.text();
      note.group = groups.names().name(sound.group);
      note.sound = sound.design;
      note.layer = candidate.layer;
      note.clip = candidate.clip;
      note.gain = candidate.gain - candidate.use->trim;
      note.pitch = candidate.pitch;
      note.pan = as.pan;
      note.low_pass = as.low_pass;
      if (as.from != nullptr) note.metres = as.from->metres;
      note.clip_start = {static_cast<double>(candidate.position.whole) / sound.bank->rate.value};
      note.starts = candidate.starts;
      note.voice = candidate.voice;
      note.why = reason;
    });
  };
  note_one(*leads, false);
  for (auto layer = layers.begin(); layer != layers.end(); ++layer)
    if (layer != leads) note_one(*layer, true);
}

Outcome Control::stop(LiveBank&, LiveSound& sound, const BankResponse& response, PlaybackId id, const Happening& happening, Raised&) {
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    any = voices.stop(*version, response.time, id) || any;
  if (!any) return decide(Outcome::nothing_to_stop, id, {.code = Reason::Code::not_playing, .sound = sound.design}, happening.event);
  notebook.add(link.now().at, DecidedNote{.raise = id.raise, .event = happening.event.text(), .sound = sound.design});
  return Outcome::done;
}

Outcome Control::decide(Outcome outcome, PlaybackId id, const Reason& why, Name event) {
  if (refused(outcome)) ++totals.refused;
  notebook.add(link.now().at,
               DecidedNote{.outcome = outcome, .playback = id, .raise = id.raise, .event = event.text(), .why = notebook.keep(why)});
  return outcome;
}

}  // namespace tidewater
