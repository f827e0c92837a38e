#include "author/listen/speech_meter.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

namespace tidewater {
namespace {

constexpr double lowest_band = 160;
/// ANSI S3.5-1997, table 3: importance of the third-octave bands from 160 Hz to 8 kHz.
constexpr std::array<double, 18> importance = {.0083, .0095, .0150, .0289, .0440, .0578, .0653, .0711, .0818,
                                               .0844, .0882, .0898, .0868, .0844, .0771, .0527, .0364, .0185};
constexpr double quietest_speech = 1e-3;  ///< of the loudest frame's power: a frame below it is no speech
constexpr double nothing = 1e-12;         ///< power that is added to each band, so that silence has a logarithm
constexpr double covered_below = 0.45;    ///< "poor" in the standard
constexpr double strong_share = 0.2;      ///< of the masking power, from which a sound is named
constexpr std::size_t most_named = 3;

double index_of(std::span<const double> speech, std::span<const double> rest, std::span<double> audible) {
  double sum = 0;
  for (std::size_t b = 0; b < importance.size(); ++b) {
    audible[b] = std::clamp((10 * std::log10((speech[b] + nothing) / (rest[b] + nothing)) + 15) / 30, 0.0, 1.0);
    sum += importance[b] * audible[b];
  }
  return sum / std::accumulate(importance.begin(), importance.end(), 0.0);
}

void add(std::vector<float>& to, std::int64_t at, std::span<const float> left, std::span<const float> right, double gain) {
  const auto half = static_cast<float>(gain / 2);
  for (std::size_t i = 0; i < left.size(); ++i) to[static_cast<std::size_t>(at) + i] += half * (left[i] + right[i]);
}

}  // namespace

SpeechMeter::SpeechMeter(Hertz rate)
    : octaves_(rate, {.lowest = lowest_band, .bands = band_count}), second_frames_(static_cast<std::int64_t>(rate.value)) {
  const std::size_t size = static_cast<std::size_t>(second_frames_) + 2 * octaves_.window();
  speech_.resize(size), all_.resize(size);
}

void SpeechMeter::go_to(std::int64_t from) {
  const std::int64_t second = from / second_frames_;
  if (second == second_) return;
  measure();
  second_ = second;
}

void SpeechMeter::add_speech(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain) {
  go_to(from);
  speaks_ = speaks_ || std::any_of(left.begin(), left.end(), [](float x) { return x != 0; }) ||
            std::any_of(right.begin(), right.end(), [](float x) { return x != 0; });
  add(speech_, from - second_ * second_frames_, left, right, gain);
}

void SpeechMeter::add_all(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain) {
  go_to(from);
  add(all_, from - second_ * second_frames_, left, right, gain);
}

void SpeechMeter::add_sound(std::string_view name, std::int64_t from, std::span<const float> left, std::span<const float> right,
                            double gain) {
  go_to(from);
  auto known = sounds_.find(name);
  if (known == sounds_.end()) known = sounds_.emplace(std::string(name), std::vector<float>(speech_.size())).first;
  add(known->second, from - second_ * second_frames_, left, right, gain);
}

void SpeechMeter::end_session() {
  measure();
  ++session_;
  second_ = 0;
}

template <class Take>
void SpeechMeter::each_window(const std::vector<float>& samples, Take take) {
  for (std::size_t at = 0; at + octaves_.window() <= static_cast<std::size_t>(second_frames_); at += octaves_.hop()) {
    Bands bands{};
    octaves_.add(std::span(samples).subspan(at), bands);
    take(bands);
  }
}

/// Names the sounds that hold most of the power in the bands in which speech was lost.
std::vector<std::string> SpeechMeter::culprits(const Bands& lost, const Bands& rest) {
  std::vector<std::pair<double, std::string>> found;
  const double all = std::accumulate(lost.begin(), lost.end(), 0.0);
  for (const auto& [name, samples] : sounds_) {
    Bands its{};
    each_window(samples, [&](const Bands& bands) {
      for (std::size_t b = 0; b < band_count; ++b) its[b] += bands[b];
    });
    double share = 0;
    for (std::size_t b = 0; b < band_count; ++b) share += lost[b] * std::min(1.0, its[b] / (rest[b] + nothing));
    if (all > 0 && share / all >= strong_share) found.emplace_back(share / all, name);
  }
  std::sort(found.rbegin(), found.rend());
  std::vector<std::string> names;
  for (std::size_t i = 0; i < std::min(found.size(), most_named); ++i) names.push_back(found[i].second);
  return names;
}

/// Measures the present second and clears it.
void SpeechMeter::measure() {
  if (std::exchange(speaks_, false)) {
    Second second{session_, second_, {}, {}};
    for (std::size_t i = 0; i < all_.size(); ++i) all_[i] -= speech_[i];
    std::vector<Bands> speech;
    each_window(speech_, [&](const Bands& bands) { speech.push_back(bands); });
    Bands lost{}, rest{};
    std::size_t at = 0;
    double sum = 0;
    each_window(all_, [&](const Bands& bands) {
      Bands audible{};
      const double index = index_of(speech[at], bands, audible);
      const double power = std::accumulate(speech[at].begin(), speech[at].end(), 0.0);
      second.frames.push_back({static_cast<float>(power), static_cast<float>(index)});
      for (std::size_t b = 0; b < band_count; ++b) lost[b] += importance[b] * (1 - audible[b]) * power, rest[b] += bands[b];
      sum += index;
      ++at;
    });
    constexpr double worth_asking = 0.5;
    if (at > 0 && sum / static_cast<double>(at) < worth_asking) second.by = culprits(lost, rest);
    seconds_.push_back(std::move(second));
  }
  std::fill(speech_.begin(), speech_.end(), 0.0F);
  std::fill(all_.begin(), all_.end(), 0.0F);
  sounds_.clear();
}

void SpeechMeter::results(Balance& to) const {
  float loudest = 0;
  for (const Second& second : seconds_)
    for (const Frame& frame : second.frames) loudest = std::max(loudest, frame.power);
  double all = 0;
  std::size_t count = 0;
  for (const Second& second : seconds_) {
    double sum = 0;
    std::size_t spoken = 0;
    for (const Frame& frame : second.frames)
      if (static_cast<double>(frame.power) > quietest_speech * static_cast<double>(loudest))
        sum += static_cast<double>(frame.index), ++spoken;
    if (spoken == 0) continue;
    all += sum, count += spoken;
    to.speech = to.speech + Seconds{static_cast<double>(spoken) / static_cast<double>(second.frames.size())};
    const double index = sum / static_cast<double>(spoken);
    if (index >= covered_below) continue;
    to.covered_for = to.covered_for + Seconds{1};
    const auto from = static_cast<double>(second.number);
    if (!to.covered.empty()) {
      CoveredSpeech& last = to.covered.back();
      if (last.session == second.session && last.from.value + last.length.value == from && last.by == second.by) {
        last.length = last.length + Seconds{1};
        last.index = std::min(last.index, index);
        continue;
      }
    }
    to.covered.push_back({second.session, {from}, {1}, index, second.by});
  }
  to.index = count == 0 ? 0 : all / static_cast<double>(count);
}

double speech_index(std::span<const float> speech, std::span<const float> rest, Hertz rate) {
  Octaves octaves(rate, {.lowest = lowest_band, .bands = importance.size()});
  std::vector<std::pair<double, double>> frames;
  double loudest = 0;
  for (std::size_t at = 0; at + octaves.window() <= std::min(speech.size(), rest.size()); at += octaves.hop()) {
    std::array<double, 18> a{}, b{}, audible{};
    octaves.add(speech.subspan(at), a);
    octaves.add(rest.subspan(at), b);
    frames.emplace_back(std::accumulate(a.begin(), a.end(), 0.0), index_of(a, b, audible));
    loudest = std::max(loudest, frames.back().first);
  }
  double sum = 0;
  std::size_t count = 0;
  for (const auto& [power, index] : frames)
    if (power > quietest_speech * loudest) sum += index, ++count;
  return count == 0 ? 0 : sum / static_cast<double>(count);
}

}  // namespace tidewater
