#pragma once
#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

#include "tidewater/world.hpp"

namespace tidewater {

/// Where a thing is and how it moves, as decisions take it and a journal keeps it: in whole numbers, so that what is written is what
/// was decided by, and 100 km from the origin is as exact as at the origin.
struct Whereabouts {
  std::int32_t x = 0, y = 0, z = 0;                       ///< 1024ths of a metre
  std::int32_t vx = 0, vy = 0, vz = 0;                    ///< 64ths of a metre a second
  std::int16_t facing_x = 0, facing_y = 0, facing_z = 0;  ///< of a unit vector, times `facing_unit`; zero for none
  friend constexpr bool operator==(const Whereabouts&, const Whereabouts&) = default;
};

inline constexpr double place_unit = 1024, velocity_unit = 64, facing_unit = 1024;
/// Metres either way: differences of two places fit.
inline constexpr double furthest_place = 1e6;
/// Metres a second: what is faster counts as this.
inline constexpr double fastest_thing = 1e4;

constexpr bool is_finite(const Place& p) { return p.x - p.x == 0 && p.y - p.y == 0 && p.z - p.z == 0; }
constexpr bool is_finite(const Vector& v) { return v.x - v.x == 0 && v.y - v.y == 0 && v.z - v.z == 0; }
constexpr bool is_near_enough(const Place& p) {
  return p.x >= -furthest_place && p.x <= furthest_place && p.y >= -furthest_place && p.y <= furthest_place && p.z >= -furthest_place &&
         p.z <= furthest_place;
}

/// To the nearest unit, halves to even ones: what is added has the whole number in the lower bits of the sum.
inline std::int32_t in_units(double value, double unit) {
  constexpr double shift = 0x1.8p52;
  return static_cast<std::int32_t>(static_cast<std::uint32_t>(std::bit_cast<std::uint64_t>(value * unit + shift)));
}
inline std::int32_t in_units(double value, double unit, double most) { return in_units(std::clamp(value, -most, most), unit); }

// Of what is finite.

inline void set_place(Whereabouts& to, const Place& place) {
  to.x = in_units(place.x, place_unit, furthest_place);
  to.y = in_units(place.y, place_unit, furthest_place);
  to.z = in_units(place.z, place_unit, furthest_place);
}
inline void set_velocity(Whereabouts& to, const Vector& v) {
  to.vx = in_units(static_cast<double>(v.x), velocity_unit, fastest_thing);
  to.vy = in_units(static_cast<double>(v.y), velocity_unit, fastest_thing);
  to.vz = in_units(static_cast<double>(v.z), velocity_unit, fastest_thing);
}
inline void set_facing(Whereabouts& to, const Vector& facing) {
  const double x = static_cast<double>(facing.x), y = static_cast<double>(facing.y), z = static_cast<double>(facing.z);
  double length = std::sqrt(x * x + y * y + z * z);
  constexpr double as_good_as_one = 0.002;  // so that what was kept is kept again as it is
  if (std::abs(length - 1) < as_good_as_one) length = 1;
  const auto part = [&](double value) {
    return length > 0 ? static_cast<std::int16_t>(in_units(value / length, facing_unit, 1)) : std::int16_t{0};
  };
  to.facing_x = part(x);
  to.facing_y = part(y);
  to.facing_z = part(z);
}

inline Place place_of(const Whereabouts& w) { return {w.x / place_unit, w.y / place_unit, w.z / place_unit}; }
inline Vector velocity_of(const Whereabouts& w) {
  return {static_cast<float>(w.vx / velocity_unit), static_cast<float>(w.vy / velocity_unit), static_cast<float>(w.vz / velocity_unit)};
}
inline Vector facing_of(const Whereabouts& w) {
  return {static_cast<float>(w.facing_x / facing_unit), static_cast<float>(w.facing_y / facing_unit),
          static_cast<float>(w.facing_z / facing_unit)};
}

}  // namespace tidewater
