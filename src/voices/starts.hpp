#pragma once
#include <array>
#include <cstdint>
#include <new>
#include <type_traits>
#include <utility>
#include <vector>

#include "base/fetch.hpp"
#include "base/most_groups.hpp"
#include "base/state.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// The slots in which starts and layers live. All memory is reserved at once, so that they never move.
class Starts {
 public:
  /// `capacity` is the most layers. A start has at least one.
  explicit Starts(std::size_t capacity);

  /// The number of starts that have not ended.
  std::size_t count() const { return starts_.size() - free_starts_.size(); }
  bool has_room(std::size_t layers) const { return free_layers_.size() + capacity_ - layers_.size() >= layers; }

  /// A start may begin soon.
  void fetch_next() const {
    if (!free_starts_.empty()) fetch(starts_[free_starts_.back()]);
    if (!free_layers_.empty()) fetch(layers_[free_layers_.back()]);
  }
  /// Begins a start. It needs a layer before anything else is asked of it. There must be room.
  LiveStart& begin(PlayedSound& sound, PlaybackId id, std::uint64_t emitter = 0);
  LiveLayer& add_layer(LiveStart& start);
  /// Ends a layer. Returns true if its start ends with it: the start has then left its sound, and may be read until the next `begin`.
  bool end(LiveLayer& layer);

  /// Returns null if the start has ended.
  LiveStart* find(StartRef start);
  /// Returns `StartRef::any_slot` if the start has ended.
  std::uint32_t slot_of(PlaybackId id) const;
  /// Whether the starts of a sound are found by their emitter.
  static bool by_emitter(const PlayedSound& sound) { return sound.design != nullptr && sound.design->limit_each_emitter; }
  /// Whether `is(start)` holds for any start of such a sound and an emitter that has not ended.
  template <class Is>
  bool any_of(const PlayedSound& sound, std::uint64_t emitter, Is is) const {
    for (LiveStart* start = of_emitter_[bucket(sound, emitter)]; start != nullptr; start = start->next_of_emitter)
      if (start->sound == &sound && start->emitter == emitter && is(*start)) return true;
    return false;
  }
  /// Calls `act(start)` for the starts of a group's sounds on the screen that have not ended, without those of the groups below it.
  template <class Act>
  void each_on_screen(std::uint32_t group, Act act) const {
    for (PlayedSound* sound = playing_[group]; sound != nullptr; sound = sound->next_playing) {
      if (is_in_world(*sound)) continue;
      for (LiveStart* start = sound->latest; start != nullptr; start = start->earlier) act(*start);
    }
  }
  static bool is_in_world(const PlayedSound& sound) { return sound.design->world.place == Where::world; }
  /// Adds a sound to the sounds of its group that play: with its first start, and after a restore.
  void join_group(PlayedSound& sound) {
    PlayedSound*& first = playing_[sound.group];
    sound.from_playing = &first;
    sound.next_playing = std::exchange(first, &sound);
    if (sound.next_playing != nullptr) sound.next_playing->from_playing = &sound.next_playing;
  }
  /// There must be a start in the slot.
  LiveStart& in_slot(std::uint32_t slot) { return starts_[slot]; }

  /// See base/state.hpp. `sound(pointer)` keeps the sound of a start.
  template <class State, class Sound>
  void state(State& s, Sound sound) {
    s.list(free_starts_);
    s.list(free_layers_);
    std::size_t starts = starts_.size(), layers = layers_.size();
    s(starts, layers);
    if (starts > capacity_ || layers > capacity_) s.damage();
    if (!s.ok()) return;
    starts_.resize(starts);
    layers_.resize(layers);
    s.list(from_);
    if (from_.size() != starts) s.damage();
    if (!s.ok()) return;
    for (LiveStart& start : starts_) {
      s(start.id, start.alive, start.emitter, start.base, start.heard, start.slot, start.in_world, start.follows, start.part, start.scope,
        start.stays, start.renewed, start.event, start.action, start.drawn, start.paused_at);
      start.from = &from_[static_cast<std::size_t>(&start - starts_.data())];
      if (start.alive > 0) {
        sound(start.sound);
        if (!s.ok()) return;
        if constexpr (State::reading)
          if (by_emitter(*start.sound)) join_emitter(start);
      }
      s.place(start.layers, layers_);
      s.place(start.earlier, starts_);
      s.place(start.later, starts_);
    }
    for (LiveLayer& layer : layers_) {
      s(layer.bed, layer.turn, layer.voice, layer.slot, layer.stage, layer.unread, layer.its, layer.level, layer.bent, layer.lift,
        layer.lifted_at, layer.progress, layer.told, layer.how);
      s.place(layer.start, starts_);
      s.place(layer.next, layers_);
      if (!layer.over() && (layer.start == nullptr || layer.start->sound == nullptr)) s.damage();
      if (!s.ok()) return;
      if (layer.over()) continue;
      const PlayedSound& its = *layer.start->sound;
      s.place(layer.design, its.design->layers);
      s.place(layer.clip, its.bank->clips);
    }
  }
  /// Null if the slot is free.
  const PlayedSound* sound_of(std::uint32_t slot) const {
    return slot < starts_.size() && starts_[slot].alive > 0 ? starts_[slot].sound : nullptr;
  }
  /// All slots of layers, used or free.
  std::vector<LiveLayer>& layers() { return layers_; }
  std::vector<LiveStart>& starts() { return starts_; }

 private:
  /// A slot that was used before, or a new one.
  template <class T>
  static T& take(std::vector<T>& slots, std::vector<std::uint32_t>& free);
  std::size_t bucket(const PlayedSound& sound, std::uint64_t emitter) const;
  void join_emitter(LiveStart& start);
  static void leave_emitter(LiveStart& start);
  static void leave_group(PlayedSound& sound);

  std::size_t capacity_;
  std::vector<LiveStart*> of_emitter_;               ///< hash table by sound and emitter: a power of two
  std::array<PlayedSound*, most_groups> playing_{};  ///< by group: the first of its sounds that play
  std::vector<LiveStart> starts_;
  std::vector<HeardFrom> from_;  ///< of each start
  std::vector<LiveLayer> layers_;
  std::vector<std::uint32_t> free_starts_, free_layers_;
};

// These are short, and each raise needs them.

template <class T>
[[gnu::always_inline]] inline T& Starts::take(std::vector<T>& slots, std::vector<std::uint32_t>& free) {
  if (free.empty()) {
    T& slot = slots.emplace_back();
    slot.slot = static_cast<std::uint32_t>(slots.size() - 1);
    return slot;
  }
  const std::uint32_t index = free.back();
  free.pop_back();
  static_assert(std::is_trivially_destructible_v<T>);
  T& slot = *::new (&slots[index]) T;  // in its place: an assignment would make it elsewhere first
  slot.slot = index;
  return slot;
}

inline LiveStart& Starts::begin(PlayedSound& sound, PlaybackId id, std::uint64_t emitter) {
  LiveStart& start = take(starts_, free_starts_);
  if (from_.size() < starts_.size()) from_.emplace_back();
  start.from = &from_[start.slot];
  start.sound = &sound;
  start.id = id;
  start.emitter = emitter;
  if (by_emitter(sound)) join_emitter(start);
  start.earlier = std::exchange(sound.latest, &start);
  if (start.earlier != nullptr)
    start.earlier->later = &start;
  else
    join_group(sound);
  ++sound.home->playing;
  return start;
}

inline LiveLayer& Starts::add_layer(LiveStart& start) {
  LiveLayer& layer = take(layers_, free_layers_);
  layer.start = &start;
  // Behind the first, which leads the others.
  LiveLayer*& place = start.layers == nullptr ? start.layers : start.layers->next;
  layer.next = std::exchange(place, &layer);
  ++start.alive;
  return layer;
}

}  // namespace tidewater
