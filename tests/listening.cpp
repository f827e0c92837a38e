#include "listening.hpp"

#include <algorithm>
#include <cmath>
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

double clicks(std::span<const float> mono) {
  // A windowed sinc (Kaiser, beta 10): 100 dB down up to 4 kHz.
  constexpr int half = 300;
  static const std::vector<float> high_pass = [] {
    std::vector<float> taps;
    const double cutoff = 2 * 4300.0 / test_rate.value;
    for (int i = -half; i <= half; ++i) {
      const double x = std::numbers::pi * i;
      const double edge = static_cast<double>(i) / (half + 1);
      const double window = std::cyl_bessel_i(0, 10 * std::sqrt(1 - edge * edge)) / std::cyl_bessel_i(0, 10.0);
      taps.push_back(static_cast<float>((i == 0 ? 1 - cutoff : -std::sin(cutoff * x) / x) * window));
    }
    return taps;
  }();
  if (mono.size() <= high_pass.size()) return -200;
  std::vector<float> sums(mono.size() - high_pass.size());
  for (std::size_t i = 0; i < high_pass.size(); ++i)
    for (std::size_t at = 0; at < sums.size(); ++at) sums[at] += high_pass[i] * mono[at + i];
  float highest = 1e-10F;
  for (const float x : sums) highest = std::max(highest, std::abs(x));
  return 20 * std::log10(static_cast<double>(highest));
}

double sine_snr(std::span<const float> mono, double hertz, double rate) {
  // Least squares for a cos + b sin + c: three normal equations, solved by elimination.
  double m[3][4] = {};
  const double w = 2 * std::numbers::pi * hertz / rate;
  for (std::size_t i = 0; i < mono.size(); ++i) {
    const double basis[3] = {std::cos(w * static_cast<double>(i)), std::sin(w * static_cast<double>(i)), 1};
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
  double signal = 0;
  double noise = 0;
  for (std::size_t i = 0; i < mono.size(); ++i) {
    const double fit = m[0][3] / m[0][0] * std::cos(w * static_cast<double>(i)) + m[1][3] / m[1][1] * std::sin(w * static_cast<double>(i)) +
                       m[2][3] / m[2][2];
    signal += fit * fit;
    noise += (static_cast<double>(mono[i]) - fit) * (static_cast<double>(mono[i]) - fit);
  }
  return 10 * std::log10(signal / noise);
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
