#include "dsp/limiter.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "dsp/kernels.hpp"

namespace tidewater {
namespace {

// The ceiling lies below -1 dBTP for two reasons. The estimate and the averaged gain may miss 0.05 dB, and the meter of ITU-R BS.1770-4,
// annex 2, reads up to 0.2 dB too much around a quarter of the rate.
const double ceiling = std::pow(10.0, -1.29 / 20);
constexpr double release_seconds = 0.12;
constexpr double hold_seconds = 0.01;  // half a period of 50 Hz: the gain does not follow the wave
constexpr float absurd = 1e6F;         // 120 dB over full scale; what is beyond would overflow the sums

constexpr int phases = Limiter::phases;
constexpr double over_reads_from = 20.8 / 24;  // of the highest frequency
constexpr double over_reads_by = 2.3;          // there; the window halves it again
constexpr double edge_beta = 3;

struct Estimate {
  std::array<float, phases * Limiter::taps> rows{};  ///< of each phase its taps, from the oldest frame on
  float bound = 0;                                   ///< no phase's weights add up, in magnitude, to more
};

/// I0, by its series (Abramowitz and Stegun 9.6.12).
double bessel(double x) {
  double sum = 1;
  double term = 1;
  for (int k = 1; term > 1e-15 * sum; ++k) sum += term *= x * x / (4 * k * k);
  return sum;
}

/// A windowed interpolation filter whose response is 1, then rises in a straight line to the highest frequency.
Estimate make_estimate() {
  const double highest = std::numbers::pi / phases;
  const double from = highest * over_reads_from;
  const double slope = (over_reads_by - 1) / (highest - from);
  const auto tap_at = [&](int n) {
    const double edge = n / (phases * Limiter::taps / 2.0);
    const double window = std::abs(edge) > 1 ? 0 : bessel(edge_beta * std::sqrt(1 - edge * edge)) / bessel(edge_beta);
    // The integral of the response times cos(w n).
    const double flat = n == 0 ? highest : std::sin(highest * n) / n;
    const double rise = n == 0 ? (highest - from) * (highest - from) / 2
                               : (highest - from) * std::sin(highest * n) / n + (std::cos(highest * n) - std::cos(from * n)) / (n * n);
    return phases / std::numbers::pi * (flat + slope * rise) * window;
  };
  Estimate made;
  for (int phase = 0; phase < phases; ++phase) {
    float sum = 0;
    for (int tap = 0; tap < Limiter::taps; ++tap) {
      const auto weight = static_cast<float>(tap_at(phases * (Limiter::taps / 2 - 1 - tap) + phase));
      made.rows[static_cast<std::size_t>(phase * Limiter::taps + tap)] = weight;
      sum += std::abs(weight);
    }
    made.bound = std::max(made.bound, sum);
  }
  return made;
}

const Estimate& estimate() {
  static const Estimate made = make_estimate();
  return made;
}

}  // namespace

const float* true_peak_rows() { return estimate().rows.data(); }

double Limiter::SlidingLeast::add(double value) {
  const std::size_t turn = kept_.size() - 1;
  while (count_ > 0 && kept_[(first_ + count_ - 1) & turn].value >= value) --count_;
  if (count_ > 0 && kept_[first_].frame <= frame_ - frames_) {
    first_ = (first_ + 1) & turn;
    --count_;
  }
  kept_[(first_ + count_++) & turn] = {value, frame_++};
  return kept_[first_].value;
}

Limiter::Limiter(double rate, std::size_t channels)
    : past_(channels),
      least_(look_ahead + std::llround(hold_seconds * rate)),
      release_step_(1 - std::exp(-1 / (release_seconds * rate))),
      rests_after_(2 * look_ahead + std::llround(hold_seconds * rate) + taps + most_frames) {
  estimate();
  released_.fill(1);
  quiet_frames_ = rests_after_ + 1;
}

/// The highest magnitude that any channel has about each of the frames that can be judged now.
void Limiter::measure(int count) {
  std::array<float, most_frames> other;
  const Estimate& by = estimate();
  // The newest that a frame depends on lies half the filter behind it.
  const int first = history - taps + 1;
  peaks_.fill(0);
  for (const Past& past : past_) {
    if (past.quiet_frames > history) continue;
    kernels::peaks(by.rows.data(), phases, taps, past.samples.data() + first, other.data(), count);
    for (int i = 0; i < count; ++i) {
      const auto at = static_cast<std::size_t>(history - filter_delay + i);
      float& peak = peaks_[static_cast<std::size_t>(i)];
      peak = std::max({peak, other[static_cast<std::size_t>(i)], std::abs(past.samples[at])});
    }
  }
}

double Limiter::limited_gain(double needed) {
  const double least = least_.add(needed);
  reached_ = least < reached_ ? least : reached_ + (least - reached_) * release_step_;
  if (1 - reached_ < 1e-6) reached_ = 1;
  released_sum_ += reached_ - released_[turn_];
  released_[turn_] = reached_;
  turn_ = turn_ + 1 == released_.size() ? 0 : turn_ + 1;
  return std::min(1.0, released_sum_ / look_ahead);
}

void Limiter::run(float* samples, std::ptrdiff_t stride, int count) {
  float loudest = 0;
  for (std::size_t channel = 0; channel < past_.size(); ++channel) {
    const float* in = samples + static_cast<std::ptrdiff_t>(channel) * stride;
    float* kept = past_[channel].samples.data() + history;
    float its_loudest = 0;
    for (int i = 0; i < count; ++i) {
      // A sum that is not a number must not stay in the filter's memory.
      kept[i] = std::isfinite(in[i]) ? std::clamp(in[i], -absurd, absurd) : 0;
      its_loudest = std::max(its_loudest, std::abs(kept[i]));
    }
    past_[channel].quiet_frames = its_loudest > 0 ? 0 : past_[channel].quiet_frames + count;
    loudest = std::max(loudest, its_loudest);
  }
  const bool loud = static_cast<double>(loudest * estimate().bound) > ceiling;
  quiet_frames_ = loud ? 0 : quiet_frames_ + count;
  const bool resting = quiet_frames_ > rests_after_ && reached_ == 1;
  if (resting) {
    gain_ = 1;
    peak_before_ = 0;
    released_.fill(1);
  } else {
    // The filter sees loud samples of the runs before for as long as it is.
    if (quiet_frames_ < taps + count)
      measure(count);
    else
      peaks_.fill(0);
    // Added up anew, so that no rounding stays.
    released_sum_ = 0;
    for (const double gain : released_) released_sum_ += gain;
  }
  std::array<float, most_frames> gains;
  for (int i = 0; i < count; ++i) {
    if (!resting) {
      // What lies between two frames belongs to both.
      const float here = peaks_[static_cast<std::size_t>(i)];
      const auto peak = static_cast<double>(std::max(here, peak_before_));
      peak_before_ = here;
      gain_ = limited_gain(peak > ceiling ? ceiling / peak : 1);
    }
    gains[static_cast<std::size_t>(i)] = static_cast<float>(gain_);
  }
  for (std::size_t channel = 0; channel < past_.size(); ++channel) {
    float* const out = samples + static_cast<std::ptrdiff_t>(channel) * stride;
    const float* const then = past_[channel].samples.data() + history - delay;
    for (int i = 0; i < count; ++i) out[i] = then[i] * gains[static_cast<std::size_t>(i)];
    std::memmove(past_[channel].samples.data(), past_[channel].samples.data() + count, history * sizeof(float));
  }
}

}  // namespace tidewater
