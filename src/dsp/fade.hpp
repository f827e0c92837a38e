#pragma once
#include <cmath>
#include <cstdint>
#include <numbers>

#include "dsp/smooth.hpp"

namespace tidewater {

/// Amplitude of a fade whose loudness, not its amplitude, moves in a straight line: half way it sounds half as
/// loud, which is 10 dB down (Stevens 1955). x^(log2(10)/2), with x from 0 to 1.
inline constexpr double fade_exponent = 1.6609640474436813;
inline double equal_loudness_fade(double x) { return x <= 0 ? 0.0 : x >= 1 ? 1.0 : std::pow(x, fade_exponent); }

/// The laws of fades.
enum class FadeLaw : std::uint8_t {
  equal_loudness,  ///< the loudness moves evenly
  equal_power,     ///< sine and cosine: two unlike signals that cross are as loud together as each is alone
  straight,        ///< the amplitude moves evenly: two like signals that cross are as loud together as each is alone
};

/// A fade in, `done` of `length` frames in. At its loud end that law breaks off at a slope, which is heard as a click
/// where the fade is short (-49 dB above 4 kHz in 5 ms, -66 in 40): shorter ones go as `Smooth` does.
inline Moving fade(std::int64_t done, std::int64_t length, std::int32_t shortest, FadeLaw law = FadeLaw::equal_loudness) {
  const double x = static_cast<double>(done) / static_cast<double>(length);
  const double a_frame = 1 / static_cast<double>(length);
  const bool is_short = length < 8 * static_cast<std::int64_t>(shortest);
  const Moving smooth{x * x * (3 - 2 * x), 6 * x * (1 - x) * a_frame};
  if (law == FadeLaw::equal_power) {
    // A short fade follows the same sine, but its slope is zero at both ends, so that it does not click.
    constexpr double quarter = std::numbers::pi / 2;
    const Moving way = is_short ? smooth : Moving{x, a_frame};
    return {std::sin(quarter * way.value), quarter * std::cos(quarter * way.value) * way.slope};
  }
  if (is_short) return smooth;
  if (law == FadeLaw::straight) return {x, a_frame};
  return {equal_loudness_fade(x), fade_exponent * std::pow(x, fade_exponent - 1) * a_frame};
}

}  // namespace tidewater
