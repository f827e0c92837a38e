#pragma once
/// All that the tool prints goes through here: names of banks, books and journals come from anywhere, and must not write to the terminal
/// of who looks at them.

#include <fmt/format.h>

#include <cstdio>
#include <string>
#include <string_view>

#include "base/text.hpp"

namespace tidewater::tool {

/// Text of any number of lines without anything that a terminal obeys: control characters, and bytes that are no UTF-8, as "\x1B". What
/// Colours marks becomes the codes of colours.
std::string safe_for_terminal(std::string_view text);

inline void print_to(std::FILE* file, std::string_view text) {
  const std::string safe = safe_for_terminal(text);
  std::fwrite(safe.data(), 1, safe.size(), file);
}

template <class... Values>
void say(fmt::format_string<Values...> format, Values&&... values) {
  print_to(stdout, fmt::format(format, std::forward<Values>(values)...));
}
/// To stderr.
template <class... Values>
void complain(fmt::format_string<Values...> format, Values&&... values) {
  print_to(stderr, fmt::format(format, std::forward<Values>(values)...));
}

}  // namespace tidewater::tool
