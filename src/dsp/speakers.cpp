#include "dsp/speakers.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <span>

namespace tidewater {
namespace {

struct Speaker {
  std::size_t channel;
  double degrees;  ///< from the front, clockwise
};

// Clockwise from behind on the left.
constexpr std::array<Speaker, 2> of_stereo = {{{0, -90}, {1, 90}}};
constexpr std::array<Speaker, 5> of_5_1 = {{{4, -110}, {0, -30}, {2, 0}, {1, 30}, {5, 110}}};
constexpr std::array<Speaker, 7> of_7_1 = {{{4, -135}, {6, -90}, {0, -30}, {2, 0}, {1, 30}, {7, 90}, {5, 135}}};

std::span<const Speaker> speakers_of(Layout layout) {
  switch (layout) {
    case Layout::surround_5_1: return of_5_1;
    case Layout::surround_7_1: return of_7_1;
    default: return of_stereo;
  }
}

/// The power that a sound from everywhere keeps, as a factor. With it, such a sound is 0.9 dB louder than one from a single direction after
/// a fold-down to two channels by ITU-R BS.775-3, annex 4 (centre and rear channels at -3 dB).
double kept_all_round(Layout layout) {
  constexpr double most_folded = 1.23;
  const auto behind = static_cast<double>(layout == Layout::surround_7_1 ? 2 : layout == Layout::surround_5_1 ? 1 : 0);  // on each side
  const double amplitude = (1 + behind * std::numbers::sqrt2 / 2) / std::sqrt(2 * (1 + behind));
  return std::min(1.0, most_folded / (2 * amplitude * amplitude));
}

}  // namespace

std::array<float, 8> towards(Layout layout, double azimuth, double all_round) {
  std::array<float, 8> amplitudes{};
  if (layout == Layout::mono) {  // its bus is a pair that is folded at equal power
    amplitudes[0] = amplitudes[1] = static_cast<float>(std::numbers::sqrt2 / 2);
    return amplitudes;
  }
  const std::span<const Speaker> speakers = speakers_of(layout);
  std::array<double, 8> powers{};
  double degrees = std::remainder(azimuth * 180 / std::numbers::pi, 360);
  const double first = speakers.front().degrees;
  if (degrees < first) degrees += 360;
  std::size_t left = speakers.size() - 1;
  while (speakers[left].degrees > degrees) --left;
  const Speaker& right = speakers[(left + 1) % speakers.size()];
  const double gap = left + 1 < speakers.size() ? right.degrees - speakers[left].degrees : right.degrees + 360 - speakers[left].degrees;
  const double angle = (degrees - speakers[left].degrees) / gap * std::numbers::pi / 2;
  powers[speakers[left].channel] = std::cos(angle) * std::cos(angle);
  powers[right.channel] = std::sin(angle) * std::sin(angle);
  const double everywhere = std::clamp(all_round, 0.0, 1.0);
  const auto amplitudes_of = [](const std::array<double, 8>& its) {
    std::array<float, 8> roots{};
    // What is 100 dB below the rest is not worth a channel.
    for (std::size_t c = 0; c < its.size(); ++c) roots[c] = its[c] < 1e-10 ? 0 : static_cast<float>(std::sqrt(its[c]));
    return roots;
  };
  if (everywhere == 0) return amplitudes_of(powers);
  const bool has_centre = speakers.size() > 2;
  const double share = everywhere / static_cast<double>(has_centre ? speakers.size() - 1 : speakers.size());
  // A sound from everywhere is the same signal in all channels, so a fold-down to two adds it up coherently. It is lowered to make up for
  // it.
  const double kept = 1 - everywhere * (1 - kept_all_round(layout));
  for (const Speaker& speaker : speakers)
    powers[speaker.channel] = kept * (powers[speaker.channel] * (1 - everywhere) + (speaker.degrees == 0 ? 0 : share));
  return amplitudes_of(powers);
}

}  // namespace tidewater
