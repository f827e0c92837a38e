/// Verdicts: whether a start may be, and who makes room.

#include <algorithm>
#include <array>
#include <cstdlib>
#include <utility>

#include "voices/voices.hpp"

namespace tidewater {

/// Told to go, in every layer that is left.
bool Voices::leaving(const LiveStart& start) const {
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over() && layer->stage != Stage::leaving && !gone(*layer)) return false;
  return true;
}

/// Whether `is(start)` of any start of a sound, in all its versions: of one emitter, or of all.
template <class Is>
bool Voices::any_start(const PlayedSound& sound, std::optional<std::uint64_t> emitter, Is is) const {
  for (const PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older) {
    if (emitter && Starts::by_emitter(*version)) {
      if (starts_.any_of(*version, *emitter, is)) return true;
      continue;
    }
    for (LiveStart* start = version->latest; start != nullptr; start = start->earlier)
      if ((!emitter || start->emitter == *emitter) && is(*start)) return true;
  }
  return false;
}

/// Whether a sound goes on that is not to be asked for again meanwhile.
bool Voices::plays_already(const PlayedSound& sound, std::optional<std::uint64_t> emitter, bool cadences) const {
  return any_start(sound, emitter, [&](const LiveStart& start) { return (start.part == Part::cadence) == cadences && !leaving(start); });
}

const LiveStart* Voices::what_plays(const PlayedSound& sound, std::uint64_t emitter, Part part) const {
  const std::optional<std::uint64_t> whose = sound.design->limit_each_emitter ? std::optional(emitter) : std::nullopt;
  const LiveStart* latest = nullptr;
  any_start(sound, whose, [&](const LiveStart& start) {
    if ((start.part == Part::cadence) == (part == Part::cadence) && !leaving(start) && (latest == nullptr || latest->id < start.id))
      latest = &start;
    return false;
  });
  return latest;
}

/// The starts of a sound that go on, but for those that are only a cadence: of one emitter, or of all.
void Voices::list_starts(const PlayedSound& sound, std::optional<std::uint64_t> emitter, bool cadences) {
  in_order_.clear();
  any_start(sound, emitter, [&](LiveStart& start) {
    if ((start.part == Part::cadence) == cadences && !leaving(start)) in_order_.push_back(&start);
    return false;
  });
  std::sort(in_order_.begin(), in_order_.end(), [](const LiveStart* a, const LiveStart* b) { return a->id < b->id; });
}

/// The same of a sound in the world: those that have a voice. What sleeps out there holds nobody back.
void Voices::list_heard(const PlayedSound& sound, std::uint64_t emitter) {
  in_order_.clear();
  each_heard(sound, emitter, [&](LiveStart& start) { in_order_.push_back(&start); });
  std::sort(in_order_.begin(), in_order_.end(), [](const LiveStart* a, const LiveStart* b) { return a->id < b->id; });
}

/// Whether the sound is heard to begin, or will be, less than its spacing from a frame.
bool Voices::heard_near(const PlayedSound& sound, const HeardBefore& before, std::uint64_t emitter, std::int64_t frame) const {
  const bool each = sound.design->limit_each_emitter;
  const std::int64_t spacing = frames_of(sound.design->spacing);
  if (spacing <= 0 || before.latest() <= frame - spacing) return false;
  if (before.near(emitter, frame, spacing)) return true;
  return any_start(sound, each ? std::optional(emitter) : std::nullopt,
                   [&](const LiveStart& start) { return start.part != Part::cadence && std::abs(frame - start.heard) < spacing; });
}

std::optional<std::pair<Outcome, Reason>> Voices::hold_back(const PlayedSound& sound, const HeardBefore& before, std::uint64_t emitter,
                                                            std::int64_t heard, const HeardFrom* from, Part part) {
  const BankSound& design = *sound.design;
  const Retrigger retrigger = part == Part::beat ? Retrigger::overlap : design.retrigger;
  verdict_.clear();
  if (retrigger == Retrigger::overlap && design.spacing <= Seconds{0} && design.limit == 0) return std::nullopt;
  const auto held = [&](Outcome outcome, Reason::Code code) {
    return std::pair(outcome, Reason{.code = code, .each = design.limit_each_emitter, .sound = &design});
  };
  in_order_.clear();
  const bool limited = part != Part::cadence && design.limit > 0 && (from == nullptr || from->level.audible());
  const std::optional<std::uint64_t> whose = design.limit_each_emitter ? std::optional(emitter) : std::nullopt;
  if (retrigger == Retrigger::ignore && plays_already(sound, whose, part == Part::cadence))
    return held(Outcome::already_playing, Reason::Code::plays_already);
  if (part != Part::cadence && heard_near(sound, before, emitter, heard)) return held(Outcome::too_soon, Reason::Code::too_soon);

  if (retrigger == Retrigger::restart || (limited && from == nullptr)) list_starts(sound, whose, part == Part::cadence);
  if (retrigger == Retrigger::restart) {
    verdict_.going = in_order_;
    return std::nullopt;
  }
  if (limited && from != nullptr) list_heard(sound, emitter);
  if (!limited || in_order_.size() < design.limit) return std::nullopt;
  verdict_.playing = in_order_.size();
  if (design.when_full == WhenFull::newest) {
    // A loop out in the world waits until it is the loudest of its kind.
    verdict_.full = from != nullptr && std::any_of(design.layers.begin(), design.layers.end(), [](const BankLayer& l) { return l.loop; });
    if (!verdict_.full) return std::pair(Outcome::limit_reached, why_limited(sound));
    return std::nullopt;
  }
  verdict_.going.push_back(who_yields(design));
  return std::nullopt;
}

/// Of those that count against a limit.
LiveStart* Voices::who_yields(const BankSound& design) const {
  const auto level = [this](const LiveStart* start) {
    Level loudest;
    for (const LiveLayer* layer = start->layers; layer != nullptr; layer = layer->next)
      if (!layer->over()) loudest = std::max(loudest, level_of(*layer));
    return loudest;
  };
  return design.when_full == WhenFull::oldest
             ? in_order_.front()
             : *std::min_element(in_order_.begin(), in_order_.end(), [&](auto* a, auto* b) { return level(a) < level(b); });
}

/// What waited for its delay in the world counts against its limit from here on: false where it is not to begin.
bool Voices::fits_now(const LiveStart& start) {
  const BankSound& design = *start.sound->design;
  if (!start.in_world || design.limit == 0) return true;
  list_heard(*start.sound, start.emitter);
  if (std::find(in_order_.begin(), in_order_.end(), &start) != in_order_.end() || in_order_.size() < design.limit) return true;
  verdict_.playing = in_order_.size();
  if (design.when_full == WhenFull::newest) return false;
  verdict_.going.push_back(who_yields(design));
  return true;
}

Reason Voices::why_limited(const PlayedSound& sound) const {
  return {.code = Reason::Code::limited,
          .each = sound.design->limit_each_emitter,
          .number = static_cast<double>(verdict_.playing),
          .sound = sound.design};
}

void Voices::share(const PlayedSound& sound, PlaybackId id, std::span<Candidate> wanted) {
  freshen_claims();
  for (const LiveStart* start : verdict_.going)
    for (const LiveLayer* layer = start->layers; layer != nullptr; layer = layer->next)
      if (layer->stage == Stage::sounding) pool_.set_aside(layer->voice);
  std::size_t free = options_.voices - std::min<std::size_t>(options_.voices, count_.sounding - pool_.aside());
  std::size_t silent_voices = pool_.free();  // what yields still fades on its own

  std::array<Candidate*, most_layers> loudest_first{};
  for (std::size_t i = 0; i < wanted.size(); ++i) loudest_first[i] = &wanted[i];
  std::sort(loudest_first.begin(), loudest_first.begin() + static_cast<std::ptrdiff_t>(wanted.size()),
            [](const Candidate* a, const Candidate* b) { return std::pair(b->level, a) < std::pair(a->level, b); });
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    Candidate& candidate = *loudest_first[i];
    if (!candidate.level.audible()) {
      candidate.fate = Candidate::Fate::unheard;
      continue;
    }
    if (due_for(candidate.starts) > link_.now().at) {
      candidate.fate = Candidate::Fate::later;
      continue;
    }
    if (verdict_.full) {
      candidate.over_limit = true;
      candidate.fate = worth_waiting(*candidate.layer, *candidate.clip, candidate.position, candidate.step) ? Candidate::Fate::waits
                                                                                                            : Candidate::Fate::too_late;
      continue;
    }
    const std::uint32_t weakest = free > 0 ? VoicePool::none : pool_.weakest();
    const bool may = free > 0 || pool_.claim_on(weakest) <= Claim(sound.design->rank, candidate.level, id.raise);
    if (may && silent_voices > 0) {
      candidate.fate = Candidate::Fate::voice;
      --silent_voices;
      if (free > 0) {
        --free;
      } else {
        verdict_.yielding.push_back(pool_.owners()[weakest]);
        pool_.set_aside(weakest);
      }
    } else {
      candidate.all_fade = may;
      candidate.fate = worth_waiting(*candidate.layer, *candidate.clip, candidate.position, candidate.step) ? Candidate::Fate::waits
                                                                                                            : Candidate::Fate::too_late;
    }
  }
  pool_.restore();
}

void Voices::make_room(const PlayedSound& sound) {
  if (verdict_.going.empty() && verdict_.yielding.empty()) return;
  const bool restarts = sound.design->retrigger == Retrigger::restart;
  const Reason why = restarts ? Reason{.code = Reason::Code::asked_again} : why_limited(sound);
  for (LiveStart* start : verdict_.going)
    each_layer(*start, [&](LiveLayer& layer) {
      if (layer.stage == Stage::leaving) return;
      // A loop out in the world keeps its place: it is heard again where it is the loudest of its kind.
      if (start->in_world && layer.design->loop && !restarts) {
        if (layer.stage == Stage::sounding) put_to_sleep(layer, why);
      } else {
        leave(layer, sound.design->fade_out, restarts ? Ending::restarted : Ending::yielded, why);
      }
    });
  for (LiveLayer* layer : verdict_.yielding) give_way(*layer, sound);
}

void Voices::give_way(LiveLayer& layer, const PlayedSound& to) {
  using Code = Reason::Code;
  put_to_sleep(layer, {.code = !level_of(layer).audible()                           ? Code::gave_way_to_heard
                               : to.design->rank > layer.start->sound->design->rank ? Code::outranked_by
                                                                                    : Code::not_louder_than,
                       .name = to.design->name});
}

}  // namespace tidewater
