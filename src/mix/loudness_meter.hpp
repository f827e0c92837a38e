#pragma once
/// The loudness of a group as it is heard now, for tools that watch a running game.

#include <array>
#include <atomic>
#include <cmath>
#include <cstdint>
#include <numbers>

#include "base/ours.hpp"
#include "dsp/kernels.hpp"
#include "tidewater/layout.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

/// Momentary and short-term loudness (ITU-R BS.1770-4, annex 1; EBU Tech 3341): over the last 0.4 and 3 seconds, without gates, in steps of
/// a tenth of a second.
///
/// Thread: the audio thread adds, any thread reads.
class LoudnessMeter {
 public:
  static constexpr std::size_t most_frames = 64;  ///< added at once
  static constexpr std::size_t momentary_tenths = 4, short_term_tenths = 30;

  LoudnessMeter(double rate, Layout layout)
      : shelf_(shelf(rate)),
        high_pass_(high_pass(rate)),
        tenth_(static_cast<int>(std::lround(rate / 10))),
        left_(tenth_),
        weights_(weights_of(layout)) {}

  /// Adds frames of two channels, the first of which is even, with the group's level. Channels without sound are null.
  void add(std::size_t first, const float* left, const float* right, const kernels::Curve& gain, int count) noexcept {
    if (weights_[first] == 0 && weights_[first + 1] == 0) return;
    State& state = states_[first / 2];
    if (left == nullptr && right == nullptr && state.rests()) return;
    // The level is written out first, and both channels go side by side: each sample of a filter waits for the one before.
    std::array<double, 2 * most_frames> samples;
    for (int i = 0; i < count; ++i) {
      const double t = i;
      const double level =
          static_cast<double>(gain.first) +
          t * (static_cast<double>(gain.change) + t * (static_cast<double>(gain.square) + t * static_cast<double>(gain.cube)));
      const auto at = static_cast<std::size_t>(2 * i);
      samples[at] = left == nullptr ? 0 : static_cast<double>(left[i]) * level;
      samples[at + 1] = right == nullptr ? 0 : static_cast<double>(right[i]) * level;
    }
    State now = state;
    std::array<double, 2> energy{};
    for (int i = 0; i < count; ++i)
      for (std::size_t side = 0; side < 2; ++side) {
        const double out = high_pass_.run(now.second[side], shelf_.run(now.first[side], samples[static_cast<std::size_t>(2 * i) + side]));
        energy[side] += out * out;
      }
    state = now;
    energy_ += weights_[first] * energy[0] + weights_[first + 1] * energy[1];
  }
  /// Ends `count` frames, once all of their channels were added.
  void advance(int count) noexcept {
    frames_ += count;
    left_ -= count;
    if (left_ > 0) return;
    const std::uint64_t number = tenths_.load(std::memory_order_relaxed);
    powers_[number % powers_.size()].store(energy_ / frames_, std::memory_order_relaxed);
    tenths_.store(number + 1, std::memory_order_release);
    left_ += tenth_;  // what this one had too much, the next has too little
    frames_ = 0;
    energy_ = 0;
  }

  /// Returns the loudness in LUFS over the last `tenths` tenths of a second, or over all if there are fewer.
  Decibels over(std::size_t tenths) const {
    constexpr double offset = -0.691;  // BS.1770-4, equation 2
    const std::uint64_t number = tenths_.load(std::memory_order_acquire);
    const std::uint64_t count = std::min<std::uint64_t>(tenths, number);
    double sum = 0;
    for (std::uint64_t i = 1; i <= count; ++i) sum += powers_[(number - i) % powers_.size()].load(std::memory_order_relaxed);
    return sum > 0 ? Decibels{offset + 10 * std::log10(sum / static_cast<double>(count))} : silence;
  }

 private:
  struct Memory {
    double a = 0, b = 0;
  };
  /// Transposed direct form 2.
  struct Biquad {
    double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0;
    double run(Memory& memory, double in) const {
      const double out = b0 * in + memory.a;
      memory.a = b1 * in - a1 * out + memory.b;
      memory.b = b2 * in - a2 * out;
      return out;
    }
  };
  /// Of a pair of channels.
  struct State {
    std::array<Memory, 2> first, second;
    bool rests() const {
      constexpr double nothing = 1e-10;
      double sum = 0;
      for (const auto* memories : {&first, &second})
        for (const Memory& its : *memories) sum += std::fabs(its.a) + std::fabs(its.b);
      return sum < nothing;
    }
  };

  // BS.1770-4 has the coefficients for 48 kHz, tables 1 and 2. These analogue prototypes give the same there, by the bilinear transform,
  // and the same curve at every other rate.
  static Biquad shelf(double rate) {
    constexpr double frequency = 1681.974450955533, gain = 3.999843853973347, quality = 0.7071752369554196;
    const double k = std::tan(std::numbers::pi * frequency / rate), vh = std::pow(10, gain / 20), vb = std::pow(vh, 0.4996667741545416);
    const double a0 = 1 + k / quality + k * k;
    return {(vh + vb * k / quality + k * k) / a0, 2 * (k * k - vh) / a0, (vh - vb * k / quality + k * k) / a0, 2 * (k * k - 1) / a0,
            (1 - k / quality + k * k) / a0};
  }
  static Biquad high_pass(double rate) {
    constexpr double frequency = 38.13547087602444, quality = 0.5003270373238773;
    const double k = std::tan(std::numbers::pi * frequency / rate), a0 = 1 + k / quality + k * k;
    return {1, -2, 1, 2 * (k * k - 1) / a0, (1 - k / quality + k * k) / a0};
  }
  /// Table 3: 1.41 for what stands at the sides, nothing for the low channel. A mono output is one channel, whose bus is a pair.
  static std::array<double, 8> weights_of(Layout layout) {
    switch (layout) {
      case Layout::mono: return {0.5, 0.5};
      case Layout::stereo: return {1, 1};
      case Layout::surround_5_1: return {1, 1, 1, 0, 1.41, 1.41};
      case Layout::surround_7_1: return {1, 1, 1, 0, 1, 1, 1.41, 1.41};
    }
    return {};
  }

  Biquad shelf_, high_pass_;
  int tenth_, left_;  ///< frames of a tenth of a second; frames until the present one is over
  int frames_ = 0;    ///< of the present one so far
  double energy_ = 0;
  std::array<double, 8> weights_;
  std::array<State, 4> states_{};                 ///< of each pair
  std::array<std::atomic<double>, 32> powers_{};  ///< of the last tenths
  std::atomic<std::uint64_t> tenths_{0};
};

}  // namespace tidewater
