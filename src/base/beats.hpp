#pragma once
#include <cmath>
#include <cstdint>

#include "tidewater/units.hpp"

namespace tidewater {

/// The frame of a beat, counted from beat 0: round(beat * 60 / tempo * rate), in whole numbers. It is always computed from the beginning,
/// so that no rounding adds up. Tempi are exact to a millionth of a beat a minute; rates are whole.
inline std::int64_t frame_of_beat(std::int64_t beat, Tempo tempo, Hertz rate) {
  constexpr std::int64_t parts = 1'000'000;
  const std::int64_t per = std::llround(tempo.value * parts), frames_a_minute = 60 * std::llround(rate.value);
  // Whole minutes apart, since the product of all three may take more than 64 bits.
  const std::int64_t minutes = beat * parts / per, rest = beat * parts % per;
  return minutes * frames_a_minute + (2 * rest * frames_a_minute + per) / (2 * per);
}

}  // namespace tidewater
