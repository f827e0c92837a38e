#pragma once
#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>
#include <string>
#include <string_view>

namespace tidewater::tool {

/// Text in colour where stdout is a terminal, and NO_COLOR is not set; else as it is. It is marked here; print.hpp makes the codes of
/// ECMA-48 from the marks, and lets no others through.
class Colours {
 public:
  std::string bad(std::string_view text) const { return in('\1', text); }
  std::string fair(std::string_view text) const { return in('\2', text); }
  std::string good(std::string_view text) const { return in('\3', text); }
  std::string faint(std::string_view text) const { return in('\4', text); }

  static constexpr std::string_view marks = "\1\2\3\4\5";
  /// Empty where colours are off.
  static std::string_view code_of(char mark) {
    if (!on()) return "";
    switch (mark) {
      case '\1': return "1;31";
      case '\2': return "1;33";
      case '\3': return "1;32";
      case '\4': return "2";
      default: return "0";
    }
  }

 private:
  static bool on() {
    static const bool its = isatty(STDOUT_FILENO) != 0 && std::getenv("NO_COLOR") == nullptr;
    return its;
  }
  static std::string in(char mark, std::string_view text) { return on() ? fmt::format("{}{}\5", mark, text) : std::string(text); }
};

}  // namespace tidewater::tool
