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
OwnLoudness::OwnLoudness(Hertz rate, Silence silence) : rate_(rate), silence_(silence) {
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

void OwnLoudness::add(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain) {
  if (from != from_) flush();
  from_ = from;
  run_.resize(std::max(run_.size(), 2 * left.size()));
  const auto by = static_cast<float>(gain);
  for (std::size_t i = 0; i < left.size(); ++i) run_[2 * i] += by * left[i], run_[2 * i + 1] += by * right[i];
}

void OwnLoudness::flush() {
  if (silence_ == Silence::counts || std::any_of(run_.begin(), run_.end(), [](float x) { return std::abs(x) > silent_run; })) {
    const auto tenth = static_cast<std::int64_t>(rate_.value / 10);
    // Copies, so that a compiler keeps them in registers: the loop is a chain of dependent operations.
    const Section shelf = sections_[0], high_pass = sections_[1];
    State left = states_[0], right = states_[1];
    const auto filtered = [&](State& its, double x) {
      const double y = shelf.b0 * x + its[0];
      its[0] = shelf.b1 * x - shelf.a1 * y + its[1];
      its[1] = shelf.b2 * x - shelf.a2 * y;
      const double z = y + its[2];  // b0 is 1, b1 is -2, b2 is 1
      its[2] = its[3] - 2 * y - high_pass.a1 * z;
      its[3] = y - high_pass.a2 * z;
      return z;
    };
    for (std::size_t i = 0; i + 1 < run_.size(); i += 2) {
      const double l = filtered(left, static_cast<double>(run_[i])), r = filtered(right, static_cast<double>(run_[i + 1]));
      energy_ += l * l + r * r;
      if (++in_tenth_ < tenth) continue;
      energies_.push_back(energy_ / static_cast<double>(tenth));
      energy_ = 0;
      in_tenth_ = 0;
    }
    states_ = {left, right};
    frames_ += static_cast<std::int64_t>(run_.size() / 2);
  }
  run_.clear();
  from_ = -1;
}

double OwnLoudness::range() const {
  constexpr double gate_below_mean = -20, low = 0.10, high = 0.95;
  std::vector<double> blocks;  // three seconds each, a second apart
  for (std::size_t at = 0; at + tenths_of_short_term <= energies_.size(); at += 10)
    if (const double its = std::accumulate(&energies_[at], &energies_[at] + tenths_of_short_term, 0.0) / tenths_of_short_term;
        loudness_of_energy(its).value > absolute_gate)
      blocks.push_back(its);
  if (blocks.empty()) return 0;
  const double gate =
      loudness_of_energy(std::accumulate(blocks.begin(), blocks.end(), 0.0) / static_cast<double>(blocks.size())).value + gate_below_mean;
  std::erase_if(blocks, [&](double its) { return loudness_of_energy(its).value <= gate; });
  std::sort(blocks.begin(), blocks.end());
  const auto at = [&](double share) {
    return loudness_of_energy(blocks[static_cast<std::size_t>(std::lround(static_cast<double>(blocks.size() - 1) * share))]).value;
  };
  return blocks.empty() ? 0 : at(high) - at(low);
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
