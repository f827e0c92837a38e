#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>

namespace tidewater {

/// A value that moves to its target in a straight line over a number of frames, taken in pieces.
struct Ramp {
  double value = 0;
  double target = 0;
  std::int64_t left = 0;  ///< frames until the target is reached; 0 when it is

  static Ramp at(double v) { return {v, v, 0}; }

  void go(double to, std::int64_t frames) {
    if (!std::isfinite(to)) return;
    target = to;
    left = frames;
    if (left <= 0) value = to;
  }

  bool moving() const { return left > 0; }

  /// Moves on by `frames` and returns the value reached.
  double advance(std::int64_t frames) {
    if (left <= frames) {
      value = target;
      left = 0;
    } else {
      value += (target - value) * static_cast<double>(frames) / static_cast<double>(left);
      left -= frames;
    }
    return value;
  }
};

}  // namespace tidewater
