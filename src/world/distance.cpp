#include "world/distance.hpp"

#include <algorithm>
#include <cmath>

#include "base/exact.hpp"
#include "tidewater/units.hpp"

namespace tidewater {
namespace {

constexpr double least_near = 0.01;  // m
constexpr double edge_from = 0.75;   // of `far`

/// Decibels a metre (ISO 9613-1, equation 5).
double taken_by_air(double hertz) {
  constexpr double kelvin = 293.15, triple_point = 273.16, humidity = 70;  // percent
  // Molar concentration of water vapour, in percent (annex B); pressure is the reference's.
  const double vapour = humidity * std::pow(10.0, -6.8346 * std::pow(triple_point / kelvin, 1.261) + 4.6151);
  const double oxygen = 24 + 4.04e4 * vapour * (0.02 + vapour) / (0.391 + vapour);
  const double nitrogen = 9 + 280 * vapour;
  const double square = hertz * hertz;
  return 8.686 * square *
         (1.84e-11 + 0.01275 * std::exp(-2239.1 / kelvin) / (oxygen + square / oxygen) +
          0.1068 * std::exp(-3352.0 / kelvin) / (nitrogen + square / nitrogen));
}

struct AirStep {
  double metres, hertz;
};
/// The filter meets the curve of the standard where that takes `met` dB: this leaves the least error, 4 dB up to
/// 8 kHz, as long as less than 25 dB are taken. A second-order Butterworth low-pass takes 8 dB at 1.52 times its cutoff.
constexpr double met = 8, over_cutoff = 1.52;
/// Cutoffs from the highest, which comes first, down; in sixteenths of an octave.
constexpr double highest = 20000, steps_an_octave = 16;
constexpr std::size_t air_steps = 97;  // down to 312 Hz
const std::array<AirStep, air_steps>& air() {
  static const std::array<AirStep, air_steps> steps = [] {
    std::array<AirStep, air_steps> made{};
    for (std::size_t i = 0; i < air_steps; ++i) {
      const double hertz = highest * std::exp2(-static_cast<double>(i) / steps_an_octave);
      made[i] = {met / taken_by_air(over_cutoff * hertz), hertz};
    }
    return made;
  }();
  return steps;
}

}  // namespace

DistanceCurve::DistanceCurve(const WorldDesign& design)
    : falloff_(design.points.empty() && design.falloff == Falloff::points ? Falloff::inverse : design.falloff),
      near_(std::max({design.full_within.value, design.radius.value, least_near})),
      far_(std::max(design.silent_from.value, near_ * 1.001)),
      rolloff_(design.rolloff),
      edge_(falloff_ == Falloff::linear && rolloff_ >= 1 ? far_ : std::max(near_, far_ * edge_from)),
      points_(design.points) {
  // Places at which it is looked at: near ones close together, and all that bend it.
  std::vector<double> places;
  constexpr int count = 192;
  for (int i = 0; i <= count; ++i) places.push_back(near_ * exact::exp2(exact::log2(far_ / near_) * i / count));
  for (const FalloffPoint& point : points_) places.push_back(point.at.value);
  places.push_back(edge_);
  std::sort(places.begin(), places.end());
  std::vector<Decibels> levels;
  for (const double place : places) levels.push_back(decibels(amplitude(place)));
  for (int down = 0; down <= most_down; ++down) {
    const Decibels least{-static_cast<double>(down)};
    std::size_t last = places.size();
    while (last > 0 && levels[last - 1] < least) --last;
    // It falls below somewhere before the next place.
    reach_[static_cast<std::size_t>(down)] = last == 0 ? 0 : std::min(last < places.size() ? places[last] : far_, far_);
  }
}

double DistanceCurve::reach(int down) const { return down < 0 ? 0 : reach_[static_cast<std::size_t>(std::min(down, most_down))]; }

double DistanceCurve::shape(double metres) const {
  switch (falloff_) {
    case Falloff::inverse: return near_ / (near_ + rolloff_ * (metres - near_));
    case Falloff::linear: return std::max(0.0, 1 - rolloff_ * (metres - near_) / (far_ - near_));
    case Falloff::exponential: return exact::exp2(-rolloff_ * exact::log2(metres / near_));
    case Falloff::points: break;
  }
  const auto after = std::find_if(points_.begin(), points_.end(), [&](const FalloffPoint& point) { return point.at.value > metres; });
  if (after == points_.begin()) return tidewater::amplitude(after->level);
  const FalloffPoint& before = *(after - 1);
  if (after == points_.end()) return tidewater::amplitude(before.level);
  const double part = (metres - before.at.value) / (after->at.value - before.at.value);
  // Evenly in decibels; towards silence, in amplitude.
  if (before.level == silence || after->level == silence)
    return tidewater::amplitude(before.level) * (1 - part) + tidewater::amplitude(after->level) * part;
  return tidewater::amplitude({before.level.value + (after->level.value - before.level.value) * part});
}

double DistanceCurve::amplitude(double metres) const {
  if (metres >= far_) return 0;
  const double level = falloff_ == Falloff::points ? shape(metres) : metres <= near_ ? 1 : shape(metres);
  if (metres <= edge_) return level;
  const double left = (far_ - metres) / (far_ - edge_);
  return level * left * left * (3 - 2 * left);
}

double air_low_pass(double metres, double share) {
  const double way = metres * share;
  const auto& steps = air();
  if (way <= steps.front().metres) return 0;
  const auto next = std::find_if(steps.begin(), steps.end(), [&](const AirStep& step) { return step.metres >= way; });
  if (next == steps.end()) return steps.back().hertz;
  const AirStep& before = *(next - 1);
  return before.hertz + (next->hertz - before.hertz) * (way - before.metres) / (next->metres - before.metres);
}

}  // namespace tidewater
