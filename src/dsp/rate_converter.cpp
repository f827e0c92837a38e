#include "dsp/rate_converter.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>
#include <numeric>
#include <utility>

#include "dsp/kernels.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t taps_a_side = 64;  // at the lower rate
constexpr double kaiser_beta = 12.5;
/// With more places than this rows are interpolated between so many: -118 dB at the highest frequency (pi^2 / 8 / 1024^2).
constexpr std::int64_t most_rows = 1024;
constexpr double steps_a_hertz = 1000;  // rates are taken to a thousandth

/// I0(beta sqrt(1 - edge^2)), by its series (Abramowitz and Stegun 9.6.12).
double kaiser(double edge) {
  const double x = kaiser_beta * kaiser_beta / 4 * (1 - edge * edge);
  if (x <= 0) return 0;
  double sum = 1;
  double term = 1;
  for (int k = 1; term > sum * 1e-17; ++k) sum += term *= x / (k * k);
  return sum;
}

}  // namespace

RateConverter::Ratio RateConverter::ratio_of(Hertz from, Hertz to) {
  Ratio ratio{std::llround(to.value * steps_a_hertz), std::llround(from.value * steps_a_hertz)};
  const std::int64_t common = std::gcd(ratio.to, ratio.from);
  return {ratio.to / common, ratio.from / common};
}

std::int64_t RateConverter::length(std::int64_t source_frames, Hertz from, Hertz to) {
  const Ratio ratio = ratio_of(from, to);
  const std::int64_t rest = source_frames % ratio.from;
  return source_frames / ratio.from * ratio.to + (rest * ratio.to + ratio.from - 1) / ratio.from;
}

RateConverter::RateConverter(Hertz from, Hertz to) : ratio_(ratio_of(from, to)) {
  if (ratio_.to == ratio_.from) return;
  const double wider = std::max(1.0, static_cast<double>(ratio_.from) / static_cast<double>(ratio_.to));
  half_ = (static_cast<std::int64_t>(std::ceil(static_cast<double>(taps_a_side) * wider)) + 3) / 4 * 4;
  between_ = ratio_.to > most_rows;
  rows_ = between_ ? most_rows : ratio_.to;
  const auto taps = static_cast<std::size_t>(2 * half_);
  const auto count = static_cast<std::size_t>(rows_) + (between_ ? 1 : 0);
  weights_.resize(count * taps);
  std::vector<double> row(taps);
  for (std::size_t r = 0; r < count; ++r) {
    double sum = 0;
    for (std::size_t tap = 0; tap < taps; ++tap) {
      const double at = static_cast<double>(tap) - static_cast<double>(half_ - 1) - static_cast<double>(r) / static_cast<double>(rows_);
      const double angle = std::numbers::pi * at / wider;
      sum += row[tap] = (std::abs(angle) < 1e-12 ? 1 : std::sin(angle) / angle) * kaiser(at / static_cast<double>(half_));
    }
    for (std::size_t tap = 0; tap < taps; ++tap) weights_[r * taps + tap] = static_cast<float>(row[tap] / sum);
  }
}

RateConverter::Place RateConverter::place(std::int64_t frame) const {
  const std::int64_t rest = frame % ratio_.to * ratio_.from;
  return {frame / ratio_.to * ratio_.from + rest / ratio_.to, rest % ratio_.to};
}

void RateConverter::convert(const float* source, std::int64_t first, std::int64_t frame, std::int64_t count, float* out,
                            std::int64_t stride) const {
  if (half_ == 0) {
    for (std::int64_t i = 0; i < count; ++i) out[i * stride] = source[frame - first + i];
    return;
  }
  const auto taps = static_cast<int>(2 * half_);
  std::vector<float> row(between_ ? static_cast<std::size_t>(taps) : 0);
  // From place to place by adding: the same whole numbers as `place` gives, without its divisions.
  const std::int64_t whole_step = ratio_.from / ratio_.to;
  const std::int64_t phase_step = ratio_.from % ratio_.to;
  Place at = place(frame);
  for (std::int64_t i = 0; i < count; ++i) {
    const float* x = source + (at.whole - first);
    const float* weights = nullptr;
    if (between_) {
      const double exact = static_cast<double>(at.phase) / static_cast<double>(ratio_.to) * static_cast<double>(rows_);
      const auto below = static_cast<std::int64_t>(exact);
      const auto share = static_cast<float>(exact - static_cast<double>(below));
      const float* a = weights_.data() + below * taps;
      for (int tap = 0; tap < taps; ++tap) row[static_cast<std::size_t>(tap)] = a[tap] + share * (a[taps + tap] - a[tap]);
      weights = row.data();
    } else {
      weights = weights_.data() + at.phase * taps;
    }
    out[i * stride] = kernels::dot(weights, x - (half_ - 1), taps);
    at.whole += whole_step;
    at.phase += phase_step;
    if (at.phase >= ratio_.to) {
      at.phase -= ratio_.to;
      ++at.whole;
    }
  }
}

std::shared_ptr<const RateConverter> converter_for(Hertz from, Hertz to) {
  static std::mutex mutex;
  static std::map<std::pair<double, double>, std::weak_ptr<const RateConverter>> made;
  const std::lock_guard lock(mutex);
  auto& known = made[{from.value, to.value}];
  auto converter = known.lock();
  if (!converter) known = converter = std::make_shared<const RateConverter>(from, to);
  return converter;
}

}  // namespace tidewater
