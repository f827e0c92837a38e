#include "voices/starts.hpp"

#include <algorithm>
#include <bit>
#include <cstdint>
#include <utility>

namespace tidewater {

Starts::Starts(std::size_t capacity) : capacity_(capacity), of_emitter_(std::bit_ceil(std::max<std::size_t>(capacity, 1))) {
  starts_.reserve(capacity);
  from_.reserve(capacity);
  layers_.reserve(capacity);
  free_starts_.reserve(capacity);
  free_layers_.reserve(capacity);
}

std::size_t Starts::bucket(const PlayedSound& sound, std::uint64_t emitter) const {
  // Fibonacci hashing (Knuth, The Art of Computer Programming 3, 6.4). Where a sound lies differs from run to run, and with it only who
  // is looked at in vain.
  constexpr std::uint64_t golden = 0x9e3779b97f4a7c15U;
  const std::uint64_t key = (emitter + reinterpret_cast<std::uintptr_t>(&sound) / alignof(PlayedSound)) * golden;
  return static_cast<std::size_t>(key >> 32U) & (of_emitter_.size() - 1);
}

void Starts::join_emitter(LiveStart& start) {
  LiveStart*& first = of_emitter_[bucket(*start.sound, start.emitter)];
  start.from_of_emitter = &first;
  start.next_of_emitter = std::exchange(first, &start);
  if (start.next_of_emitter != nullptr) start.next_of_emitter->from_of_emitter = &start.next_of_emitter;
}

void Starts::leave_emitter(LiveStart& start) {
  *start.from_of_emitter = start.next_of_emitter;
  if (start.next_of_emitter != nullptr) start.next_of_emitter->from_of_emitter = start.from_of_emitter;
}

void Starts::leave_group(PlayedSound& sound) {
  *sound.from_playing = sound.next_playing;
  if (sound.next_playing != nullptr) sound.next_playing->from_playing = sound.from_playing;
}

bool Starts::end(LiveLayer& layer) {
  LiveStart& start = *layer.start;
  layer.stage = Stage::none;
  if (--start.alive > 0) return false;
  PlayedSound& sound = *start.sound;
  (start.later != nullptr ? start.later->earlier : sound.latest) = start.earlier;
  if (start.earlier != nullptr) start.earlier->later = start.later;
  if (sound.latest == nullptr) leave_group(sound);
  --sound.home->playing;
  if (start.from_of_emitter != nullptr) leave_emitter(start);
  for (LiveLayer *its = start.layers, *next = nullptr; its != nullptr; its = next) {
    next = std::exchange(its->next, nullptr);
    free_layers_.push_back(its->slot);
  }
  free_starts_.push_back(start.slot);
  return true;
}

LiveStart* Starts::find(StartRef ref) {
  if (ref.slot == StartRef::any_slot) ref.slot = slot_of(ref.id);
  if (!ref || ref.slot >= starts_.size()) return nullptr;
  LiveStart& start = starts_[ref.slot];
  return start.alive > 0 && start.id == ref.id ? &start : nullptr;
}

std::uint32_t Starts::slot_of(PlaybackId id) const {
  const auto known = std::find_if(starts_.begin(), starts_.end(), [&](const LiveStart& s) { return s.alive > 0 && s.id == id; });
  return known == starts_.end() ? StartRef::any_slot : known->slot;
}

}  // namespace tidewater
