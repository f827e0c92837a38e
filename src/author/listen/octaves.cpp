#include "author/listen/octaves.hpp"

#include <kiss_fftr.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

namespace tidewater {
void Octaves::Free::operator()(kiss_fftr_state* plan) const { kiss_fftr_free(plan); }

Octaves::Octaves(Hertz rate, const OctaveBands& bands) {
  const std::size_t size = std::bit_floor(static_cast<std::size_t>(rate.value * bands.window.value));
  window_.resize(size);
  for (std::size_t i = 0; i < size; ++i)
    window_[i] = static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(size)));
  piece_.resize(size);
  spectrum_.resize(size + 2);
  plan_.reset(kiss_fftr_alloc(static_cast<int>(size), 0, nullptr, nullptr));
  const double line = rate.value / static_cast<double>(size);
  weights_.resize(bands.bands);
  for (std::size_t band = 0; band < bands.bands; ++band) {
    const double middle = bands.lowest * std::exp2(static_cast<double>(band) / bands.per_octave);
    const double half = std::exp2(0.5 / bands.per_octave), low = middle / half, high = middle * half;
    if (high > rate.value / 2) continue;
    Weight& its = weights_[band];
    its.first = static_cast<std::size_t>(std::lround(low / line));
    for (std::size_t k = its.first; (static_cast<double>(k) - 0.5) * line < high; ++k) {
      const double from = (static_cast<double>(k) - 0.5) * line, to = from + line;
      its.lines.push_back(std::max(0.0, std::min(to, high) - std::max(from, low)) / line);
    }
  }
}

void Octaves::add(std::span<const float> samples, std::span<double> powers) {
  for (std::size_t i = 0; i < window_.size(); ++i) piece_[i] = samples[i] * window_[i];
  auto* const spectrum = reinterpret_cast<kiss_fft_cpx*>(spectrum_.data());
  kiss_fftr(plan_.get(), piece_.data(), spectrum);
  for (std::size_t band = 0; band < weights_.size(); ++band)
    for (std::size_t k = 0; k < weights_[band].lines.size(); ++k) {
      const kiss_fft_cpx& its = spectrum[weights_[band].first + k];
      powers[band] += weights_[band].lines[k] *
                      (static_cast<double>(its.r) * static_cast<double>(its.r) + static_cast<double>(its.i) * static_cast<double>(its.i));
    }
}

}  // namespace tidewater
