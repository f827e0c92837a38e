#pragma once
/// Places in the world, what sounds there, and who hears it.
///
///     const Emitter buoy = manager.make_emitter({.place = {40, 0, -120}});
///     manager.set_listener(0, {.place = camera.at, .facing = camera.ahead});
///     manager.raise("buoy.rang", {}, buoy);
///
/// Axes as in OpenAL 1.1 and the W3C's Web Audio: right-handed, x to the right, y up, and who faces nowhere in particular faces -z.
/// Lengths in metres.

#include <cstdint>
#include <span>

#include "tidewater/trait.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// Metres from the world's origin. Kept to a 1024th of a metre, within 1,000 km either way: 100 km out it sounds as it does at the origin.
struct Place {
  double x = 0, y = 0, z = 0;
  friend constexpr bool operator==(const Place&, const Place&) = default;
};

/// A direction of any length, or a velocity in metres a second.
struct Vector {
  float x = 0, y = 0, z = 0;
  friend constexpr bool operator==(const Vector&, const Vector&) = default;
};

/// A thing in the world that sounds: small, copyable, safe to keep after the thing is gone. Zero is none. It belongs to the manager that
/// made it; to another it is whatever that one has under the same number, if anything.
struct Emitter {
  std::uint64_t number = 0;
  constexpr explicit operator bool() const { return number != 0; }
  friend constexpr bool operator==(Emitter, Emitter) = default;
};

/// What an emitter begins with.
struct EmitterDesign {
  Place place = {};      ///< of one that hangs on another: from that one, along its axes
  Vector velocity = {};  ///< by which its pitch rises and falls; of one that hangs on another, on top of that one's
  Vector facing = {};    ///< for sounds that have a cone; zero for all round
  Emitter parent = {};   ///< it hangs on this one and goes where it goes
  std::span<const Trait> traits =
      {};  ///< of all that is raised on it, as far as a raise does not say otherwise; a child has its parent's, too
};

inline constexpr std::size_t most_listeners = 8;

/// Who hears. The place may be the character's and the facing the camera's.
struct Listener {
  Place place = {};
  Vector facing{0, 0, -1};
  Vector up{0, 1, 0};
  Vector velocity = {};
  Decibels gain = {};  ///< 0 dB, or below to turn this one down
};

}  // namespace tidewater
