#pragma once
/// Columns of text of any language, for a terminal.

#include <algorithm>
#include <string>
#include <string_view>

namespace tidewater::tool {

/// Letters of UTF-8 text: what a terminal gives a cell each, as good as always.
inline std::size_t width_of(std::string_view text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; }));
}

/// With spaces behind, to fill a column.
inline std::string padded(std::string_view text, std::size_t width) {
  return std::string(text) + std::string(width - std::min(width, width_of(text)), ' ');
}

}  // namespace tidewater::tool
