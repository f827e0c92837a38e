#pragma once
/// Everything that the tool prints goes through here. Names in banks, books and journals come from anywhere and must not be able to control
/// the reader's terminal.

#include <fmt/format.h>

#include <cstdio>
#include <string>
#include <string_view>

#include "base/text.hpp"

namespace tidewater::tool {

/// Makes a text of any number of lines safe for a terminal: control characters and bytes that are not UTF-8 become "\x1B" and the like.
/// Marks set by Colours become colour codes.
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
