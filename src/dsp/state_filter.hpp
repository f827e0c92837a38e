#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

#include "dsp/kernels.hpp"
#include "dsp/smooth.hpp"

namespace tidewater {

/// Second-order low-pass or high-pass, maximally flat (Butterworth), stable however it is swept: the trapezoidal
/// state-variable filter (V. Zavalishin, 'The art of VA filter design', 2012, chapter 4).
///
/// It comes, goes and moves without a click: what it does is blended in and out over the shortest change, a low-pass
/// begins at the level of its input, and a cutoff moves each frame. What that leaves above 4 kHz of a tone below lies
/// some 90 dB below it.
class StateFilter {
 public:
  enum class Kind : unsigned char { low_pass, high_pass };
  explicit StateFilter(Kind kind) : kind_(kind) {}

  bool active() const { return active_; }

  /// At `hertz` from the first frame on, for what has not been heard yet. Zero or less is no filter.
  void begin(double hertz, double rate) {
    active_ = hertz > 0;
    if (!active_) return;
    *this = StateFilter(kind_);
    active_ = true;
    retire_ = false;
    fresh_ = false;
    rate_ = rate;
    wet_ = Smooth::at(1);
    octaves_ = Smooth::at(octaves_of(hertz));
    set(octaves_.value());
  }

  /// Moves to `hertz` over `frames`, at least the shortest change. Zero or less takes the filter out: it opens, and is gone.
  void tune(double hertz, double rate, std::int64_t frames) {
    if (!active_ && hertz <= 0) return;
    const std::int32_t least = shortest_change(rate);
    rate_ = rate;
    const double open = kind_ == Kind::low_pass ? rate * widest : lowest;
    if (!active_) {
      *this = StateFilter(kind_);
      rate_ = rate;
      fresh_ = active_ = true;
      octaves_ = Smooth::at(octaves_of(open));
    }
    retire_ = hertz <= 0;
    octaves_.go(octaves_of(retire_ ? open : hertz), frames, least);
    if (!retire_) wet_.go(1, least, least);
  }

  /// Completes all changes at once. Only for a filter whose output is not heard at the moment.
  void finish() {
    if (!active_ || !moving()) return;
    constexpr std::int64_t all_of_it = std::int64_t{1} << 40;
    octaves_.advance(all_of_it), wet_.advance(all_of_it);
    if (std::exchange(retire_, false)) active_ = false;
    set(octaves_.value());
  }

  /// Filters `count` frames in place; `right` may be null. False where something in it was not finite: then that is silence,
  /// and the filter begins anew.
  bool run(float* left, float* right, int count) {
    bool whole = true;
    constexpr int piece = 64;
    if (fresh_ && count > 0) {
      // As if the first frame had been there for ever: a low-pass has settled on it, a high-pass has nothing of it.
      left_[1] = kind_ == Kind::low_pass ? static_cast<double>(left[0]) : 0;
      right_[1] = kind_ == Kind::low_pass && right != nullptr ? static_cast<double>(right[0]) : 0;
      fresh_ = false;
    }
    for (int at = 0, frames = 0; at < count && active_; at += frames) {
      // Never across the quantum, so that it makes no difference in how many runs frames are filtered.
      frames = std::min({count - at, piece - at % piece, moving() ? moving_piece : piece});
      if (moving())
        frames = follow(left + at, right == nullptr ? nullptr : right + at, frames);
      else
        for (float* samples : {left + at, right == nullptr ? nullptr : right + at})
          if (samples != nullptr) filter(samples, samples == left + at ? left_ : right_, frames);
      whole = mend(left + at, left_, frames) && (right == nullptr || mend(right + at, right_, frames)) && whole;
    }
    return whole;
  }

 private:
  static constexpr double lowest = 10;     // Hz
  static constexpr double widest = 0.46;   // of the rate; nearer to a half, a cutoff that moves fast makes what passes much louder
  static constexpr int moving_piece = 16;  // the cutoff moves along a cubic in each
  static constexpr double damping = std::numbers::sqrt2;
  static constexpr double least_g = 1e-5;  // lower than any cutoff at any rate
  static double steepest() {
    static const double g = std::tan(std::numbers::pi * widest);
    return g;
  }

  double octaves_of(double hertz) const { return std::log2(std::clamp(hertz, lowest, rate_ * widest)); }
  bool moving() const { return octaves_.moving() || wet_.moving() || retire_; }

  /// Where the cutoff is, as the tangent that the filter needs, and how that moves.
  Moving tangent() const {
    const double angle = std::numbers::pi * std::exp2(octaves_.value()) / rate_;
    // A cutoff that gets a second target while it moves can overshoot it. At half the rate or above the filter would be unstable.
    if (angle >= std::numbers::pi * widest) return {steepest(), 0};
    const double g = std::tan(angle);
    return {g, (1 + g * g) * angle * std::numbers::ln2 * octaves_.slope()};
  }

  /// As many frames as follow one law, at most `frames`, with cutoff and share moving each frame.
  int follow(float* left, float* right, int frames) {
    // Taken out, it is blended away while it opens for the last time.
    const std::int32_t least = Smooth::on_grid(shortest_change(rate_));
    std::int64_t law = std::min<std::int64_t>({frames, octaves_.knot(), wet_.knot()});
    if (retire_ && octaves_.left() > least)
      law = std::min<std::int64_t>(law, octaves_.left() - least);
    else if (retire_ && wet_.target() != 0)
      wet_.go(0, least, least);
    const int count = static_cast<int>(std::max<std::int64_t>(1, law));
    const Moving from = tangent();
    const Moving wet_from{wet_.value(), wet_.slope()};
    octaves_.advance(count);
    wet_.advance(count);
    const kernels::Curve g = curve(from, tangent(), count);
    const kernels::Curve wet = curve(wet_from, {wet_.value(), wet_.slope()}, count);
    for (int i = 0; i < count; ++i) {
      g_ = std::clamp(value_at(g, i), least_g, steepest());  // between its ends a cubic may lie beyond both
      a1_ = 1 / (1 + g_ * (g_ + damping));
      const double share = value_at(wet, i);
      blend(left[i], left_, share);
      if (right != nullptr) blend(right[i], right_, share);
    }
    if (retire_ && wet_.target() == 0 && !wet_.moving()) active_ = false;
    if (!moving()) set(octaves_.value());
    return count;
  }

  static double value_at(const kernels::Curve& c, int i) {
    const double x = i;
    return ((static_cast<double>(c.cube) * x + static_cast<double>(c.square)) * x + static_cast<double>(c.change)) * x +
           static_cast<double>(c.first);
  }

  void blend(float& sample, double* state, double share) const {
    const double dry = static_cast<double>(sample);
    sample = static_cast<float>(dry + (next(dry, state) - dry) * share);
  }

  void set(double octaves) {
    g_ = std::tan(std::numbers::pi * std::exp2(octaves) / rate_);
    a1_ = 1 / (1 + g_ * (g_ + damping));
    // Each in turn: an impulse, then the first state alone, then the second.
    double states[3][2] = {{0, 0}, {1, 0}, {0, 1}};
    for (std::size_t i = 0; i < 8; ++i) {
      eight_.response[i] = static_cast<float>(next(i == 0 ? 1 : 0, states[0]));
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

  /// What is not finite leaves no trace beyond the samples that were it.
  static bool mend(float* samples, double* state, int count) {
    if (std::isfinite(state[0]) && std::isfinite(state[1]) && kernels::finite(samples, count)) return true;
    state[0] = state[1] = 0;
    for (int i = 0; i < count; ++i)
      if (!std::isfinite(samples[i])) samples[i] = 0;
    return false;
  }

  Smooth octaves_;
  Smooth wet_;  ///< how much of it is heard, from 0 to 1
  double rate_ = 48000;
  double g_ = 0, a1_ = 1;
  kernels::FilterEight eight_;
  double left_[2] = {}, right_[2] = {};
  Kind kind_;
  bool active_ = false;
  bool fresh_ = false;  ///< has not seen a frame yet
  bool retire_ = false;
};

}  // namespace tidewater
