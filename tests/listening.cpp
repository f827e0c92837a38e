#include "listening.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace tidewater::testing {

Take Take::part(double begin, double length) const {
  const auto size = static_cast<std::ptrdiff_t>(samples.size());
  const auto first = std::min(size, static_cast<std::ptrdiff_t>(begin * rate.value) * 2);
  const auto last = std::min(size, first + static_cast<std::ptrdiff_t>(length * rate.value) * 2);
  return {{samples.begin() + first, samples.begin() + last}, rate};
}

double Take::peak() const {
  double peak = 0;
  for (const float x : samples) peak = std::max(peak, std::abs(static_cast<double>(x)));
  return peak;
}

double Take::rms(int channel) const {
  double power = 0;
  for (std::size_t i = static_cast<std::size_t>(channel); i < samples.size(); i += 2)
    power += static_cast<double>(samples[i]) * static_cast<double>(samples[i]);
  return std::sqrt(power / static_cast<double>(std::max<std::size_t>(1, frames())));
}

double Take::pitch() const {
  double first = -1;
  double last = -1;
  int periods = -1;
  for (std::size_t i = 1; i < frames(); ++i) {
    const double a = static_cast<double>(left(i - 1));
    const double b = static_cast<double>(left(i));
    if (a >= 0 || b < 0) continue;
    last = static_cast<double>(i - 1) + a / (a - b);
    if (periods < 0) first = last;
    ++periods;
  }
  return periods < 1 ? 0 : periods * rate.value / (last - first);
}

double Take::onset() const {
  for (std::size_t i = 0; i < frames(); ++i)
    if (std::abs(left(i)) > 0.001F || std::abs(right(i)) > 0.001F) return static_cast<double>(i) / rate.value;
  return -1;
}

double Take::steepest() const {
  double steepest = 0;
  for (std::size_t i = 2; i < samples.size(); ++i)
    steepest = std::max(steepest, std::abs(static_cast<double>(samples[i]) - static_cast<double>(samples[i - 2])));
  return steepest;
}

namespace {

constexpr int half_taps = 300;

/// A windowed sinc (Kaiser, beta 10): 100 dB down 300 Hz from its edge, which is a part of the rate.
std::vector<float> low_pass(double edge) {
  std::vector<float> taps;
  for (int i = -half_taps; i <= half_taps; ++i) {
    const double x = std::numbers::pi * i;
    const double place = static_cast<double>(i) / (half_taps + 1);
    const double window = std::cyl_bessel_i(0, 10 * std::sqrt(1 - place * place)) / std::cyl_bessel_i(0, 10.0);
    taps.push_back(static_cast<float>((i == 0 ? 2 * edge : std::sin(2 * edge * x) / x) * window));
  }
  return taps;
}

std::vector<float> filtered(std::span<const float> mono, std::span<const float> taps) {
  std::vector<float> sums(mono.size() > taps.size() ? mono.size() - taps.size() : 0);
  for (std::size_t i = 0; i < taps.size(); ++i)
    for (std::size_t at = 0; at < sums.size(); ++at) sums[at] += taps[i] * mono[at + i];
  return sums;
}

double power_of(std::span<const float> samples) {
  double power = 0;
  for (const float x : samples) power += static_cast<double>(x) * static_cast<double>(x);
  return power;
}

}  // namespace

double clicks(std::span<const float> mono) {
  static const std::vector<float> high_pass = [] {
    std::vector<float> taps = low_pass(4300.0 / test_rate.value);
    for (float& tap : taps) tap = -tap;
    taps[half_taps] += 1;
    return taps;
  }();
  if (mono.size() <= high_pass.size()) return -200;
  float highest = 1e-10F;
  for (const float x : filtered(mono, high_pass)) highest = std::max(highest, std::abs(x));
  return 20 * std::log10(static_cast<double>(highest));
}

std::vector<float> below(std::span<const float> mono, double hertz, double rate) { return filtered(mono, low_pass((hertz + 300) / rate)); }

double power(std::span<const float> mono) { return 10 * std::log10(power_of(mono) / static_cast<double>(mono.size()) / 0.5 + 1e-20); }

namespace {

struct Fit {
  double cosine, sine, constant;
};

/// Least squares: three normal equations, solved by elimination.
Fit fit(std::span<const float> mono, double turn) {
  double m[3][4] = {};
  for (std::size_t i = 0; i < mono.size(); ++i) {
    const double basis[3] = {std::cos(turn * static_cast<double>(i)), std::sin(turn * static_cast<double>(i)), 1};
    for (int r = 0; r < 3; ++r) {
      for (int c = 0; c < 3; ++c) m[r][c] += basis[r] * basis[c];
      m[r][3] += basis[r] * static_cast<double>(mono[i]);
    }
  }
  for (int pivot = 0; pivot < 3; ++pivot)
    for (int r = 0; r < 3; ++r) {
      if (r == pivot) continue;
      const double factor = m[r][pivot] / m[pivot][pivot];
      for (int c = 0; c < 4; ++c) m[r][c] -= factor * m[pivot][c];
    }
  return {m[0][3] / m[0][0], m[1][3] / m[1][1], m[2][3] / m[2][2]};
}

}  // namespace

double sine_level(std::span<const float> mono, double hertz, double rate) {
  const Fit its = fit(mono, 2 * std::numbers::pi * hertz / rate);
  return 20 * std::log10(std::hypot(its.cosine, its.sine));
}

double line_beside(std::span<const float> mono, double hertz, double rate) {
  const auto count = static_cast<double>(mono.size());
  double tone = 0, beside = 0;
  for (double at = hertz - 500; at <= hertz + 500; at += rate / count / 2) {
    const std::complex<double> turn = std::polar(1.0, -2 * std::numbers::pi * at / rate);
    std::complex<double> sum = 0, phase = 1;
    for (std::size_t i = 0; i < mono.size(); ++i) {
      const double window = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / count);
      sum += window * static_cast<double>(mono[i]) * phase;
      phase *= turn;
    }
    double& loudest = std::abs(at - hertz) < 25 ? tone : beside;
    loudest = std::max(loudest, std::abs(sum));
  }
  return 20 * std::log10(beside / tone);
}

std::vector<float> without_sine(std::span<const float> mono, double hertz, double rate) {
  const double turn = 2 * std::numbers::pi * hertz / rate;
  const Fit its = fit(mono, turn);
  std::vector<float> rest;
  for (std::size_t i = 0; i < mono.size(); ++i) {
    const double angle = turn * static_cast<double>(i);
    rest.push_back(
        static_cast<float>(static_cast<double>(mono[i]) - its.cosine * std::cos(angle) - its.sine * std::sin(angle) - its.constant));
  }
  return rest;
}

double sine_snr(std::span<const float> mono, double hertz, double rate) {
  const double noise = power_of(without_sine(mono, hertz, rate));
  return 10 * std::log10((power_of(mono) - noise) / noise);
}

std::vector<float> sine(double hertz, double seconds, int channels, double level, double rate) {
  std::vector<float> out;
  const auto frames = static_cast<std::size_t>(std::llround(seconds * rate));
  for (std::size_t i = 0; i < frames; ++i)
    for (int channel = 0; channel < channels; ++channel)
      out.push_back(static_cast<float>(level * std::sin(2 * std::numbers::pi * hertz * static_cast<double>(i) / rate)));
  return out;
}

}  // namespace tidewater::testing
