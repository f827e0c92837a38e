#pragma once
#include <cmath>

namespace tidewater {

/// Amplitude of a fade whose loudness, not its amplitude, moves in a straight line: half way it sounds half as
/// loud, which is 10 dB down (Stevens 1955). x^(log2(10)/2), with x from 0 to 1.
inline double equal_loudness_fade(double x) {
  constexpr double exponent = 1.6609640474436813;
  return x <= 0 ? 0.0 : x >= 1 ? 1.0 : std::pow(x, exponent);
}

}  // namespace tidewater
