#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "dsp/kernels.hpp"

namespace tidewater {

/// What is shorter clicks: changes of level, place and filter take at least this long, at any rate.
inline constexpr double shortest_change_seconds = 0.005;
inline std::int32_t shortest_change(double rate) {
  return std::max(1, static_cast<std::int32_t>(std::lround(shortest_change_seconds * rate)));
}

/// A value that moves to its target along 3u^2 - 2u^3, so that neither it nor its slope ever jumps: what 5 ms of it leave
/// of a tone above 4 kHz lies 86 dB below (a straight line: 53 dB). A new target while it moves does not stop it at once:
/// its slope is carried off over the shortest change.
///
/// Until the next knot it is one cubic, so that kernels can follow it frame by frame.
class Smooth {
 public:
  static Smooth at(double v) {
    Smooth s;
    s.value_ = s.from_ = s.target_ = std::isfinite(v) ? static_cast<float>(v) : 0;
    return s;
  }

  /// `least` is the shortest change, in frames. What is not finite is no target.
  void go(double to, std::int64_t frames, std::int32_t least) {
    const auto aim = static_cast<float>(to);
    if (!std::isfinite(aim) || (aim == target_ && !moving())) return;
    const double speed = slope();
    drift_left_ = speed == 0 ? 0 : on_grid(least);
    drift_span_ = static_cast<float>(speed * drift_left_);
    drift_inverse_ = inverse(drift_left_);
    from_ = value_;
    target_ = aim;
    left_ = on_grid(std::max<std::int64_t>(frames, least));
    inverse_ = inverse(left_);
  }

  double value() const { return static_cast<double>(value_); }
  double target() const { return static_cast<double>(target_); }
  bool moving() const { return left_ > 0 || drift_left_ > 0; }

  /// A frame.
  double slope() const {
    double slope = 0;
    if (left_ > 0) {
      const double u = passed(left_, inverse_);
      slope += rise() * 6 * u * (1 - u) * static_cast<double>(inverse_);
    }
    if (drift_left_ > 0) {
      const double u = passed(drift_left_, drift_inverse_);
      slope += static_cast<double>(drift_span_) * static_cast<double>(drift_inverse_) * (1 - u) * (1 - 3 * u);
    }
    return slope;
  }

  /// Its cubic until the next knot.
  kernels::Curve curve() const {
    double square = 0, cube = 0;
    if (left_ > 0) {
      const auto a_frame = static_cast<double>(inverse_);
      square += rise() * (3 - 6 * passed(left_, inverse_)) * a_frame * a_frame;
      cube -= 2 * rise() * a_frame * a_frame * a_frame;
    }
    if (drift_left_ > 0) {
      const auto a_frame = static_cast<double>(drift_inverse_);
      const double span = static_cast<double>(drift_span_) * a_frame * a_frame;
      square += span * (3 * passed(drift_left_, drift_inverse_) - 2);
      cube += span * a_frame;
    }
    return {value_, static_cast<float>(slope()), static_cast<float>(square), static_cast<float>(cube)};
  }

  /// Frames until it is there.
  std::int32_t left() const { return left_; }
  /// Up to a whole number of quanta: what begins with one has its knots between them.
  static std::int32_t on_grid(std::int64_t frames) {
    constexpr std::int64_t grid = 64;
    return static_cast<std::int32_t>(std::min<std::int64_t>((frames + grid - 1) / grid * grid, std::int64_t{1} << 30));
  }

  /// Frames until its law changes.
  std::int64_t knot() const {
    std::int64_t next = std::numeric_limits<std::int64_t>::max();
    if (left_ > 0) next = left_;
    if (drift_left_ > 0) next = std::min<std::int64_t>(next, drift_left_);
    return next;
  }

  double advance(std::int64_t frames) {
    left_ = static_cast<std::int32_t>(std::max<std::int64_t>(0, left_ - frames));
    drift_left_ = static_cast<std::int32_t>(std::max<std::int64_t>(0, drift_left_ - frames));
    double now = target();
    if (left_ > 0) {
      const double u = passed(left_, inverse_);
      now = static_cast<double>(from_) + rise() * u * u * (3 - 2 * u);
    }
    if (drift_left_ > 0) {
      const double u = passed(drift_left_, drift_inverse_);
      now += static_cast<double>(drift_span_) * u * (1 - u) * (1 - u);
    }
    value_ = static_cast<float>(now);
    return value();
  }

 private:
  static float inverse(std::int32_t frames) { return frames > 0 ? 1 / static_cast<float>(frames) : 0; }
  static double passed(std::int32_t left, float inverse) { return 1 - static_cast<double>(left) * static_cast<double>(inverse); }
  double rise() const { return static_cast<double>(target_) - static_cast<double>(from_); }

  // Small: a voice has eight of them.
  float value_ = 0, from_ = 0, target_ = 0;
  float inverse_ = 0;  ///< of the length
  // The slope it had when it got its target goes on for a while: span * u * (1 - u)^2.
  float drift_span_ = 0, drift_inverse_ = 0;
  std::int32_t left_ = 0, drift_left_ = 0;
};

/// A value and its slope a frame.
struct Moving {
  double value = 0, slope = 0;
  friend Moving operator*(Moving a, Moving b) { return {a.value * b.value, a.value * b.slope + a.slope * b.value}; }
  friend Moving operator*(Moving a, double b) { return {a.value * b, a.slope * b}; }
};

/// The cubic that goes from one to the other over `count` frames with those values and slopes (Hermite).
inline kernels::Curve curve(Moving from, Moving to, int count) {
  const double n = count;
  const double rise = (to.value - from.value) / n;
  return {static_cast<float>(from.value), static_cast<float>(from.slope), static_cast<float>((3 * rise - 2 * from.slope - to.slope) / n),
          static_cast<float>((from.slope + to.slope - 2 * rise) / (n * n))};
}

}  // namespace tidewater
