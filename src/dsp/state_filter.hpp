#pragma once
#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/kernels.hpp"
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
    if (!active_ && hertz <= 0) return;
    const double open = std::log2(kind_ == Kind::low_pass ? rate * 0.49 : lowest);
    const double to = hertz > 0 ? std::log2(std::clamp(hertz, lowest, rate * 0.49)) : open;
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
    constexpr int moving_piece = 16;  // the cutoff moves in steps of a third of a millisecond
    constexpr int piece = 64;
    for (int at = 0, frames = 0; at < count; at += frames) {
      frames = std::min(count - at, octaves_.moving() ? moving_piece : piece - at % piece);
      if (octaves_.moving()) set(octaves_.advance(frames));
      filter(left + at, left_, frames);
      if (right != nullptr) filter(right + at, right_, frames);
    }
    if (fading_out()) active_ = false;
  }

 private:
  static constexpr double lowest = 10;  // Hz
  static constexpr double damping = std::numbers::sqrt2;

  void set(double octaves) {
    g_ = std::tan(std::numbers::pi * std::exp2(octaves) / rate_);
    a1_ = 1 / (1 + g_ * (g_ + damping));
    // Each in turn: an impulse, then the first state alone, then the second.
    double states[3][2] = {{0, 0}, {1, 0}, {0, 1}};
    for (std::size_t i = 0; i < 8; ++i) {
      eight_.response[8 + i] = static_cast<float>(next(i == 0 ? 1 : 0, states[0]));
      for (std::size_t s = 0; s < 2; ++s) {
        eight_.to_state[s][7 - i] = static_cast<float>(states[0][s]);
        eight_.from_state[s][i] = static_cast<float>(next(0, states[1 + s]));
      }
    }
    for (std::size_t s = 0; s < 2; ++s)
      for (std::size_t from = 0; from < 2; ++from) eight_.carry[s][from] = states[1 + from][s];
  }

  /// One frame; the states move on.
  double next(double x, double* state) const {
    const double high = (x - (g_ + damping) * state[0] - state[1]) * a1_;
    const double band = g_ * high + state[0];
    state[0] = g_ * high + band;
    const double low = g_ * band + state[1];
    state[1] = g_ * band + low;
    return kind_ == Kind::low_pass ? low : high;
  }

  void filter(float* samples, double* state, int count) const {
    const int eights = count / 8 * 8;
    kernels::filter(eight_, state, samples, eights);
    for (int i = eights; i < count; ++i) samples[i] = static_cast<float>(next(static_cast<double>(samples[i]), state));
    // Far below hearing, and above what slows a processor down.
    for (int s = 0; s < 2; ++s)
      if (std::abs(state[s]) < 1e-20) state[s] = 0;
  }

  Ramp octaves_;
  double rate_ = 48000;
  double g_ = 0, a1_ = 1;
  kernels::FilterEight eight_;
  double left_[2] = {}, right_[2] = {};
  Kind kind_;
  bool active_ = false;
  bool retire_ = false;
};

}  // namespace tidewater
