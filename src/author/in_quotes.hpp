#pragma once
#include <string>
#include <string_view>

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

}  // namespace tidewater
