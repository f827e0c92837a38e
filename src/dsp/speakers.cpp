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

/// 0.9 dB.
constexpr double most_folded = 1.23;

/// Folded to two channels as ITU-R BS.775-3 has it, annex 4: the centre and what is behind at -3 dB.
double power_folded(const std::array<float, 8>& amplitudes) {
  const auto of = [&](std::size_t channel) { return static_cast<double>(amplitudes[channel]); };
  const double left = of(0) + (of(2) + of(4) + of(6)) * std::numbers::sqrt2 / 2;
  const double right = of(1) + (of(2) + of(5) + of(7)) * std::numbers::sqrt2 / 2;
  return left * left + right * right;
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
  const double folded_from_there = has_centre ? power_folded(amplitudes_of(powers)) : 0;
  for (const Speaker& speaker : speakers)
    powers[speaker.channel] = powers[speaker.channel] * (1 - everywhere) + (speaker.degrees == 0 ? 0 : share);
  amplitudes = amplitudes_of(powers);
  if (!has_centre) return amplitudes;
  // The channels have the same signal, so that it adds up where they are folded to two: no more than that is left of it.
  const double most = std::max(folded_from_there, 1.0) * (1 - everywhere) + most_folded * everywhere;
  const auto scale = static_cast<float>(std::sqrt(std::min(1.0, most / power_folded(amplitudes))));
  for (float& amplitude : amplitudes) amplitude *= scale;
  return amplitudes;
}

}  // namespace tidewater
