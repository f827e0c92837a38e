#include "tidewater/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/shorten.hpp"

namespace tidewater {

double amplitude(Decibels level) { return level == silence ? 0.0 : std::exp2(level.value * (std::numbers::ln10 / std::numbers::ln2 / 20)); }

Decibels decibels(double amplitude) { return amplitude > 0 ? Decibels{20.0 * std::log10(amplitude)} : silence; }

double ratio(Semitones interval) { return std::exp2(interval.value / 12.0); }

Semitones semitones(double ratio) { return {12.0 * std::log2(ratio)}; }

Frames frames(Seconds time, Hertz rate) {
  constexpr double most = 0x1p62;
  const double count = time.value * rate.value;
  return {std::isnan(count) ? 0 : std::llround(std::clamp(count, -most, most))};
}

Seconds seconds(Frames count, Hertz rate) { return {static_cast<double>(count.value) / rate.value}; }

double loudness_fraction(Decibels level) { return level == silence ? 0.0 : std::exp2(level.value / 10.0); }

Decibels from_loudness_fraction(double fraction) { return fraction > 0 ? Decibels{10.0 * std::log2(fraction)} : silence; }

namespace {

constexpr Decibels loudest{24};     // beyond this a slip of the finger hurts ears
constexpr double widest_ratio = 8;  // three octaves each way: as far as the resampler's filters go
constexpr Seconds longest{3600};

std::string_view trimmed(std::string_view text) {
  const auto space = [](char c) { return c == ' ' || c == '\t'; };
  while (!text.empty() && space(text.front())) text.remove_prefix(1);
  while (!text.empty() && space(text.back())) text.remove_suffix(1);
  return text;
}

struct Quantity {
  double number = 0;
  std::string_view unit;  // "x" where it stands before the number
};

std::optional<Quantity> split(std::string_view text) {
  text = trimmed(text);
  Quantity q;
  const bool ratio_first = !text.empty() && (text.front() == 'x' || text.front() == 'X');
  if (ratio_first) text = trimmed(text.substr(1));
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), q.number);
  if (error != std::errc() || !std::isfinite(q.number)) return std::nullopt;
  q.unit = trimmed(text.substr(static_cast<std::size_t>(end - text.data())));
  if (ratio_first) {
    if (!q.unit.empty()) return std::nullopt;
    q.unit = "x";
  }
  return q;
}

std::string shortest(double number) { return fmt::format("{}", number); }

template <class T>
Read<T> wrong(const std::string& problem) {
  return {std::nullopt, shortened(problem)};
}

template <class T>
Read<T> bad_unit(std::string_view text, const std::optional<Quantity>& q, std::string_view what, const std::vector<std::string>& units) {
  // Below zero only the first unit, of a logarithmic scale, makes sense.
  const std::size_t sensible = q && q->number < 0 ? 1 : units.size();
  std::string likely;
  for (std::size_t i = 0; i < sensible; ++i) {
    const std::string& unit = units[i];
    likely += i == 0 ? "" : i + 1 == sensible ? " or " : ", ";
    const std::string number = q ? shortest(q->number) : "1";
    likely += unit == "x" ? "\"x" + number + "\"" : "\"" + number + " " + unit + "\"";
  }
  if (!q) return wrong<T>(fmt::format("\"{}\" is not a {}; write for example {}", text, what, likely));
  if (q->unit.empty()) return wrong<T>(fmt::format("\"{}\" lacks a unit; write {}", text, likely));
  return wrong<T>(fmt::format("\"{}\" is not a unit of a {}; write {}", q->unit, what, likely));
}

template <class T>
Read<Range<T>> read_range(std::string_view text, Read<T> (*read)(std::string_view)) {
  const auto dots = text.find("..");
  if (dots == std::string_view::npos) {
    auto one = read(text);
    if (!one.value) return {std::nullopt, std::move(one.problem)};
    return {Range<T>{*one.value, *one.value}, {}};
  }
  const auto left = trimmed(text.substr(0, dots));
  const auto right = trimmed(text.substr(dots + 2));
  auto high = read(right);
  if (!high.value) return {std::nullopt, std::move(high.problem)};
  auto low = read(left);
  if (const auto bare = split(left); bare && bare->unit.empty()) low = read(fmt::format("{} {}", left, split(right)->unit));
  if (!low.value) return {std::nullopt, std::move(low.problem)};
  if (*low.value > *high.value)
    return {std::nullopt, fmt::format("the range \"{}\" is the wrong way round; write \"{} .. {}\"", text, right, left)};
  return {Range<T>{*low.value, *high.value}, {}};
}

}  // namespace

Read<Decibels> read_decibels(std::string_view text) {
  if (trimmed(text) == "silent") return {silence, {}};
  const auto q = split(text);
  Decibels level;
  if (q && (q->unit == "dB" || q->unit == "db"))
    level = {q->number};
  else if (q && (q->unit == "%" || q->unit == "x") && q->number < 0)
    return wrong<Decibels>(fmt::format("a level of \"{}\" is below nothing; \"silent\" is the lowest", text));
  else if (q && q->unit == "%")
    level = from_loudness_fraction(q->number / 100);
  else if (q && q->unit == "x")
    level = decibels(q->number);
  else
    return bad_unit<Decibels>(text, q, "level", {"dB", "%", "x"});
  if (level > loudest)
    return wrong<Decibels>(fmt::format("\"{}\" is louder than \"+{} dB\", the most that is allowed", text, loudest.value));
  return {level, {}};
}

Read<Semitones> read_semitones(std::string_view text) {
  const auto q = split(text);
  Semitones interval;
  if (q && q->unit == "st")
    interval = {q->number};
  else if (q && q->unit == "ct")
    interval = {q->number / 100};
  else if (q && q->unit == "x" && q->number <= 0)
    return wrong<Semitones>(fmt::format("a pitch ratio of \"{}\" is not above zero; \"x0.5\" is an octave down", text));
  else if (q && q->unit == "x")
    interval = semitones(q->number);
  else
    return bad_unit<Semitones>(text, q, "pitch", {"st", "ct", "x"});
  if (std::abs(interval.value) > semitones(widest_ratio).value)
    return wrong<Semitones>(fmt::format("\"{}\" is further than three octaves (-36 st .. 36 st, x0.125 .. x8)", text));
  return {interval, {}};
}

Read<Seconds> read_seconds(std::string_view text) {
  const auto q = split(text);
  Seconds time;
  if (q && q->unit == "ms")
    time = {q->number / 1000};
  else if (q && q->unit == "s")
    time = {q->number};
  else if (q && q->unit == "min")
    time = {q->number * 60};
  else
    return bad_unit<Seconds>(text, q, "time", {"ms", "s"});
  if (time < Seconds{0}) return wrong<Seconds>(fmt::format("the time \"{}\" is negative; zero is the least", text));
  if (time > longest) return wrong<Seconds>(fmt::format("\"{}\" is longer than an hour; is the unit right?", text));
  return {time, {}};
}

Read<Decibels> read_loudness(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "LUFS") return bad_unit<Decibels>(text, q, "loudness", {"LUFS"});
  if (q->number < -60 || q->number > -5) return wrong<Decibels>(fmt::format("\"{}\" is outside -60 LUFS to -5 LUFS", text));
  return {Decibels{q->number}, {}};
}

Read<Hertz> read_hertz(std::string_view text) {
  const auto q = split(text);
  Hertz frequency;
  if (q && q->unit == "Hz")
    frequency = {q->number};
  else if (q && q->unit == "kHz")
    frequency = {q->number * 1000};
  else
    return bad_unit<Hertz>(text, q, "frequency", {"Hz", "kHz"});
  if (frequency < Hertz{10} || frequency > Hertz{100'000}) return wrong<Hertz>(fmt::format("\"{}\" is outside 10 Hz to 100 kHz", text));
  return {frequency, {}};
}

Read<Pan> read_pan(std::string_view text) {
  text = trimmed(text);
  if (text == "centre") return {Pan{}, {}};
  const auto q = split(text);
  const auto sided = [&](std::string_view side) {
    return q && q->unit.starts_with('%') && trimmed(q->unit.substr(1)) == side && q->number >= 0 && q->number <= 100;
  };
  if (sided("left")) return {Pan{-q->number / 100}, {}};
  if (sided("right")) return {Pan{q->number / 100}, {}};
  return wrong<Pan>(fmt::format("\"{}\" is no place between the speakers; write \"centre\", \"30 % left\" or \"100 % right\"", text));
}

Read<Range<Decibels>> read_decibel_range(std::string_view text) { return read_range<Decibels>(text, read_decibels); }

Read<Range<Semitones>> read_semitone_range(std::string_view text) { return read_range<Semitones>(text, read_semitones); }

Read<Range<Pan>> read_pan_range(std::string_view text) { return read_range<Pan>(text, read_pan); }

Read<Range<Seconds>> read_second_range(std::string_view text) { return read_range<Seconds>(text, read_seconds); }

Read<Range<Hertz>> read_hertz_range(std::string_view text) { return read_range<Hertz>(text, read_hertz); }

Read<Range<Frames>> read_frame_range(std::string_view text) {
  return read_range<Frames>(text, [](std::string_view one) -> Read<Frames> {
    const auto q = split(one);
    if (!q || q->unit != "frames") return bad_unit<Frames>(one, q, "count of frames", {"frames"});
    if (q->number < 0 || q->number > 1e12 || q->number != std::floor(q->number))
      return wrong<Frames>(fmt::format("\"{}\" must be a whole number of frames, zero or more", one));
    return {Frames{static_cast<std::int64_t>(q->number)}, {}};
  });
}

Read<double> read_share(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "%" || q->number < 0 || q->number > 100)
    return wrong<double>(fmt::format("\"{}\" is not a share; write for example \"30 %\", from \"0 %\" to \"100 %\"", text));
  return {q->number / 100, {}};
}

std::string to_text(Decibels level) { return level == silence ? "silent" : shortest(level.value) + " dB"; }
std::string to_text(Semitones interval) { return shortest(interval.value) + " st"; }
std::string to_text(Hertz frequency) { return shortest(frequency.value) + " Hz"; }
std::string to_text(Pan pan) {
  if (pan.value == 0) return "centre";
  return shortest(std::abs(pan.value) * 100) + (pan.value < 0 ? " % left" : " % right");
}
std::string to_text(Seconds time) { return shortest(time.value) + " s"; }

}  // namespace tidewater
