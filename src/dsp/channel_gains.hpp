#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>

#include "dsp/smooth.hpp"

namespace tidewater {

inline constexpr std::size_t most_channels = 8;

/// Amplitudes, one for each channel of a bus.
using Amplitudes = std::array<float, most_channels>;

/// Amplitudes on their way from one set to another, each as much of one signal as its channel gets. Small steps, as of what is told
/// of a moving thing many times a second, follow in straight lines, so that a steady change stays steady; large ones go as
/// `Smooth` does. The slope that there was when a new aim came is carried off over the shortest change, so that nothing clicks.
template <std::size_t count>
class SteppedGains {
 public:
  using Gains = std::array<float, count>;

  void begin(const Gains& gains) {
    *this = {};
    for (std::size_t c = 0; c < count; ++c) from_[c] = to_[c] = finite(gains[c]);
  }

  /// `least` is the shortest change, in frames.
  void go(const Gains& gains, std::int64_t frames, std::int32_t least) {
    Gains now{}, slope{};
    float furthest = 0;
    const Gone gone = this->gone();
    for (std::size_t c = 0; c < count; ++c) {
      if (!heard(c) && gains[c] == 0) continue;  // as are most of eight channels, for two loudspeakers
      const Moving its = at(c, gone);
      now[c] = static_cast<float>(its.value);
      slope[c] = static_cast<float>(its.slope);
      to_[c] = finite(gains[c]);
      furthest = std::max(furthest, std::abs(to_[c] - now[c]));
    }
    from_ = now;
    left_ = length_ = Smooth::on_grid(std::max<std::int64_t>(frames, least));
    // A straight line of this slope leaves no more above 4 kHz than a large change that goes smoothly.
    constexpr float steady = 1.0F / 32;
    straight_ = furthest * static_cast<float>(least) <= steady * static_cast<float>(length_);
    drift_left_ = drift_length_ = Smooth::on_grid(least);
    for (std::size_t c = 0; c < count; ++c) {
      const float begins = straight_ ? (to_[c] - from_[c]) / static_cast<float>(length_) : 0;
      drift_[c] = (slope[c] - begins) * static_cast<float>(drift_length_);
    }
  }

  bool moving() const { return left_ > 0 || drift_left_ > 0; }
  /// Whether a channel gets anything, now or on the way.
  bool heard(std::size_t channel) const { return from_[channel] != 0 || to_[channel] != 0 || (moving() && drift_[channel] != 0); }

  /// Where nothing moves.
  float rests_at(std::size_t channel) const { return to_[channel]; }
  /// What of their way all of them have gone.
  struct Gone {
    double way = 1, drift = 1;
  };
  Gone gone() const {
    return {left_ > 0 ? 1 - static_cast<double>(left_) / length_ : 1,
            drift_left_ > 0 ? 1 - static_cast<double>(drift_left_) / drift_length_ : 1};
  }
  Moving at(std::size_t channel) const { return at(channel, gone()); }
  Moving at(std::size_t channel, const Gone& gone) const {
    const double rise = static_cast<double>(to_[channel]) - static_cast<double>(from_[channel]);
    Moving now{static_cast<double>(to_[channel]), 0};
    if (left_ > 0) {
      const double u = gone.way;
      now = straight_ ? Moving{static_cast<double>(from_[channel]) + rise * u, rise / length_}
                      : Moving{static_cast<double>(from_[channel]) + rise * u * u * (3 - 2 * u), rise * 6 * u * (1 - u) / length_};
    }
    if (drift_left_ > 0) {
      const double u = gone.drift;
      const auto span = static_cast<double>(drift_[channel]);
      now.value += span * u * (1 - u) * (1 - u);
      now.slope += span / drift_length_ * (1 - u) * (1 - 3 * u);
    }
    return now;
  }

  /// Frames until its law changes.
  std::int64_t knot() const {
    std::int64_t next = left_ > 0 ? left_ : std::int64_t{1} << 40;
    if (drift_left_ > 0) next = std::min<std::int64_t>(next, drift_left_);
    return next;
  }
  void advance(std::int64_t frames) {
    left_ = static_cast<std::int32_t>(std::max<std::int64_t>(0, left_ - frames));
    drift_left_ = static_cast<std::int32_t>(std::max<std::int64_t>(0, drift_left_ - frames));
    if (!moving()) from_ = to_;
  }

 private:
  static float finite(float gain) { return std::isfinite(gain) ? gain : 0; }

  Gains from_{}, to_{}, drift_{};
  std::int32_t left_ = 0, length_ = 1;
  std::int32_t drift_left_ = 0, drift_length_ = 1;
  bool straight_ = false;
};

using ChannelGains = SteppedGains<most_channels>;
using Lift = SteppedGains<1>;

}  // namespace tidewater
