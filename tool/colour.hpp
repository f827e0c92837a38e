#pragma once
#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>
#include <string>
#include <string_view>

namespace tidewater::tool {

/// Text in colour where stdout is a terminal, and NO_COLOR is not set; else as it is. Codes of ECMA-48.
class Colours {
 public:
  std::string bad(std::string_view text) const { return in("1;31", text); }
  std::string fair(std::string_view text) const { return in("1;33", text); }
  std::string good(std::string_view text) const { return in("1;32", text); }
  std::string strong(std::string_view text) const { return in("1", text); }
  std::string faint(std::string_view text) const { return in("2", text); }

 private:
  std::string in(std::string_view code, std::string_view text) const {
    return on_ ? fmt::format("\x1b[{}m{}\x1b[0m", code, text) : std::string(text);
  }
  bool on_ = isatty(STDOUT_FILENO) != 0 && std::getenv("NO_COLOR") == nullptr;
};

}  // namespace tidewater::tool
