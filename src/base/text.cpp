#include "base/text.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace tidewater {
namespace {

unsigned byte_at(std::string_view text, std::size_t at) { return static_cast<unsigned char>(text[at]); }

/// Whether a text begins with one of ASCII, or of ISO 8859 (U+0080 to U+009F), which terminals obey, too.
bool begins_with_control(std::string_view text) {
  const unsigned first = byte_at(text, 0);
  return first < 0x20 || first == 0x7f || (first == 0xc2 && text.size() > 1 && byte_at(text, 1) < 0xa0);
}

}  // namespace

std::size_t letter_length(std::string_view text) {
  const unsigned first = byte_at(text, 0);
  if (first < 0x80) return 1;
  const std::size_t length = first >= 0xc2 && first < 0xe0 ? 2 : first >= 0xe0 && first < 0xf0 ? 3 : first >= 0xf0 && first < 0xf5 ? 4 : 0;
  if (length == 0 || text.size() < length) return 0;
  for (std::size_t i = 1; i < length; ++i)
    if ((byte_at(text, i) & 0xc0U) != 0x80) return 0;
  const unsigned second = byte_at(text, 1);
  // Forms that are too long, halves of pairs of UTF-16, and what lies beyond Unicode.
  const bool odd = (first == 0xe0 && second < 0xa0) || (first == 0xed && second >= 0xa0) || (first == 0xf0 && second < 0x90) ||
                   (first == 0xf4 && second >= 0x90);
  return odd ? 0 : length;
}

bool can_be_written(std::string_view name) {
  while (!name.empty()) {
    const std::size_t length = letter_length(name);
    if (length == 0 || begins_with_control(name)) return false;
    name.remove_prefix(length);
  }
  return true;
}

std::string printable(std::string_view name) {
  std::string out;
  while (!name.empty()) {
    const std::size_t length = letter_length(name);
    if (length == 0 || begins_with_control(name)) {
      out += fmt::format("\\x{:02X}", byte_at(name, 0));
      name.remove_prefix(1);
    } else {
      out += name.substr(0, length);
      name.remove_prefix(length);
    }
  }
  return out;
}

std::string shortest_digits(double number) { return fmt::format("{}", number); }

std::string hundredfold(double number) {
  const std::string digits = shortest_digits(number);
  if (const auto e = digits.find('e'); e != std::string::npos)
    return fmt::format("{}e{}", digits.substr(0, e), std::stoi(digits.substr(e + 1)) + 2);
  const auto point = std::min(digits.find('.'), digits.size());
  std::string whole = digits.substr(0, point), rest = point < digits.size() ? digits.substr(point + 1) : "";
  if (rest.size() < 2) rest.append(2 - rest.size(), '0');
  whole += rest.substr(0, 2);
  rest.erase(0, 2);
  whole.erase(0, std::min(whole.find_first_not_of('0'), whole.size() - 1));
  return rest.find_first_not_of('0') == std::string::npos ? whole : whole + "." + rest;
}

}  // namespace tidewater
