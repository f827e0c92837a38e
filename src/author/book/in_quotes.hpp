#pragma once
#include <algorithm>
#include <string>
#include <string_view>

#include "base/text.hpp"

namespace tidewater {

/// Text as a book writes it. It has no control characters.
inline std::string in_quotes(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c;
  }
  return out + "\"";
}

/// Whether a name needs no quotes as a key of TOML.
inline bool is_bare(std::string_view name) {
  return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) { return is_letter(c) || is_digit(c) || c == '-' || c == '_'; });
}

}  // namespace tidewater
