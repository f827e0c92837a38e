#include "dsp/resample.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>
#include <vector>

namespace tidewater {
namespace {

struct Design {
  int taps;
  int phase_bits;
  double kaiser_beta;
};
// Stop bands of about 75 and 105 dB; the number of phases keeps the error of interpolating between them below that.
constexpr std::array designs = {Design{16, 7, 7.4}, Design{32, 9, 10.6}};

constexpr int filters_per_octave = 4;
constexpr int filter_count = 3 * filters_per_octave + 1;  // cutoffs from x1 down to x1/8
// Ordinary variation, up to x1.41, keeps the taps of unity speed and their cost.
constexpr int filters_at_base_cost = 2;
constexpr int tap_granule = 16;  // two vectors

/// Kaiser's window at `edge`, from -1 to 1: I0(beta sqrt(1 - edge^2)), by its series in a quarter of that square
/// (Abramowitz and Stegun 9.6.12). For beta up to 11 what is left out is below the rounding of doubles.
class KaiserWindow {
 public:
  explicit KaiserWindow(double beta) : quarter_(beta * beta / 4) {
    for (std::size_t k = 1; k < series_.size(); ++k) series_[k] = series_[k - 1] / static_cast<double>(k * k);
  }

  /// Of many at once, so that the compiler can use vectors; their number is a multiple of `tap_granule`.
  void at(std::span<const double> edges, std::span<double> windows) const {
    constexpr std::size_t lanes = 8;
    for (std::size_t i = 0; i < edges.size(); i += lanes) {
      std::array<double, lanes> x{}, sum{};
      for (std::size_t lane = 0; lane < lanes; ++lane) x[lane] = quarter_ * (1 - edges[i + lane] * edges[i + lane]);
      for (auto term = series_.rbegin(); term != series_.rend(); ++term)
        for (std::size_t lane = 0; lane < lanes; ++lane) sum[lane] = sum[lane] * x[lane] + *term;
      for (std::size_t lane = 0; lane < lanes; ++lane) windows[i + lane] = x[lane] <= 0 ? 0 : sum[lane];
    }
  }

 private:
  double quarter_;
  std::array<double, 30> series_{1};
};

struct Filter {
  int taps = 0;
  int phase_bits = 0;
  std::vector<float> rows;  ///< of each phase its weights, then how they differ from the next one's
};

/// The weights of every phase, one row after the other, and of the one after the last.
std::vector<double> weights_of(double cutoff, std::size_t taps, std::size_t phases, double kaiser_beta) {
  const double half = static_cast<double>(taps) / 2;
  const KaiserWindow window(kaiser_beta);
  std::vector<double> all((phases + 1) * taps), edges(taps), windows(taps);
  // From one tap to the next the sine turns by the same angle.
  const double turn = std::numbers::pi * cutoff;
  const double turn_cos = std::cos(turn);
  const double turn_sin = std::sin(turn);
  for (std::size_t phase = 0; phase <= phases / 2; ++phase) {
    const std::span weights(&all[phase * taps], taps);
    const double first = -(half - 1) - static_cast<double>(phase) / static_cast<double>(phases);
    for (std::size_t tap = 0; tap < taps; ++tap) edges[tap] = (static_cast<double>(tap) + first) / half;
    window.at(edges, windows);
    double sine = std::sin(turn * first);
    double cosine = std::cos(turn * first);
    double sum = 0;
    for (std::size_t tap = 0; tap < taps; ++tap) {
      const double angle = turn * (static_cast<double>(tap) + first);
      sum += weights[tap] = (std::abs(angle) < 1e-12 ? 1 : sine / angle) * windows[tap];
      const double next = sine * turn_cos + cosine * turn_sin;
      cosine = cosine * turn_cos - sine * turn_sin;
      sine = next;
    }
    for (double& weight : weights) weight /= sum;
    // The other half is this one seen from behind.
    std::reverse_copy(weights.begin(), weights.end(), &all[(phases - phase) * taps]);
  }
  return all;
}

Filter make_filter(double cutoff, int tap_count, const Design& design) {
  const auto taps = static_cast<std::size_t>(tap_count);
  const std::size_t phases = std::size_t{1} << design.phase_bits;
  const std::vector<double> weights = weights_of(cutoff, taps, phases, design.kaiser_beta);
  Filter filter{tap_count, design.phase_bits, std::vector<float>(phases * 2 * taps)};
  for (std::size_t phase = 0; phase < phases; ++phase)
    for (std::size_t tap = 0; tap < taps; ++tap) {
      const double weight = weights[phase * taps + tap];
      filter.rows[phase * 2 * taps + tap] = static_cast<float>(weight);
      filter.rows[(phase * 2 + 1) * taps + tap] = static_cast<float>(weights[(phase + 1) * taps + tap] - weight);
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
  // What is not a number is no more than the slowest.
  const double within = ratio > slowest_ratio ? std::min(ratio, fastest_ratio) : slowest_ratio;
  return static_cast<std::uint64_t>(std::llround(within * static_cast<double>(unity_step)));
}

}  // namespace tidewater
