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
    drift_length_ = speed == 0 ? 0 : on_grid(least);
    drift_span_ = static_cast<float>(speed * drift_length_);
    from_ = value_;
    target_ = aim;
    passed_ = 0;
    left_ = on_grid(std::max<std::int64_t>(frames, least));
    inverse_ = 1 / static_cast<float>(left_);
  }

  double value() const { return static_cast<double>(value_); }
  double target() const { return static_cast<double>(target_); }
  bool moving() const { return left_ > 0; }

  /// A frame.
  double slope() const { return moving() ? law().slope(passed_) : 0; }

  /// Its cubic until the next knot.
  kernels::Curve curve() const { return moving() ? law().from(passed_) : kernels::Curve{value_}; }
  /// As many pieces of it, one after the other, as lie before the next knot.
  void curves(kernels::Curve* pieces, int count) const {
    const Law its = law();
    for (int i = 0; i < count; ++i) pieces[i] = its.from(passed_ + i * kernels::curve_length);
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
    if (drifts()) return drift_length_ - passed_;
    return left_ > 0 ? left_ : std::numeric_limits<std::int64_t>::max();
  }

  double advance(std::int64_t frames) {
    if (left_ <= frames) {
      left_ = passed_ = drift_length_ = 0;
      value_ = target_;
    } else {
      left_ -= static_cast<std::int32_t>(frames);
      passed_ += static_cast<std::int32_t>(frames);
      value_ = static_cast<float>(law().at(passed_));
    }
    return value();
  }

 private:
  bool drifts() const { return passed_ < drift_length_; }

  /// By frames since it got its target: 3u^2 - 2u^3 of the way, and while it drifts u (1 - u)^2 of what its slope would have made.
  struct Law {
    double constant, first, square, cube;
    double at(double n) const { return ((cube * n + square) * n + first) * n + constant; }
    double slope(double n) const { return (3 * cube * n + 2 * square) * n + first; }
    kernels::Curve from(double n) const {
      return {static_cast<float>(at(n)), static_cast<float>(slope(n)), static_cast<float>(3 * cube * n + square), static_cast<float>(cube)};
    }
  };
  /// Until the next knot, whatever the pieces in which it is followed.
  Law law() const {
    const auto a_frame = static_cast<double>(inverse_);
    const double bend = (static_cast<double>(target_) - static_cast<double>(from_)) * a_frame * a_frame;
    Law its{static_cast<double>(from_), 0, 3 * bend, -2 * bend * a_frame};
    if (drifts()) {
      const double a_drift = 1.0 / drift_length_;
      const double slope = static_cast<double>(drift_span_) * a_drift;
      its.first = slope;
      its.square -= 2 * slope * a_drift;
      its.cube += slope * a_drift * a_drift;
    }
    return its;
  }

  // Small: a voice has eight of them.
  float value_ = 0, from_ = 0, target_ = 0;
  float inverse_ = 0;  ///< of the length
  // The slope it had when it got its target goes on for a while, never for longer than it moves.
  float drift_span_ = 0;
  std::int32_t drift_length_ = 0;
  std::int32_t passed_ = 0, left_ = 0;
};

/// A value and its slope a frame.
struct Moving {
  double value = 0, slope = 0;
  friend Moving operator*(Moving a, Moving b) { return {a.value * b.value, a.value * b.slope + a.slope * b.value}; }
  friend Moving operator*(Moving a, double b) { return {a.value * b, a.slope * b}; }
};

/// The cubic that goes from one to the other over `count` frames with those values and slopes (Hermite).
inline kernels::Curve curve(Moving from, Moving to, int count) {
  const auto over = [&](double n) {
    const double rise = (to.value - from.value) / n;
    return kernels::Curve{static_cast<float>(from.value), static_cast<float>(from.slope),
                          static_cast<float>((3 * rise - 2 * from.slope - to.slope) / n),
                          static_cast<float>((from.slope + to.slope - 2 * rise) / (n * n))};
  };
  // Nearly always so many, of which the compiler makes products.
  return count == kernels::curve_length ? over(kernels::curve_length) : over(count);
}

}  // namespace tidewater
