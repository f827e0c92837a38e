#pragma once
#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/ramp.hpp"

namespace tidewater {

/// Second-order low-pass or high-pass, maximally flat (Butterworth), stable however it is swept: the trapezoidal
/// state-variable filter (V. Zavalishin, 'The art of VA filter design', 2012, chapter 4).
class StateFilter {
 public:
  enum class Kind : unsigned char { low_pass, high_pass };
  explicit StateFilter(Kind kind) : kind_(kind) {}

  bool active() const { return active_; }
  bool fading_out() const { return retire_ && !octaves_.moving(); }

  /// Moves to `hertz` over `frames`. Zero or less takes the filter out: it opens first, then rests.
  void tune(double hertz, double rate, std::int64_t frames) {
    const double open = std::log2(kind_ == Kind::low_pass ? rate * 0.49 : lowest);
    const double to = hertz > 0 ? std::log2(std::clamp(hertz, lowest, rate * 0.49)) : open;
    if (!active_ && hertz <= 0) return;
    if (!active_) {
      for (double* state : {&left_[0], &left_[1], &right_[0], &right_[1]}) *state = 0;
      octaves_ = Ramp::at(frames > 0 ? open : to);
    }
    active_ = true;
    retire_ = hertz <= 0;
    octaves_.go(to, frames);
    rate_ = rate;
    set(octaves_.value);
  }

  /// Filters `count` frames in place; `right` may be null.
  void run(float* left, float* right, int count) {
    constexpr int piece = 16;  // the cutoff moves in steps of a third of a millisecond
    for (int at = 0; at < count; at += piece) {
      const int frames = std::min(piece, count - at);
      if (octaves_.moving()) set(octaves_.advance(frames));
      filter(left + at, left_, frames);
      if (right != nullptr) filter(right + at, right_, frames);
    }
    if (fading_out()) active_ = false;
  }

 private:
  static constexpr double lowest = 10;  // Hz

  void set(double octaves) {
    constexpr double damping = std::numbers::sqrt2;
    g_ = std::tan(std::numbers::pi * std::exp2(octaves) / rate_);
    a1_ = 1 / (1 + g_ * (g_ + damping));
  }

  void filter(float* samples, double* state, int count) const {
    constexpr double damping = std::numbers::sqrt2;
    double s1 = state[0];
    double s2 = state[1];
    for (int i = 0; i < count; ++i) {
      const double x = static_cast<double>(samples[i]);
      const double high = (x - (g_ + damping) * s1 - s2) * a1_;
      const double band = g_ * high + s1;
      s1 = g_ * high + band;
      const double low = g_ * band + s2;
      s2 = g_ * band + low;
      samples[i] = static_cast<float>(kind_ == Kind::low_pass ? low : high);
    }
    // Far below hearing, and above what slows a processor down.
    state[0] = std::abs(s1) < 1e-20 ? 0 : s1;
    state[1] = std::abs(s2) < 1e-20 ? 0 : s2;
  }

  Ramp octaves_;
  double rate_ = 48000;
  double g_ = 0, a1_ = 1;
  double left_[2] = {}, right_[2] = {};
  Kind kind_;
  bool active_ = false;
  bool retire_ = false;
};

}  // namespace tidewater
