#include "dsp/resample.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

namespace tidewater {
namespace {

struct Design {
  int taps;
  int phase_bits;
  double kaiser_beta;
};
// Stop bands of about 75 and 105 dB; the number of phases keeps the error of interpolating between them below that.
constexpr std::array designs = {Design{16, 8, 7.4}, Design{32, 10, 10.6}};

constexpr int filters_per_octave = 4;
constexpr int filter_count = 3 * filters_per_octave + 1;  // cutoffs from x1 down to x1/8
// Ordinary variation, up to x1.41, keeps the taps of unity speed and their cost.
constexpr int filters_at_base_cost = 2;
constexpr int tap_granule = 16;  // two vectors

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

struct Filter {
  int taps = 0;
  int phase_bits = 0;
  std::vector<float> rows;  ///< of each phase its weights, then how they differ from the next one's
};

Filter make_filter(double cutoff, int taps, const Design& design) {
  const int phases = 1 << design.phase_bits;
  Filter filter{taps, design.phase_bits, std::vector<float>(static_cast<std::size_t>(phases * 2 * taps))};
  const double half = taps / 2.0;
  std::vector<double> weights(static_cast<std::size_t>(taps));
  std::vector<double> before;
  for (int phase = 0; phase <= phases; ++phase) {
    double sum = 0;
    for (int tap = 0; tap < taps; ++tap) {
      const double distance = tap - (half - 1) - static_cast<double>(phase) / phases;
      const double edge = distance / half;
      const double window = std::abs(edge) >= 1 ? 0 : bessel_i0(design.kaiser_beta * std::sqrt(1 - edge * edge));
      sum += weights[static_cast<std::size_t>(tap)] = sinc(cutoff * distance) * window;
    }
    for (double& weight : weights) weight /= sum;
    if (phase > 0) {
      float* row = &filter.rows[static_cast<std::size_t>((phase - 1) * 2 * taps)];
      for (std::size_t tap = 0; tap < weights.size(); ++tap) {
        row[tap] = static_cast<float>(before[tap]);
        row[weights.size() + tap] = static_cast<float>(weights[tap] - before[tap]);
      }
    }
    before = weights;
  }
  return filter;
}

using Filters = std::array<std::array<Filter, filter_count>, designs.size()>;

Filters make_filters() {
  Filters filters;
  for (std::size_t quality = 0; quality < designs.size(); ++quality)
    for (int i = 0; i < filter_count; ++i) {
      const Design& design = designs[quality];
      const double cutoff = std::exp2(-static_cast<double>(i) / filters_per_octave);
      const int longer = static_cast<int>(std::ceil(design.taps / cutoff / tap_granule - 1e-9)) * tap_granule;
      const int taps = i <= filters_at_base_cost ? design.taps : std::min(longer, most_taps);
      filters[quality][static_cast<std::size_t>(i)] = make_filter(cutoff, taps, design);
    }
  return filters;
}

const Filters& filters() {
  static const Filters made = make_filters();
  return made;
}

}  // namespace

void prepare_filters() { filters(); }

kernels::FilterRows filter_for(std::uint64_t step, Quality quality) {
  // The least i with 2^(i/4) >= ratio, by comparison so that it is the same everywhere.
  static constexpr std::array<double, filter_count> tops = {
      1.0, 1.189207115002721, 1.4142135623730951, 1.681792830507429, 2.0, 2.378414230005442, 2.8284271247461903, 3.363585661014858,
      4.0, 4.756828460010884, 5.656854249492381,  6.727171322029716, 8.0};
  const double ratio = static_cast<double>(step) / static_cast<double>(unity_step);
  std::size_t i = 0;
  while (i + 1 < filter_count && ratio > tops[i] * 1.0000001) ++i;
  const Filter& filter = filters()[static_cast<std::size_t>(quality)][i];
  return {filter.rows.data(), filter.taps, filter.phase_bits};
}

std::uint64_t step_for(double ratio) {
  return static_cast<std::uint64_t>(std::llround(std::clamp(ratio, slowest_ratio, fastest_ratio) * static_cast<double>(unity_step)));
}

}  // namespace tidewater
