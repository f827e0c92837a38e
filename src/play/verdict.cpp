#include <algorithm>
#include <array>
#include <utility>

#include "play/manager_state.hpp"

namespace tidewater {

/// Told to go, in every layer that is left.
bool ManagerState::leaving(const LivePlayback& first) const {
  for (const LivePlayback* layer = &first; layer != nullptr; layer = layer->next)
    if (layer->sound != nullptr && layer->stage != Stage::leaving && !gone(*layer)) return false;
  return true;
}

/// Puts the starts of a sound that go on into `in_order`: of one emitter, or of all.
void ManagerState::list_starts(const LiveSound& sound, std::optional<std::uint64_t> emitter) {
  in_order.clear();
  for (LivePlayback* first = sound.latest; first != nullptr; first = first->earlier)
    if ((!emitter || first->emitter == *emitter) && !leaving(*first)) in_order.push_back(first);
  std::sort(in_order.begin(), in_order.end(), [](const LivePlayback* a, const LivePlayback* b) { return a->id < b->id; });
}

/// Tells every layer of a start to go.
void ManagerState::leave_start(LivePlayback& first, Seconds fade, const char* how, const Reason& why) {
  // The next is looked up before: with the last layer that ends all slots are free.
  for (LivePlayback *layer = &first, *next = nullptr; layer != nullptr; layer = next) {
    next = layer->next;
    if (layer->sound != nullptr && layer->stage != Stage::leaving) leave(*layer, fade, how, why);
  }
}

/// Whether the sound is heard to begin, or will be, less than its spacing from a frame.
bool ManagerState::heard_near(const LiveSound& sound, std::uint64_t emitter, std::int64_t frame) const {
  const BankSound& design = *sound.design;
  const std::int64_t spacing = frames_of(design.spacing);
  if (spacing <= 0) return false;
  if (sound.memory->latest_heard <= frame - spacing) return false;
  const auto near = [&](std::int64_t other) { return std::abs(frame - other) < spacing; };
  const LastStarts& last = sound.memory->last_starts[design.limit_each_emitter ? slot_of(emitter) : 0];
  const bool same = !design.limit_each_emitter || last.emitter == emitter;
  if (same && std::any_of(last.heard.begin(), last.heard.end(), near)) return true;
  for (const LivePlayback* first = sound.latest; first != nullptr; first = first->earlier)
    if ((!design.limit_each_emitter || first->emitter == emitter) && near(first->heard)) return true;
  return false;
}

/// The gates of the book, in this order: retrigger, spacing, limit. Nothing where the sound may start; what has to make
/// room for it then stands in the verdict. What is held back draws and picks nothing.
std::optional<Outcome> ManagerState::hold_back(LiveSound& sound, PlaybackId id, std::uint64_t emitter, std::int64_t heard, Name event) {
  const BankSound& design = *sound.design;
  verdict.clear();
  if (design.retrigger == Retrigger::overlap && design.spacing <= Seconds{0} && design.limit == 0) return std::nullopt;
  const auto held = [&](Outcome outcome, Reason::Code code) {
    return decide(outcome, id, {.code = code, .each = design.limit_each_emitter, .sound = &design}, event);
  };
  in_order.clear();
  if (design.retrigger != Retrigger::overlap || design.limit > 0)
    list_starts(sound, design.limit_each_emitter ? std::optional(emitter) : std::nullopt);

  if (design.retrigger == Retrigger::ignore && !in_order.empty()) return held(Outcome::already_playing, Reason::Code::plays_already);
  if (heard_near(sound, emitter, heard)) return held(Outcome::too_soon, Reason::Code::too_soon);

  if (design.retrigger == Retrigger::restart) {
    verdict.going = in_order;
    return std::nullopt;
  }
  if (design.limit == 0 || in_order.size() < design.limit) return std::nullopt;
  verdict.playing = in_order.size();
  if (design.when_full == WhenFull::newest) return decide(Outcome::limit_reached, id, why_limited(sound), event);
  const auto level = [this](const LivePlayback* first) {
    Level loudest;
    for (const LivePlayback* layer = first; layer != nullptr; layer = layer->next)
      if (layer->sound != nullptr) loudest = std::max(loudest, level_of(*layer));
    return loudest;
  };
  const auto yields = design.when_full == WhenFull::oldest
                          ? in_order.begin()
                          : std::min_element(in_order.begin(), in_order.end(), [&](auto* a, auto* b) { return level(a) < level(b); });
  verdict.going.push_back(*yields);
  return std::nullopt;
}

Reason ManagerState::why_limited(const LiveSound& sound) const {
  return {.code = Reason::Code::limited,
          .each = sound.design->limit_each_emitter,
          .number = static_cast<double>(verdict.playing),
          .sound = sound.design};
}

/// Who of the layers gets a voice, and whose. Those that make room by the book are gone already, as far as this is asked.
void ManagerState::share_voices(const LiveSound& sound, PlaybackId id, std::span<Candidate> wanted) {
  freshen_claims();
  set_aside.clear();
  const auto count_out = [this](std::uint32_t voice) { set_aside.emplace_back(voice, std::exchange(claims[voice], Claim::none())); };
  for (const LivePlayback* first : verdict.going)
    for (const LivePlayback* layer = first; layer != nullptr; layer = layer->next)
      if (layer->sound != nullptr && layer->stage == Stage::sounding) count_out(layer->voice);
  std::size_t free = options.voices - std::min<std::size_t>(options.voices, stats.playing - set_aside.size());
  std::size_t silent_voices = free_voices.size();  // what yields still fades on its own

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
    const std::uint32_t weakest = free > 0 ? no_voice : weakest_voice();
    const bool may = free > 0 || claims[weakest] <= Claim(sound.design->rank, candidate.level, id.raise);
    if (may && silent_voices > 0) {
      candidate.fate = Candidate::Fate::voice;
      --silent_voices;
      if (free > 0) {
        --free;
      } else {
        verdict.yielding.push_back(owners[weakest]);
        count_out(weakest);
      }
    } else {
      candidate.all_fade = may;
      candidate.fate = worth_waiting(*candidate.layer, *candidate.clip, candidate.position, candidate.step) ? Candidate::Fate::waits
                                                                                                            : Candidate::Fate::too_late;
    }
  }
  for (const auto& [voice, claim] : set_aside) claims[voice] = claim;
}

/// What makes room for a start, by its verdict.
void ManagerState::make_room(const LiveSound& sound) {
  const bool restarts = sound.design->retrigger == Retrigger::restart;
  for (LivePlayback* first : verdict.going)
    leave_start(*first, sound.design->fade_out, restarts ? "restarted" : "yielded",
                restarts ? Reason{.code = Reason::Code::asked_again} : why_limited(sound));
  for (LivePlayback* playback : verdict.yielding) give_way(*playback, sound);
}

}  // namespace tidewater
