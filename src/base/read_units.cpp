/// Quantities as people write them. What can only mean one thing is taken, in small letters or large; what may mean two is
/// refused, with the right form written out.

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <vector>

#include "base/shorten.hpp"
#include "base/text.hpp"
#include "tidewater/units.hpp"

namespace tidewater {
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

/// A comma between digits is a decimal point, unless three follow: then it may part thousands.
bool parts_thousands(std::string_view text, std::size_t comma) {
  std::size_t digits = 0;
  while (comma + 1 + digits < text.size() && is_digit(text[comma + 1 + digits])) ++digits;
  return digits == 3;
}

/// One kind of sign, point and letter: "−3,5 dB" is "-3.5 db", "±1 st" is "+-1 st".
std::string plain(std::string_view text) {
  struct Sign {
    std::string_view written, meant;
  };
  constexpr Sign signs[] = {{"\u2212", "-"}, {"\u2013", "-"}, {"\u00b1", "+-"}, {"\u00d7", "x"},  {"\u2026", ".."},
                            {"\u00a0", " "}, {"+/-", "+-"},   {"...", ".."},    {"\u00b0", "deg"}};
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const auto* sign =
        std::find_if(std::begin(signs), std::end(signs), [&](const Sign& s) { return text.substr(i).starts_with(s.written); });
    if (sign != std::end(signs)) {
      out += sign->meant;
      i += sign->written.size();
      continue;
    }
    const char c = text[i];
    const bool between_digits = i > 0 && i + 1 < text.size() && is_digit(text[i - 1]) && is_digit(text[i + 1]);
    if (c == ',' && between_digits && !parts_thousands(text, i))
      out += '.';
    else
      out += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    ++i;
  }
  return std::string(trimmed(out));
}

struct Quantity {
  double number = 0;
  double hundredth = 0;  // of the number as it is written: a hundredth of what was read may be another double
  std::string unit;      // "x" where it stands before the number
};

/// The number in `digits`, moved by two places.
double hundredth_of(std::string_view digits) {
  const auto e = std::min(digits.find('e'), digits.size());
  int exponent = 0;
  if (e < digits.size()) {
    const std::string_view written = digits.substr(digits[e + 1] == '+' ? e + 2 : e + 1);
    std::from_chars(written.data(), written.data() + written.size(), exponent);
  }
  const std::string moved = fmt::format("{}e{}", digits.substr(0, e), exponent - 2);
  double value = 0;
  std::from_chars(moved.data(), moved.data() + moved.size(), value);
  return value;
}

std::optional<Quantity> split(std::string_view written) {
  const std::string all = plain(written);
  std::string_view text = all;
  Quantity q;
  const bool ratio_first = !text.empty() && text.front() == 'x';
  if (ratio_first) text = trimmed(text.substr(1));
  if (!text.empty() && text.front() == '+') text = trimmed(text.substr(1));
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), q.number);
  if (error != std::errc() || !std::isfinite(q.number)) return std::nullopt;
  q.unit = trimmed(text.substr(static_cast<std::size_t>(end - text.data())));
  if (q.unit.starts_with('%')) q.hundredth = hundredth_of(text.substr(0, static_cast<std::size_t>(end - text.data())));
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

/// "a", "b" or "c".
std::string listed(const std::vector<std::string>& forms) {
  std::string list;
  for (std::size_t i = 0; i < forms.size(); ++i) list += (i == 0 ? "" : i + 1 == forms.size() ? " or " : ", ") + ("\"" + forms[i] + "\"");
  return list;
}

std::string with_unit(const std::string& number, const std::string& unit) { return unit == "x" ? "x" + number : number + " " + unit; }

/// What a quantity is called, and the units it may have, the likeliest first. Below zero only the first, of a logarithmic
/// scale, makes sense.
struct Sort {
  std::string_view name;
  std::vector<std::string> units;
};
const Sort level_sort{"level", {"dB", "%", "x"}};
const Sort pitch_sort{"pitch", {"st", "ct", "x"}};
const Sort time_sort{"time", {"ms", "s"}};
const Sort frequency_sort{"frequency", {"Hz", "kHz"}};
const Sort loudness_sort{"loudness", {"LUFS"}};
const Sort frames_sort{"count of frames", {"frames"}};
const Sort length_sort{"length", {"m", "km", "cm"}};
const Sort angle_sort{"angle", {"deg"}};
const Sort tempo_sort{"tempo", {"bpm"}};
const Sort place_sort{"place between the speakers", {"% left", "% right"}};

std::vector<std::string> sensible_units(const Sort& sort, bool below_zero) {
  return below_zero ? std::vector<std::string>{sort.units.front()} : sort.units;
}

template <class T>
Read<T> bad_unit(std::string_view text, const std::optional<Quantity>& q, const Sort& sort) {
  std::vector<std::string> forms;
  for (const auto& unit : sensible_units(sort, q && q->number < 0)) forms.push_back(with_unit(q ? shortest(q->number) : "1", unit));
  for (std::size_t i = 1; i + 3 < text.size(); ++i)
    if (text[i] == ',' && is_digit(text[i - 1]) && parts_thousands(text, i))
      return wrong<T>(fmt::format("the comma in \"{}\" may be a point or part thousands; write \"{}\" or \"{}\"", text,
                                  std::string(text.substr(0, i)) + "." + std::string(text.substr(i + 1)),
                                  std::string(text.substr(0, i)) + std::string(text.substr(i + 1))));
  if (!q) return wrong<T>(fmt::format("\"{}\" is not a {}; write for example {}", text, sort.name, listed(forms)));
  if (q->unit.empty()) return wrong<T>(fmt::format("\"{}\" lacks a unit; write {}", text, listed(forms)));
  return wrong<T>(fmt::format("\"{}\" is not a unit of a {}; write {}", q->unit, sort.name, listed(forms)));
}

std::string ends_text(Frames count) { return fmt::format("{} frames", count.value); }
template <class T>
std::string ends_text(T value) {
  return tidewater::to_text(value);
}

struct Ends {
  std::string low, high;
};

/// The two ends of a range: "a .. b", "a to b", "a - b" where the dash can be no sign, or "+-a".
std::optional<Ends> ends_of(std::string_view text) {
  const auto cut = [&](std::size_t at, std::size_t width) {
    return Ends{std::string(trimmed(text.substr(0, at))), std::string(trimmed(text.substr(at + width)))};
  };
  if (text.starts_with("+-")) {
    const std::string end(trimmed(text.substr(2)));
    return Ends{end.starts_with('x') ? end : "-" + end, end};
  }
  if (const auto dots = text.find(".."); dots != std::string_view::npos) return cut(dots, 2);
  if (const auto to = text.find(" to "); to != std::string_view::npos) return cut(to, 4);
  const auto dash = text.find(" - ");
  if (dash == std::string_view::npos || dash == 0) return std::nullopt;
  const Ends ends = cut(dash, 3);
  const bool left_below = ends.low.starts_with('-');
  const bool right_signed = ends.high.starts_with('-') || ends.high.starts_with('+');
  return left_below && !right_signed ? std::nullopt : std::optional(ends);
}

template <class T>
Read<Range<T>> read_range(std::string_view text, Read<T> (*read)(std::string_view), const Sort& sort) {
  const std::string all = plain(text);
  const auto ends = ends_of(all);
  if (!ends) {
    auto one = read(text);
    const auto dash = all.find(" - ");
    if (!one.value && dash != std::string::npos && dash > 0)
      return wrong<Range<T>>(fmt::format("the dash in \"{0}\" may part the ends or be a sign; write \"{1} .. {2}\" or \"{1} .. -{2}\"",
                                         text, trimmed(std::string_view(all).substr(0, dash)),
                                         trimmed(std::string_view(all).substr(dash + 3))));
    if (!one.value) return {std::nullopt, std::move(one.problem)};
    return {Range<T>{*one.value, *one.value}, {}};
  }
  const auto left = split(ends->low);
  const auto right = split(ends->high);
  const bool left_bare = left && left->unit.empty();
  const bool right_bare = right && right->unit.empty();
  if (left_bare && right_bare) {
    std::vector<std::string> forms;
    for (const auto& unit : sensible_units(sort, left->number < 0 || right->number < 0))
      forms.push_back(unit == "x" ? fmt::format("x{} .. x{}", left->number, right->number)
                                  : fmt::format("{} .. {} {}", left->number, right->number, unit));
    return wrong<Range<T>>(fmt::format("\"{}\" lacks a unit; write {}", text, listed(forms)));
  }
  // The unit once, for both ends.
  auto high = read(right_bare && left ? with_unit(shortest(right->number), left->unit) : ends->high);
  if (!high.value) return {std::nullopt, std::move(high.problem)};
  auto low = read(left_bare && right ? with_unit(shortest(left->number), right->unit) : ends->low);
  if (!low.value) return {std::nullopt, std::move(low.problem)};
  if (*low.value > *high.value)
    return wrong<Range<T>>(
        fmt::format("the range \"{}\" is the wrong way round; write \"{} .. {}\"", text, ends_text(*high.value), ends_text(*low.value)));
  return {Range<T>{*low.value, *high.value}, {}};
}

Read<Frames> read_frames(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "frames") return bad_unit<Frames>(text, q, frames_sort);
  if (q->number < 0 || q->number > 1e12 || q->number != std::floor(q->number))
    return wrong<Frames>(fmt::format("\"{}\" must be a whole number of frames, zero or more", text));
  return {Frames{static_cast<std::int64_t>(q->number)}, {}};
}

}  // namespace

Read<Decibels> read_decibels(std::string_view text) {
  const std::string all = plain(text);
  if (all == "silent" || all == "-inf db" || all == "-infdb" || all == "-inf") return {silence, {}};
  const auto q = split(text);
  Decibels level;
  if (q && q->unit == "db")
    level = {q->number};
  else if (q && (q->unit == "%" || q->unit == "x") && q->number < 0)
    return wrong<Decibels>(fmt::format("a level of \"{}\" is below nothing; \"silent\" is the lowest", text));
  else if (q && q->unit == "%")
    level = from_loudness_fraction(q->number / 100);
  else if (q && q->unit == "x")
    level = decibels(q->number);
  else
    return bad_unit<Decibels>(text, q, level_sort);
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
    return bad_unit<Semitones>(text, q, pitch_sort);
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
    return bad_unit<Seconds>(text, q, time_sort);
  if (time < Seconds{0}) return wrong<Seconds>(fmt::format("the time \"{}\" is negative; zero is the least", text));
  if (time > longest) return wrong<Seconds>(fmt::format("\"{}\" is longer than an hour; is the unit right?", text));
  return {time, {}};
}

Read<Decibels> read_loudness(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "lufs") return bad_unit<Decibels>(text, q, loudness_sort);
  if (q->number < -60 || q->number > -5) return wrong<Decibels>(fmt::format("\"{}\" is outside -60 LUFS to -5 LUFS", text));
  return {Decibels{q->number}, {}};
}

Read<Hertz> read_hertz(std::string_view text) {
  const auto q = split(text);
  Hertz frequency;
  if (q && q->unit == "hz")
    frequency = {q->number};
  else if (q && q->unit == "khz")
    frequency = {q->number * 1000};
  else
    return bad_unit<Hertz>(text, q, frequency_sort);
  if (frequency < Hertz{10} || frequency > Hertz{100'000}) return wrong<Hertz>(fmt::format("\"{}\" is outside 10 Hz to 100 kHz", text));
  return {frequency, {}};
}

Read<Pan> read_pan(std::string_view text) {
  if (plain(text) == "centre") return {Pan{}, {}};
  const auto q = split(text);
  const auto sided = [&](std::string_view side) {
    return q && q->unit.starts_with('%') && trimmed(std::string_view(q->unit).substr(1)) == side && q->number >= 0 && q->number <= 100;
  };
  if (sided("left")) return {Pan{-q->hundredth}, {}};
  if (sided("right")) return {Pan{q->hundredth}, {}};
  return wrong<Pan>(fmt::format("\"{}\" is no place between the speakers; write \"centre\", \"30 % left\" or \"100 % right\"", text));
}

Read<Metres> read_metres(std::string_view text) {
  constexpr Metres furthest{100'000};
  const auto q = split(text);
  Metres length;
  if (q && q->unit == "m")
    length = {q->number};
  else if (q && q->unit == "km")
    length = {q->number * 1000};
  else if (q && q->unit == "cm")
    length = {q->number / 100};
  else
    return bad_unit<Metres>(text, q, length_sort);
  if (length < Metres{0}) return wrong<Metres>(fmt::format("the length \"{}\" is negative; zero is the least", text));
  if (length > furthest) return wrong<Metres>(fmt::format("\"{}\" is further than 100 km; is the unit right?", text));
  return {length, {}};
}

Read<Degrees> read_degrees(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "deg") return bad_unit<Degrees>(text, q, angle_sort);
  if (q->number < 0 || q->number > 360) return wrong<Degrees>(fmt::format("\"{}\" is outside 0 deg to 360 deg", text));
  return {Degrees{q->number}, {}};
}

Read<Tempo> read_tempo(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "bpm") return bad_unit<Tempo>(text, q, tempo_sort);
  if (q->number < 10 || q->number > 1000) return wrong<Tempo>(fmt::format("\"{}\" is outside 10 bpm to 1000 bpm", text));
  return {Tempo{q->number}, {}};
}

Read<Range<Decibels>> read_decibel_range(std::string_view text) { return read_range<Decibels>(text, read_decibels, level_sort); }

Read<Range<Semitones>> read_semitone_range(std::string_view text) { return read_range<Semitones>(text, read_semitones, pitch_sort); }

Read<Range<Pan>> read_pan_range(std::string_view text) { return read_range<Pan>(text, read_pan, place_sort); }

Read<Range<Seconds>> read_second_range(std::string_view text) { return read_range<Seconds>(text, read_seconds, time_sort); }

Read<Range<Hertz>> read_hertz_range(std::string_view text) { return read_range<Hertz>(text, read_hertz, frequency_sort); }

Read<Range<Frames>> read_frame_range(std::string_view text) { return read_range<Frames>(text, read_frames, frames_sort); }

Read<double> read_share(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "%" || q->number < 0 || q->number > 100)
    return wrong<double>(fmt::format("\"{}\" is not a share; write for example \"30 %\", from \"0 %\" to \"100 %\"", text));
  return {q->hundredth, {}};
}

Read<double> read_amount(std::string_view text) {
  const auto q = split(text);
  if (!q || q->unit != "%" || q->number < 0 || q->number > 1000)
    return wrong<double>(fmt::format("\"{}\" is not an amount; write for example \"100 %\", from \"0 %\" to \"1000 %\"", text));
  return {q->hundredth, {}};
}

}  // namespace tidewater
