#include "tidewater/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/exact.hpp"
#include "base/rounded.hpp"
#include "base/text.hpp"

namespace tidewater {

double amplitude(Decibels level) {
  if (level.value == 0) return 1;
  return level == silence ? 0.0 : exact::exp2(level.value * (std::numbers::ln10 / std::numbers::ln2 / 20));
}

Decibels decibels(double amplitude) {
  return amplitude > 0 ? Decibels{(20 * std::numbers::ln2 / std::numbers::ln10) * exact::log2(amplitude)} : silence;
}

double ratio(Semitones interval) { return exact::exp2(interval.value / 12.0); }

Semitones semitones(double ratio) { return {12.0 * exact::log2(ratio)}; }

Frames frames(Seconds time, Hertz rate) {
  if (time.value == 0) return {};
  constexpr double most = 0x1p62;
  const double count = time.value * rate.value;
  return {std::isnan(count) ? 0 : rounded(std::clamp(count, -most, most))};
}

Seconds seconds(Frames count, Hertz rate) { return {static_cast<double>(count.value) / rate.value}; }

double loudness_fraction(Decibels level) { return level == silence ? 0.0 : exact::exp2(level.value / 10.0); }

Decibels from_loudness_fraction(double fraction) { return fraction > 0 ? Decibels{10.0 * exact::log2(fraction)} : silence; }

std::string to_text(Decibels level) { return level == silence ? "silent" : shortest_digits(level.value) + " dB"; }
std::string to_text(Semitones interval) { return shortest_digits(interval.value) + " st"; }
std::string to_text(Hertz frequency) { return shortest_digits(frequency.value) + " Hz"; }
std::string to_text(Pan pan) {
  if (pan.value == 0) return "centre";
  return hundredfold(std::abs(pan.value)) + (pan.value < 0 ? " % left" : " % right");
}
std::string to_text(Metres length) { return shortest_digits(length.value) + " m"; }
std::string to_text(Degrees angle) { return shortest_digits(angle.value) + " deg"; }
std::string to_text(Tempo tempo) { return shortest_digits(tempo.value) + " bpm"; }
std::string to_text(Seconds time) { return shortest_digits(time.value) + " s"; }

}  // namespace tidewater
