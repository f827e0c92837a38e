#include "author/listen/sound_print.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace tidewater {
namespace {

constexpr double lowest_fine = 60;
constexpr int fine_per_octave = 48;
constexpr std::size_t fine_count = 7 * fine_per_octave;
constexpr double fine_window = 0.171;  // seconds: lines are 6 Hz apart
constexpr int furthest = fine_per_octave;
constexpr float silent_piece = 1e-5F;

/// In dB of the loudest band, -60 at least.
std::vector<double> profile(const std::vector<double>& powers) {
  const double most = *std::max_element(powers.begin(), powers.end());
  std::vector<double> levels;
  for (const double power : powers) levels.push_back(most > 0 ? std::max(-60.0, 10 * std::log10(power / most + 1e-9)) + 60 : 0);
  return levels;
}

double correlation(const std::vector<double>& a, const std::vector<double>& b, int shift) {
  double ab = 0, aa = 0, bb = 0;
  for (int i = 0; i < static_cast<int>(a.size()); ++i) {
    const int j = i + shift;
    if (j < 0 || j >= static_cast<int>(b.size())) continue;
    const double x = a[static_cast<std::size_t>(i)], y = b[static_cast<std::size_t>(j)];
    ab += x * y, aa += x * x, bb += y * y;
  }
  return aa > 0 && bb > 0 ? ab / std::sqrt(aa * bb) : 0;
}

/// Moves what waits through a spectrum, window by window.
void take_windows(std::vector<float>& waiting, Octaves& octaves, std::vector<double>& powers) {
  std::size_t at = 0;
  for (; at + octaves.window() <= waiting.size(); at += octaves.hop()) octaves.add(std::span(waiting).subspan(at), powers);
  waiting.erase(waiting.begin(), waiting.begin() + static_cast<std::ptrdiff_t>(at));
}

}  // namespace

SoundPrint::SoundPrint(Hertz rate)
    : loudness_(rate),
      thirds_(rate, {.lowest = lowest_band, .bands = band_count}),
      fine_(rate, {.lowest = lowest_fine, .bands = fine_count, .per_octave = fine_per_octave, .window = Seconds{fine_window}}),
      powers_(band_count),
      fine_powers_(fine_count) {}

void SoundPrint::add(std::int64_t from, std::span<const float> left, std::span<const float> right) {
  if (from != from_) analyse();
  from_ = from;
  loudness_.add(from, left, right);
  run_.resize(std::max(run_.size(), left.size()));
  for (std::size_t i = 0; i < left.size(); ++i) run_[i] += left[i] + right[i];
}

void SoundPrint::analyse() {
  if (std::any_of(run_.begin(), run_.end(), [](float x) { return std::abs(x) > silent_piece; })) {
    waiting_.insert(waiting_.end(), run_.begin(), run_.end());
    waiting_fine_.insert(waiting_fine_.end(), run_.begin(), run_.end());
    take_windows(waiting_, thirds_, powers_);
    take_windows(waiting_fine_, fine_, fine_powers_);
  }
  run_.clear();
}

void SoundPrint::finish() {
  analyse();
  // What is left is filled up with silence, so that a short sound has a spectrum.
  for (auto [waiting, octaves, powers] : {std::tuple(&waiting_, &thirds_, &powers_), std::tuple(&waiting_fine_, &fine_, &fine_powers_)}) {
    if (waiting->empty()) continue;
    waiting->resize(octaves->window());
    octaves->add(*waiting, *powers);
    waiting->clear();
  }
  loudness_.finish();
}

std::vector<std::pair<std::size_t, double>> SoundPrint::differing_bands(const SoundPrint& one, const SoundPrint& other) {
  constexpr double far_below = 1e-4, most = 1;
  const double all_one = std::accumulate(one.powers_.begin(), one.powers_.end(), 0.0);
  const double all_other = std::accumulate(other.powers_.begin(), other.powers_.end(), 0.0);
  std::vector<std::pair<std::size_t, double>> bands;
  if (all_one == 0 || all_other == 0) return bands;
  for (std::size_t b = 0; b < band_count; ++b) {
    const double x = one.powers_[b] / all_one, y = other.powers_[b] / all_other;
    if (std::max(x, y) < far_below) continue;
    const double change = 10 * std::log10((y + 1e-9) / (x + 1e-9));
    if (std::abs(change) > most) bands.emplace_back(b, change);
  }
  return bands;
}

double SoundPrint::pitch_between(const SoundPrint& one, const SoundPrint& other) {
  constexpr double good_fit = 0.9, better = 0.002;
  const std::vector<double> a = profile(one.fine_powers_), b = profile(other.fine_powers_);
  int best = 0;
  double fit = correlation(a, b, 0);
  const double still = fit;
  for (int shift = -furthest; shift <= furthest; ++shift)
    if (const double its = correlation(a, b, shift); its > fit) fit = its, best = shift;
  if (fit < good_fit || fit < still + better) return 0;
  const double before = correlation(a, b, best - 1), after = correlation(a, b, best + 1), bend = before - 2 * fit + after;
  const double between = bend < 0 ? std::clamp(0.5 * (before - after) / bend, -0.5, 0.5) : 0;
  return (best + between) * 12 / fine_per_octave;
}

}  // namespace tidewater
