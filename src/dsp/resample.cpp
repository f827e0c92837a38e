#include "dsp/resample.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace tidewater {
namespace {

constexpr int base_taps = 16;
constexpr int phase_bits = 8;
constexpr double kaiser_beta = 7.0;  // about 70 dB of stop band
constexpr int filters_per_octave = 4;
constexpr int filter_count = 3 * filters_per_octave + 1;  // cutoffs from x1 down to x1/8
// Ordinary variation, up to a major third up, keeps the taps of unity speed and its cost.
constexpr int filters_at_base_cost = 2;

double bessel_i0(double x) {
  double sum = 1;
  double term = 1;
  for (int k = 1; term > sum * 1e-17; ++k) {
    term *= (x / (2 * k)) * (x / (2 * k));
    sum += term;
  }
  return sum;
}

double sinc(double x) {
  const double angle = std::numbers::pi * x;
  return std::abs(x) < 1e-12 ? 1.0 : std::sin(angle) / angle;
}

ResampleFilter make_filter(double cutoff, int taps) {
  ResampleFilter filter{taps, 1 << phase_bits, {}};
  filter.rows.resize(static_cast<std::size_t>((filter.phases + 1) * taps));
  const double half = taps / 2.0;
  for (int phase = 0; phase <= filter.phases; ++phase) {
    float* row = &filter.rows[static_cast<std::size_t>(phase * taps)];
    double sum = 0;
    std::array<double, most_taps> weights{};
    for (int tap = 0; tap < taps; ++tap) {
      const double distance = tap - (half - 1) - static_cast<double>(phase) / filter.phases;
      const double edge = distance / half;
      const double window = std::abs(edge) >= 1 ? 0 : bessel_i0(kaiser_beta * std::sqrt(1 - edge * edge));
      sum += weights[static_cast<std::size_t>(tap)] = sinc(cutoff * distance) * window;
    }
    for (int tap = 0; tap < taps; ++tap) row[tap] = static_cast<float>(weights[static_cast<std::size_t>(tap)] / sum);
  }
  return filter;
}

using Filters = std::array<ResampleFilter, filter_count>;

Filters make_filters() {
  Filters filters;
  for (int i = 0; i < filter_count; ++i) {
    const double cutoff = std::exp2(-static_cast<double>(i) / filters_per_octave);
    const int wanted = i <= filters_at_base_cost ? base_taps : static_cast<int>(std::ceil(base_taps / cutoff / 8)) * 8;
    filters[static_cast<std::size_t>(i)] = make_filter(cutoff, std::min(wanted, most_taps));
  }
  return filters;
}

const Filters& filters() {
  static const Filters made = make_filters();
  return made;
}

}  // namespace

void prepare_filters() { filters(); }

const ResampleFilter& filter_for(std::uint64_t step) {
  // The least i with 2^(i/4) >= ratio, by comparison so that it is the same everywhere.
  static constexpr std::array<double, filter_count> tops = {
      1.0, 1.189207115002721, 1.4142135623730951, 1.681792830507429, 2.0, 2.378414230005442, 2.8284271247461903, 3.363585661014858,
      4.0, 4.756828460010884, 5.656854249492381,  6.727171322029716, 8.0};
  const double ratio = static_cast<double>(step) / static_cast<double>(unity_step);
  std::size_t i = 0;
  while (i + 1 < filter_count && ratio > tops[i] * 1.0000001) ++i;
  return filters()[i];
}

std::uint64_t step_for(double ratio) {
  return static_cast<std::uint64_t>(std::llround(std::clamp(ratio, slowest_ratio, fastest_ratio) * static_cast<double>(unity_step)));
}

void resample(const ResampleFilter& filter, const float* source, std::uint64_t position, std::uint64_t step, std::int64_t step_change,
              float* out, int count) {
  constexpr int fraction_bits = position_bits - phase_bits;
  const int taps = filter.taps;
  const float* const origin = source - (taps / 2 - 1);
  for (int i = 0; i < count; ++i) {
    const auto low = static_cast<std::uint32_t>(position);
    const float* x = origin + (position >> position_bits);
    const float* a = &filter.rows[static_cast<std::size_t>(low >> fraction_bits) * static_cast<std::size_t>(taps)];
    const float* b = a + taps;
    const float between = static_cast<float>(low & ((1U << fraction_bits) - 1)) * (1.0F / (1U << fraction_bits));
    std::array<float, 8> sums{};  // eight sums at a time: the order that vector units add in, too
    for (int tap = 0; tap < taps; tap += 8)
      for (int lane = 0; lane < 8; ++lane) {
        const int t = tap + lane;
        sums[static_cast<std::size_t>(lane)] += (a[t] + between * (b[t] - a[t])) * x[t];
      }
    out[i] = ((sums[0] + sums[4]) + (sums[2] + sums[6])) + ((sums[1] + sums[5]) + (sums[3] + sums[7]));
    position += step;
    step += static_cast<std::uint64_t>(step_change);
  }
}

}  // namespace tidewater
