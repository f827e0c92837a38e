#pragma once
/// The game's side of the world: which emitters there are, and the newest that was told of each. Guarded by a lock of its own, so that
/// placing a hundred thousand things never waits for what decides; it is held for a thousand of them at a time.

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <deque>
#include <limits>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "base/few.hpp"
#include "terms/emitter_slot.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

/// The traits of one raise, its emitter's included.
using RaiseTraits = Few<Trait, 64>;

class Emitters {
 public:
  /// The value of a gauge that was not set for an emitter.
  static constexpr double untold = std::numeric_limits<double>::infinity();

  /// `capacity` is the most emitters at once.
  explicit Emitters(std::size_t capacity);

  // Thread: any.

  /// Returns none if there is no room, or if a number of the design is not a number.
  Emitter make(const EmitterDesign& design);
  /// Emitters that are attached to it stay where they are. Returns false if it is gone already.
  bool remove(Emitter emitter);
  /// Each returns how many values were set. Emitters that are gone, and values that are not numbers or out of range, are left out.
  std::size_t place(std::span<const Emitter> emitters, std::span<const Place> places);
  std::size_t set_velocities(std::span<const Emitter> emitters, std::span<const Vector> velocities);
  std::size_t face(std::span<const Emitter> emitters, std::span<const Vector> facings);
  /// Attaches to `parent`: the place is then relative to it, along its axes. No parent detaches where it is. Returns false if one is gone,
  /// or if the emitter would be attached to itself.
  bool attach(Emitter emitter, Emitter parent);

  /// Sets a known gauge. Values that are not numbers are left out.
  std::size_t set_gauge(Name gauge, std::span<const Emitter> emitters, std::span<const float> values);
  bool knows_gauge(Name gauge) const;

  bool is_full() const;
  /// The newest place in the world. None if the emitter is gone.
  std::optional<Whereabouts> whereabouts(Emitter emitter) const;
  /// Adds the emitter's traits and its parents' that `traits` has not yet, as far as there is room. Valid until `take_gone`.
  void add_traits(Emitter emitter, RaiseTraits& traits) const;

  /// Returns the name of the scope of an emitter, or else of its nearest parent that has one. Empty if none has. The text lives as long as
  /// this object.
  std::string_view scope(Emitter emitter) const {
    return any_scopes_.load(std::memory_order_relaxed) ? scope_of(emitter) : std::string_view();
  }
  /// Removes the emitters that name one of the scopes. `scopes` has the hashes of the scopes' names.
  void remove_of(std::span<const std::uint64_t> scopes);

  // For the control side.

  /// Emitters can have this gauge from here on, or its design changes. New gauges come in the order of their numbers, from 0.
  void know_gauge(std::uint32_t number, Name gauge, const GaugeDesign& design);
  /// The emitter's value of a gauge, or its nearest parent's; `untold` if none has one. With the lock held.
  double gauge(std::uint32_t number, Emitter emitter) const;
  /// Whether any gauge was ever set for an emitter.
  bool any_gauges() const { return any_gauges_.load(std::memory_order_relaxed); }
  /// In a replay.
  void adopt_gauge(std::uint32_t number, Emitter emitter, double value);
  /// Sets a known gauge, for a response. Returns the value as stored, rounded to a float.
  double set_gauge(std::uint32_t number, Emitter emitter, double value);

  /// In a replay: makes the emitter, if it is new, and sets its place.
  void adopt(Emitter emitter, const Whereabouts& at);
  /// Updates the places in the world of attached emitters.
  void bring_children_along();
  /// Returns the emitters that were removed since the last call, in order.
  void take_gone(std::vector<Emitter>& gone);
  /// How many slots were ever used.
  std::size_t slots() const;

  /// The newest places, by slot. Valid while the lock is held.
  struct Rows {
    const std::int32_t *x, *y, *z;
  };
  std::mutex& mutex() const { return mutex_; }
  Rows rows() const { return {x_.data(), y_.data(), z_.data()}; }
  /// With the lock.
  Whereabouts newest(std::uint32_t slot) const;
  std::uint32_t generation(std::uint32_t slot) const { return generation_[slot]; }

  template <class State>
  void state(State& s);

 private:
  static constexpr std::uint32_t none = ~0U;
  static constexpr int deepest = 16;  ///< most emitters in a chain of parents

  struct Motion {
    std::int32_t vx = 0, vy = 0, vz = 0;
    std::int16_t facing_x = 0, facing_y = 0, facing_z = 0;
  };
  /// One that hangs on another: where, in the axes of that one.
  struct Child {
    std::uint32_t slot = none;  ///< none: a free place
    Emitter parent;
    Whereabouts own;
  };
  struct Gauge {
    std::uint64_t hash = 0;
    GaugeDesign design;
    std::vector<float> values;  ///< by slot, as far as it was ever told
  };
  struct OwnTraits {
    std::vector<std::string> texts;
    std::vector<Trait> traits;
  };

  bool there(Emitter emitter) const {
    const std::uint32_t slot = slot_in(emitter);
    return slot < live_.size() && live_[slot] == generation_in(emitter);
  }
  template <class Given, class Take>
  std::size_t each_of(std::span<const Emitter> emitters, std::span<const Given> given, Take take);
  template <class Set>
  std::size_t change(std::span<const Emitter> emitters, std::span<const Vector> values, Set set);
  std::uint8_t number_of_scope(std::string_view name);
  std::string_view scope_of(Emitter emitter) const;
  void remove_slot(std::uint32_t slot);
  void put(std::uint32_t slot, const Whereabouts& at);
  std::uint32_t add_slot();
  void detach(std::uint32_t slot);
  std::size_t put(std::span<const Emitter> emitters, const Place* places);
  std::size_t tell(std::span<const Emitter> emitters, const float* held, float* told) const;
  void forget_gauges(std::uint32_t slot);
  float* room_for(Gauge& gauge, std::uint32_t slot);
  Whereabouts in_world(std::uint32_t slot, int depth = 0) const;

  mutable std::mutex mutex_;
  std::size_t capacity_;
  std::vector<std::int32_t> x_, y_, z_;
  std::vector<Motion> motion_;
  std::vector<std::uint32_t> generation_;
  std::vector<std::uint32_t> live_;   ///< its generation, or `none` where it is gone: what is asked of each that is told of
  std::vector<std::uint32_t> child_;  ///< place among the children, from 1; 0 for none
  std::vector<std::uint32_t> free_;
  std::vector<Child> children_;
  std::vector<Emitter> gone_;
  std::unordered_map<std::uint32_t, OwnTraits> traits_;
  std::deque<std::string> scope_names_;  ///< names of scopes that emitters have
  std::vector<std::uint8_t> scope_;      ///< by slot: 0, or the place among `scope_names_`, from 1; shorter if later slots have none
  std::vector<Gauge> gauges_;
  std::atomic<bool> any_gauges_{false}, any_scopes_{false};
};

template <class State>
void Emitters::state(State& s) {
  s.list(x_), s.list(y_), s.list(z_), s.list(motion_), s.list(generation_), s.list(live_), s.list(child_), s.list(free_);
  s.list(children_), s.list(gone_), s.list(scope_);
  s.each(scope_names_, [&](std::string& name) { s.text(name); });
  for (const std::uint8_t scope : scope_)
    if (scope > scope_names_.size()) return s.damage();
  if (!scope_.empty()) any_scopes_ = true;
  s.each(gauges_, [&](Gauge& its) {
    s(its.hash, its.design);
    s.list(its.values);
    if (!its.values.empty()) any_gauges_ = true;
  });
  std::vector<std::uint32_t> with_traits;
  for (const auto& [slot, ignored] : traits_) with_traits.push_back(slot);
  std::sort(with_traits.begin(), with_traits.end());
  s.list(with_traits);
  for (const std::uint32_t slot : with_traits) {
    OwnTraits& own = traits_[slot];
    s.each(own.texts, [&](std::string& text) { s.text(text); });
    if constexpr (State::reading)
      for (std::size_t i = 0; i + 1 < own.texts.size(); i += 2) own.traits.push_back({Name(own.texts[i]), Name(own.texts[i + 1])});
  }
}

}  // namespace tidewater
