#pragma once
/// Places in the world, what sounds there, and who hears it.
///
///     const Emitter buoy = manager.make_emitter({.place = {40, 0, -120}});
///     manager.set_listener(0, {.place = camera.at, .facing = camera.ahead});
///     manager.raise("buoy.rang", {}, buoy);
///
/// Axes as in OpenAL 1.1 and the W3C's Web Audio: right-handed, x to the right, y up; the default direction is -z. Lengths in metres.

#include <cstdint>
#include <span>

#include "tidewater/export.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// Metres from the world's origin, up to 1,000 km either way. Rounded to 1/1024 m, so that precision is the same everywhere.
struct Place {
  double x = 0, y = 0, z = 0;
  friend constexpr bool operator==(const Place&, const Place&) = default;
};

/// A direction of any length, or a velocity in metres a second.
struct Vector {
  float x = 0, y = 0, z = 0;
  friend constexpr bool operator==(const Vector&, const Vector&) = default;
};

/// A handle of a thing in the world that sounds. Small, copyable, safe to keep after the emitter was removed. Zero is none. Use it only
/// with the manager that made it: another manager may have an emitter of the same number.
struct Emitter {
  std::uint64_t number = 0;
  constexpr explicit operator bool() const { return number != 0; }
  friend constexpr bool operator==(Emitter, Emitter) = default;
};

/// The initial values of an emitter. With a parent, place and directions are relative to the parent, along the parent's axes.
struct EmitterDesign {
  Place place = {};                    ///< where it is
  Vector velocity = {};                ///< for the Doppler effect; added to the parent's
  Vector facing = {};                  ///< for sounds that have a cone; zero for none
  Emitter parent = {};                 ///< the emitter that it is attached to
  std::span<const Trait> traits = {};  ///< of every raise on it that has none of the name; attached emitters inherit them
  ScopeName scope{""};  ///< scope of every raise on it; attached emitters inherit it. When the scope ends, the emitter is removed
};

inline constexpr std::size_t most_listeners = 8;

/// The ears in the world. The place may be the character's and the facing the camera's.
struct Listener {
  Place place = {};
  Vector facing{0, 0, -1};
  Vector up{0, 1, 0};
  Vector velocity = {};
  Decibels gain = {};  ///< level of all that this listener hears
};

}  // namespace tidewater
