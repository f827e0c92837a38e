#pragma once
#include <array>
#include <cstdint>

#include "terms/level.hpp"
#include "tidewater/gauge.hpp"

namespace tidewater {

/// How a thing in the world is heard where a listener is: what its place does to a sound, on top of all else.
struct HeardFrom {
  Level level;                               ///< as decisions take it; inaudible beyond `far`
  float metres = 0;                          ///< from the listener that counts
  std::array<float, 8> channels{};           ///< amplitudes: the level, spread over the layout's speakers
  float low_pass = 0;                        ///< hertz that the air leaves; 0 for all
  float speed = 1;                           ///< of the sound: above 1 while it comes nearer
  std::array<float, ready_gauges> gauges{};  ///< by ReadyGauge; only for sounds that go by them
};

}  // namespace tidewater
