#include "world/emitters.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include "bank/bank_data.hpp"
#include "base/held_to.hpp"

namespace tidewater {
namespace {

constexpr std::size_t at_a_time = 1024;  // of a span, with the lock: some microseconds
constexpr float no_number = std::numeric_limits<float>::quiet_NaN();

using Axis = std::array<double, 3>;

/// The axes of a thing that faces somewhere, y being up; who faces -z, or nowhere, has the world's.
struct Axes {
  Axis right{1, 0, 0}, up{0, 1, 0}, back{0, 0, 1};
};
Axes axes_of(const Whereabouts& at) {
  const double x = at.facing_x, y = at.facing_y, z = at.facing_z;
  const double level = std::sqrt(x * x + z * z);
  if (level == 0) return {};
  const double length = std::sqrt(x * x + y * y + z * z);
  const Axis ahead{x / length, y / length, z / length};
  const Axis right{-z / level, 0, x / level};
  return {right,
          {right[1] * ahead[2] - right[2] * ahead[1], right[2] * ahead[0] - right[0] * ahead[2], right[0] * ahead[1] - right[1] * ahead[0]},
          {-ahead[0], -ahead[1], -ahead[2]}};
}
Axis turned(const Axes& axes, const Axis& own) {
  Axis in_world{};
  for (std::size_t i = 0; i < 3; ++i) in_world[i] = axes.right[i] * own[0] + axes.up[i] * own[1] + axes.back[i] * own[2];
  return in_world;
}

/// Within what a place may be.
std::int32_t in_reach(double units) {
  constexpr double most = furthest_place * place_unit;
  return in_units(std::clamp(units, -most, most), 1);
}

/// Where a child is in the world.
Whereabouts on(const Whereabouts& parent, const Whereabouts& own) {
  const Axes axes = axes_of(parent);
  const Axis place = turned(axes, {static_cast<double>(own.x), static_cast<double>(own.y), static_cast<double>(own.z)});
  const Axis facing =
      turned(axes, {static_cast<double>(own.facing_x), static_cast<double>(own.facing_y), static_cast<double>(own.facing_z)});
  Whereabouts at;
  at.x = in_reach(parent.x + place[0]);
  at.y = in_reach(parent.y + place[1]);
  at.z = in_reach(parent.z + place[2]);
  constexpr std::int32_t fastest = static_cast<std::int32_t>(fastest_thing * velocity_unit);
  at.vx = std::clamp(parent.vx + own.vx, -fastest, fastest);
  at.vy = std::clamp(parent.vy + own.vy, -fastest, fastest);
  at.vz = std::clamp(parent.vz + own.vz, -fastest, fastest);
  const bool own_facing = own.facing_x != 0 || own.facing_y != 0 || own.facing_z != 0;
  at.facing_x = own_facing ? static_cast<std::int16_t>(in_units(facing[0], 1)) : parent.facing_x;
  at.facing_y = own_facing ? static_cast<std::int16_t>(in_units(facing[1], 1)) : parent.facing_y;
  at.facing_z = own_facing ? static_cast<std::int16_t>(in_units(facing[2], 1)) : parent.facing_z;
  return at;
}

}  // namespace

Emitters::Emitters(std::size_t capacity) : capacity_(capacity) {
  x_.reserve(capacity), y_.reserve(capacity), z_.reserve(capacity);
  motion_.reserve(capacity), generation_.reserve(capacity), live_.reserve(capacity), child_.reserve(capacity), free_.reserve(capacity);
  gauges_.reserve(most_gauges);
}

std::uint32_t Emitters::add_slot() {
  if (!free_.empty()) {
    const std::uint32_t slot = free_.back();
    free_.pop_back();
    return slot;
  }
  if (x_.size() == capacity_) return none;
  x_.push_back(0), y_.push_back(0), z_.push_back(0);
  motion_.emplace_back(), generation_.push_back(0), live_.push_back(none), child_.push_back(0);
  return static_cast<std::uint32_t>(x_.size() - 1);
}

void Emitters::put(std::uint32_t slot, const Whereabouts& at) {
  x_[slot] = at.x, y_[slot] = at.y, z_[slot] = at.z;
  motion_[slot] = {at.vx, at.vy, at.vz, at.facing_x, at.facing_y, at.facing_z};
}

Whereabouts Emitters::newest(std::uint32_t slot) const {
  const Motion& m = motion_[slot];
  return {x_[slot], y_[slot], z_[slot], m.vx, m.vy, m.vz, m.facing_x, m.facing_y, m.facing_z};
}

Emitter Emitters::make(const EmitterDesign& design) {
  if (!is_finite(design.place) || !is_finite(design.velocity) || !is_finite(design.facing)) return {};
  Whereabouts at;
  set_place(at, design.place);
  set_velocity(at, design.velocity);
  set_facing(at, design.facing);
  OwnTraits own;
  for (const Trait& trait : design.traits) {
    own.texts.emplace_back(trait.name.text());
    own.texts.emplace_back(trait.value.text());
  }
  for (std::size_t i = 0; i < own.texts.size(); i += 2) own.traits.push_back({Name(own.texts[i]), Name(own.texts[i + 1])});
  Emitter made;
  {
    const std::lock_guard lock(mutex_);
    if (design.parent && !there(design.parent)) return {};
    const std::uint32_t slot = add_slot();
    if (slot == none) return {};
    live_[slot] = generation_[slot];
    put(slot, at);
    made = emitter_in(slot, generation_[slot]);
    if (!own.traits.empty()) traits_[slot] = std::move(own);
    if (const std::uint8_t scope = number_of_scope(design.scope.text()); scope != 0 || slot < scope_.size()) {
      if (scope_.size() <= slot) scope_.resize(slot + std::size_t{1});
      scope_[slot] = scope;
      any_scopes_ = true;
    }
  }
  if (!design.parent || attach(made, design.parent)) return made;
  remove(made);  // the chain is as long as one may be: nothing is made that would be heard from a wrong place
  return {};
}

bool Emitters::remove(Emitter emitter) {
  const std::lock_guard lock(mutex_);
  if (!there(emitter)) return false;
  remove_slot(slot_in(emitter));
  return true;
}

void Emitters::remove_slot(std::uint32_t slot) {
  if (child_[slot] != 0) {
    put(slot, in_world(slot));
    detach(slot);
  }
  live_[slot] = none;
  gone_.push_back(emitter_in(slot, generation_[slot]));
}

template <class Given, class Take>
std::size_t Emitters::each_of(std::span<const Emitter> emitters, std::span<const Given> given, Take take) {
  const std::size_t count = std::min(emitters.size(), given.size());
  std::size_t taken = 0;
  for (std::size_t at = 0; at < count; at += at_a_time) {
    const std::lock_guard lock(mutex_);
    for (std::size_t i = at; i < std::min(count, at + at_a_time); ++i) taken += there(emitters[i]) && take(slot_in(emitters[i]), given[i]);
  }
  return taken;
}

std::size_t Emitters::place(std::span<const Emitter> emitters, std::span<const Place> places) {
  const std::size_t count = std::min(emitters.size(), places.size());
  std::size_t taken = 0;
  for (std::size_t at = 0; at < count; at += at_a_time) {
    const std::size_t some = std::min(count - at, at_a_time);
    const std::lock_guard lock(mutex_);
    taken += put(emitters.subspan(at, some), places.data() + at);
  }
  return taken;
}

/// By itself, so that all it goes by stays in registers.
std::size_t Emitters::put(std::span<const Emitter> emitters, const Place* places) {
  std::int32_t *const to_x = x_.data(), *const to_y = y_.data(), *const to_z = z_.data();
  const std::uint32_t *const live = live_.data(), *const child = child_.data();
  const std::size_t slots = live_.size();
  std::size_t taken = 0;
  for (std::size_t i = 0; i < emitters.size(); ++i) {
    const std::uint32_t slot = slot_in(emitters[i]);
    if (slot >= slots || live[slot] != generation_in(emitters[i]) || !is_near_enough(places[i])) continue;  // nor is what is no number
    const std::int32_t x = in_units(places[i].x, place_unit), y = in_units(places[i].y, place_unit), z = in_units(places[i].z, place_unit);
    ++taken;
    if (child[slot] != 0) {
      Whereabouts& own = children_[child[slot] - 1].own;
      own.x = x, own.y = y, own.z = z;
      continue;
    }
    to_x[slot] = x, to_y[slot] = y, to_z[slot] = z;
  }
  return taken;
}

/// What is not a place, of roots in the world and of children from their parents.
template <class Set>
std::size_t Emitters::change(std::span<const Emitter> emitters, std::span<const Vector> values, Set set) {
  return each_of(emitters, values, [&](std::uint32_t slot, const Vector& value) {
    if (!is_finite(value)) return false;
    Whereabouts its = child_[slot] != 0 ? children_[child_[slot] - 1].own : newest(slot);
    set(its, value);
    if (child_[slot] != 0)
      children_[child_[slot] - 1].own = its;
    else
      put(slot, its);
    return true;
  });
}

std::size_t Emitters::set_velocities(std::span<const Emitter> emitters, std::span<const Vector> velocities) {
  return change(emitters, velocities, set_velocity);
}

std::size_t Emitters::face(std::span<const Emitter> emitters, std::span<const Vector> facings) {
  return change(emitters, facings, set_facing);
}

std::size_t Emitters::set_gauge(Name gauge, std::span<const Emitter> emitters, std::span<const float> values) {
  Gauge* its = nullptr;
  GaugeDesign design;
  {
    const std::lock_guard lock(mutex_);
    for (Gauge& known : gauges_)
      if (known.hash == gauge.hash()) its = &known;  // never moved
    if (its == nullptr) return 0;
    design = its->design;
  }
  const HeldTo<float> hold(design);
  const std::size_t count = std::min(emitters.size(), values.size());
  std::array<float, at_a_time> held{};
  std::size_t taken = 0;
  for (std::size_t at = 0; at < count; at += at_a_time) {
    const std::size_t some = std::min(count - at, at_a_time);
    for (std::size_t i = 0; i < some; ++i) held[i] = hold(values[at + i] - values[at + i] == 0 ? values[at + i] : no_number);
    const std::lock_guard lock(mutex_);
    taken += tell(emitters.subspan(at, some), held.data(), room_for(*its, 0));
  }
  return taken;
}

/// By itself, so that all it goes by stays in registers.
std::size_t Emitters::tell(std::span<const Emitter> emitters, const float* held, float* told) const {
  const std::uint32_t* const live = live_.data();
  const std::size_t slots = live_.size();
  std::size_t taken = 0;
  for (std::size_t i = 0; i < emitters.size(); ++i) {
    const std::uint32_t slot = slot_in(emitters[i]);
    if (slot >= slots || live[slot] != generation_in(emitters[i]) || held[i] != held[i]) continue;
    told[slot] = held[i];
    ++taken;
  }
  return taken;
}

bool Emitters::knows_gauge(Name gauge) const {
  const std::lock_guard lock(mutex_);
  return std::any_of(gauges_.begin(), gauges_.end(), [&](const Gauge& its) { return its.hash == gauge.hash(); });
}

/// All of it at once: whoever is the first to tell one of a gauge waits for the memory.
float* Emitters::room_for(Gauge& gauge, std::uint32_t slot) {
  if (gauge.values.empty()) {
    gauge.values.resize(capacity_, static_cast<float>(untold));
    any_gauges_ = true;
  }
  return &gauge.values[slot];
}

void Emitters::know_gauge(std::uint32_t number, Name gauge, const GaugeDesign& design) {
  const std::lock_guard lock(mutex_);
  if (number == gauges_.size()) return gauges_.push_back({gauge.hash(), design, {}});
  Gauge& its = gauges_[number];
  if (its.design == design) return;
  its.design = design;
  const HeldTo<float> hold(design);
  for (float& value : its.values)
    if (static_cast<double>(value) != untold) value = hold(value);
}

double Emitters::gauge(std::uint32_t number, Emitter emitter) const {
  const std::vector<float>& values = gauges_[number].values;
  if (values.empty()) return untold;
  for (int depth = 0; depth <= deepest && there(emitter); ++depth) {
    if (const auto value = static_cast<double>(values[slot_in(emitter)]); value != untold) return value;
    const std::uint32_t child = child_[slot_in(emitter)];
    emitter = child == 0 ? Emitter{} : children_[child - 1].parent;
  }
  return untold;
}

void Emitters::adopt_gauge(std::uint32_t number, Emitter emitter, double value) {
  const std::lock_guard lock(mutex_);
  if (there(emitter)) *room_for(gauges_[number], slot_in(emitter)) = static_cast<float>(value);
}

double Emitters::set_gauge(std::uint32_t number, Emitter emitter, double value) {
  adopt_gauge(number, emitter, value);
  any_gauges_ = true;
  return static_cast<double>(static_cast<float>(value));
}

void Emitters::detach(std::uint32_t slot) {
  const std::uint32_t at = std::exchange(child_[slot], 0) - 1;
  children_[at] = children_.back();
  children_.pop_back();
  if (at < children_.size()) child_[children_[at].slot] = at + 1;
}

bool Emitters::attach(Emitter emitter, Emitter parent) {
  const std::lock_guard lock(mutex_);
  if (!there(emitter)) return false;
  const std::uint32_t slot = slot_in(emitter);
  if (!parent) {
    if (child_[slot] == 0) return true;
    put(slot, in_world(slot));
    detach(slot);
    return true;
  }
  int depth = 1;
  for (Emitter above = parent; above; ++depth) {
    if (!there(above) || above == emitter || depth == deepest) return false;
    const std::uint32_t its = child_[slot_in(above)];
    above = its == 0 ? Emitter{} : children_[its - 1].parent;
    if (above && !there(above)) break;  // that one is gone, and this one stays where it was
  }
  if (child_[slot] != 0) {
    children_[child_[slot] - 1].parent = parent;
    return true;
  }
  children_.push_back({slot, parent, newest(slot)});
  child_[slot] = static_cast<std::uint32_t>(children_.size());
  put(slot, in_world(slot));
  return true;
}

Whereabouts Emitters::in_world(std::uint32_t slot, int depth) const {
  if (child_[slot] == 0) return newest(slot);
  const Child& child = children_[child_[slot] - 1];
  // Of a parent that is gone the last place is what it left; what hangs too deep stays where it was.
  if (!there(child.parent) || depth == 2 * deepest) return newest(slot);
  return on(in_world(slot_in(child.parent), depth + 1), child.own);
}

bool Emitters::is_full() const {
  const std::lock_guard lock(mutex_);
  return free_.empty() && x_.size() == capacity_;
}

std::optional<Whereabouts> Emitters::whereabouts(Emitter emitter) const {
  const std::lock_guard lock(mutex_);
  if (!there(emitter)) return std::nullopt;
  return in_world(slot_in(emitter));
}

void Emitters::adopt(Emitter emitter, const Whereabouts& at) {
  const std::lock_guard lock(mutex_);
  const std::uint32_t slot = slot_in(emitter);
  if (slot >= capacity_) return;
  while (x_.size() <= slot) {
    x_.push_back(0), y_.push_back(0), z_.push_back(0);
    motion_.emplace_back(), generation_.push_back(0), live_.push_back(none), child_.push_back(0);
  }
  if (generation_[slot] != generation_in(emitter)) forget_gauges(slot);
  generation_[slot] = generation_in(emitter);
  live_[slot] = generation_in(emitter);
  put(slot, at);
}

void Emitters::bring_children_along() {
  for (std::size_t at = 0;; at += at_a_time) {
    const std::lock_guard lock(mutex_);
    if (at >= children_.size()) return;
    for (std::size_t i = at; i < std::min(children_.size(), at + at_a_time); ++i) put(children_[i].slot, in_world(children_[i].slot));
  }
}

void Emitters::take_gone(std::vector<Emitter>& gone) {
  const std::lock_guard lock(mutex_);
  gone.clear();
  gone.swap(gone_);
  for (const Emitter emitter : gone) {
    const std::uint32_t slot = slot_in(emitter);
    ++generation_[slot];
    free_.push_back(slot);
    if (!traits_.empty()) traits_.erase(slot);
    forget_gauges(slot);
  }
}

void Emitters::forget_gauges(std::uint32_t slot) {
  for (Gauge& its : gauges_)
    if (!its.values.empty()) its.values[slot] = static_cast<float>(untold);
}

std::size_t Emitters::slots() const {
  const std::lock_guard lock(mutex_);
  return x_.size();
}

}  // namespace tidewater
