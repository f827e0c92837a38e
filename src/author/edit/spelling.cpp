/// Other values in the unit and the spelling of a text.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "base/text.hpp"
#include "tidewater/author/edit_book.hpp"

namespace tidewater {
namespace {

/// A number in a text, with its sign.
struct Numeral {
  std::size_t from = 0, end = 0;
};

/// Minus signs that the book's reader takes.
constexpr std::string_view minus_signs[] = {"-", "+", "\u2212", "\u2013"};

std::vector<Numeral> numerals(std::string_view text) {
  std::vector<Numeral> all;
  const auto digit = [&](std::size_t at) { return at < text.size() && is_digit(text[at]); };
  for (std::size_t i = 0; i < text.size();) {
    if (!digit(i)) {
      ++i;
      continue;
    }
    Numeral its{i, i};
    while (digit(its.end) || ((text[its.end] == '.' || text[its.end] == ',') && digit(its.end + 1))) ++its.end;
    for (const std::string_view sign : minus_signs)
      if (text.substr(0, i).ends_with(sign)) its.from = i - sign.size();
    i = its.end;
    all.push_back(its);
  }
  return all;
}

/// At most four digits, or two behind the point.
std::string digits_of(double value) {
  const double size = std::abs(value);
  const int behind = size >= 10 || size == 0 ? 2 : 3 - static_cast<int>(std::floor(std::log10(size)));
  std::string text = fmt::format("{:.{}f}", value, std::clamp(behind, 2, 9));
  text.erase(text.find_last_not_of('0') + 1);
  if (text.ends_with('.')) text.pop_back();
  return text == "-0" ? "0" : text;
}

/// The text with other numbers; empty where it has no place for them.
std::string with_numbers(std::string_view old, double low, double high) {
  const std::vector<Numeral> numbers = numerals(old);
  if (numbers.empty()) return {};
  const auto spelt = [&](const Numeral& which, double value) {
    const std::string_view was = old.substr(which.from, which.end - which.from);
    std::string its = digits_of(value);
    if (was.starts_with('+') && value > 0) its.insert(0, 1, '+');
    if (was.find(',') != std::string_view::npos) std::replace(its.begin(), its.end(), '.', ',');
    for (const std::string_view sign : {"\u2212", "\u2013"})
      if (was.starts_with(sign) && its.starts_with('-')) its = std::string(sign) + its.substr(1);
    return its;
  };
  const std::string_view tail = old.substr(numbers.back().end);
  const bool ratio_first = old.starts_with("x") || old.starts_with("\u00d7");
  const std::string lead = ratio_first ? std::string(old.substr(0, numbers.front().from)) : std::string();
  const bool both_ways = old.starts_with("+-") || old.starts_with("\u00b1") || old.starts_with("+/-");
  if (both_ways) {
    if (low == -high) return fmt::format("+-{}{}", digits_of(high), tail);
    return fmt::format("{}{} .. {}{}", digits_of(low), tail, digits_of(high), tail);
  }
  if (numbers.size() == 2 && low != high)
    return fmt::format("{}{}{}{}{}", old.substr(0, numbers[0].from), spelt(numbers[0], low),
                       old.substr(numbers[0].end, numbers[1].from - numbers[0].end), spelt(numbers[1], high), tail);
  if (low == high) return fmt::format("{}{}{}", lead, spelt(numbers.back(), low), tail);
  return fmt::format("{}{}{} .. {}{}{}", lead, spelt(numbers[0], low), tail, lead, spelt(numbers[0], high), tail);
}

/// The unit behind the last number, or "x" before it.
std::string unit_of(std::string_view old) {
  if (old.starts_with("x") || old.starts_with("\u00d7")) return "x";
  const auto numbers = numerals(old);
  std::string unit;
  if (!numbers.empty())
    for (const char c : old.substr(numbers.back().end))
      if (c != ' ') unit += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return unit;
}

double in_unit(const std::string& unit, Decibels value) {
  return unit == "x" ? amplitude(value) : unit == "%" ? 100 * loudness_fraction(value) : value.value;
}
double in_unit(const std::string& unit, Semitones value) {
  return unit == "x" ? ratio(value) : unit == "ct" ? value.value * 100 : value.value;
}
double in_unit(const std::string& unit, Seconds value) { return unit == "ms" ? value.value * 1000 : value.value; }
double in_unit(const std::string& unit, Hertz value) { return unit == "khz" ? value.value / 1000 : value.value; }
double in_unit(const std::string& unit, Metres value) {
  return unit == "km" ? value.value / 1000 : unit == "cm" ? value.value * 100 : value.value;
}

bool near(double a, double b) { return a == b || std::abs(a - b) <= std::max(0.006, 0.001 * std::abs(b)); }

/// Read again, it must be what was asked for; otherwise it is written in the plain way.
template <class T>
std::string spelled(std::string_view old, Range<T> now, Read<Range<T>> (*read)(std::string_view)) {
  std::string plain = to_text(now.low);
  if (now.low != now.high) plain += " .. " + to_text(now.high);
  if (!std::isfinite(now.low.value) || !std::isfinite(now.high.value)) return plain;
  const std::string unit = unit_of(old);
  const std::string text = with_numbers(old, in_unit(unit, now.low), in_unit(unit, now.high));
  const auto its = read(text);
  const bool reads = its.value && near(its.value->low.value, now.low.value) && near(its.value->high.value, now.high.value);
  return reads ? text : plain;
}

/// Lengths are written without ranges.
Read<Range<Metres>> read_one_length(std::string_view text) {
  const auto one = read_metres(text);
  if (!one.value) return {std::nullopt, one.problem};
  return {Range<Metres>{*one.value, *one.value}, {}};
}

}  // namespace

std::string spelled_like(std::string_view old, Range<Decibels> now) { return spelled(old, now, read_decibel_range); }
std::string spelled_like(std::string_view old, Range<Semitones> now) { return spelled(old, now, read_semitone_range); }
std::string spelled_like(std::string_view old, Range<Seconds> now) { return spelled(old, now, read_second_range); }
std::string spelled_like(std::string_view old, Range<Hertz> now) { return spelled(old, now, read_hertz_range); }
std::string spelled_like(std::string_view old, Range<Metres> now) { return spelled(old, now, read_one_length); }

/// A pan has a side in place of a sign, and one way to write it.
std::string spelled_like(std::string_view, Range<Pan> now) {
  return now.low == now.high ? to_text(now.low) : to_text(now.low) + " .. " + to_text(now.high);
}

}  // namespace tidewater
