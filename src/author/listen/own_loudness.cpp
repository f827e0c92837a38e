#include "author/listen/own_loudness.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace tidewater {
namespace {

constexpr float silent_run = 1e-5F;         ///< -100 dB: a run below it is silent
constexpr double standard_offset = -0.691;  ///< dB, of the standard
constexpr double absolute_gate = -70;       ///< LUFS
constexpr double relative_gate = -10;       ///< LU
constexpr std::size_t tenths_a_block = 4;   ///< blocks of 0.4 s that overlap by three quarters
constexpr std::size_t tenths_of_short_term = 30;

Decibels loudness_of_energy(double energy) { return energy > 0 ? Decibels{standard_offset + 10 * std::log10(energy)} : silence; }

}  // namespace

/// The standard gives the two filters at 48 kHz. For other rates, the analogue filters with the same response are transformed (as De Man,
/// "Evaluation of implementations of the EBU R128 loudness measurement", 2018, describes).
OwnLoudness::OwnLoudness(Hertz rate) : rate_(rate) {
  {
    constexpr double frequency = 1681.974450955533, gain = 3.999843853973347, q = 0.7071752369554196;
    const double k = std::tan(std::numbers::pi * frequency / rate.value), high = std::pow(10.0, gain / 20),
                 mid = std::pow(high, 0.4996667741545416);
    const double scale = 1 + k / q + k * k;
    sections_[0] = {(high + mid * k / q + k * k) / scale, 2 * (k * k - high) / scale, (high - mid * k / q + k * k) / scale,
                    2 * (k * k - 1) / scale, (1 - k / q + k * k) / scale};
  }
  constexpr double frequency = 38.13547087602444, q = 0.5003270373238773;
  const double k = std::tan(std::numbers::pi * frequency / rate.value), scale = 1 + k / q + k * k;
  sections_[1] = {1, -2, 1, 2 * (k * k - 1) / scale, (1 - k / q + k * k) / scale};
}

double OwnLoudness::filter(const std::array<Section, 2>& by, State& state, double x) {
  for (std::size_t s = 0; s < 2; ++s) {
    const Section& its = by[s];
    const double y = its.b0 * x + state[2 * s];
    state[2 * s] = its.b1 * x - its.a1 * y + state[2 * s + 1];
    state[2 * s + 1] = its.b2 * x - its.a2 * y;
    x = y;
  }
  return x;
}

void OwnLoudness::add(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain) {
  if (from != from_) flush();
  from_ = from;
  run_.resize(std::max(run_.size(), 2 * left.size()));
  const auto by = static_cast<float>(gain);
  for (std::size_t i = 0; i < left.size(); ++i) run_[2 * i] += by * left[i], run_[2 * i + 1] += by * right[i];
}

void OwnLoudness::flush() {
  if (std::any_of(run_.begin(), run_.end(), [](float x) { return std::abs(x) > silent_run; })) {
    const auto tenth = static_cast<std::int64_t>(rate_.value / 10);
    const std::array<Section, 2> sections = sections_;  // in registers
    std::array<State, 2> states = states_;
    for (std::size_t i = 0; i + 1 < run_.size(); i += 2) {
      const double left = filter(sections, states[0], static_cast<double>(run_[i]));
      const double right = filter(sections, states[1], static_cast<double>(run_[i + 1]));
      energy_ += left * left + right * right;
      if (++in_tenth_ < tenth) continue;
      energies_.push_back(energy_ / static_cast<double>(tenth));
      energy_ = 0;
      in_tenth_ = 0;
    }
    states_ = states;
    frames_ += static_cast<std::int64_t>(run_.size() / 2);
  }
  run_.clear();
  from_ = -1;
}

void OwnLoudness::finish() {
  flush();
  if (frames_ == 0) return;
  const auto mean = [](auto begin, auto end) { return std::accumulate(begin, end, 0.0) / static_cast<double>(end - begin); };
  if (energies_.size() < tenths_a_block) {
    const double tenth = std::floor(rate_.value / 10);
    integrated_ =
        loudness_of_energy((std::accumulate(energies_.begin(), energies_.end(), 0.0) * tenth + energy_) / static_cast<double>(frames_));
  } else {
    std::vector<double> blocks;
    for (auto at = energies_.begin(); energies_.end() - at >= static_cast<std::ptrdiff_t>(tenths_a_block); ++at)
      if (const double its = mean(at, at + tenths_a_block); loudness_of_energy(its).value > absolute_gate) blocks.push_back(its);
    if (!blocks.empty()) {
      const double gate = loudness_of_energy(mean(blocks.begin(), blocks.end())).value + relative_gate;
      std::erase_if(blocks, [&](double its) { return loudness_of_energy(its).value <= gate; });
      integrated_ = loudness_of_energy(mean(blocks.begin(), blocks.end()));
    }
  }
  short_term_ = integrated_;
  if (energies_.size() < tenths_of_short_term) return;
  double most = 0;
  for (auto at = energies_.begin(); energies_.end() - at >= static_cast<std::ptrdiff_t>(tenths_of_short_term); ++at)
    most = std::max(most, mean(at, at + tenths_of_short_term));
  short_term_ = loudness_of_energy(most);
}

}  // namespace tidewater
