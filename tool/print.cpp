#include "print.hpp"

#include <algorithm>

#include "colour.hpp"

namespace tidewater::tool {
namespace {

/// A line, between marks of colours.
std::string safe_line(std::string_view line) {
  std::string out;
  while (!line.empty()) {
    const std::size_t mark = std::min(line.find_first_of(Colours::marks), line.size());
    out += printable(line.substr(0, mark));
    line.remove_prefix(mark);
    if (line.empty()) break;
    const std::string_view code = Colours::code_of(line.front());
    out += code.empty() ? printable(line.substr(0, 1)) : fmt::format("\x1b[{}m", code);
    line.remove_prefix(1);
  }
  return out;
}

}  // namespace

std::string safe_for_terminal(std::string_view text) {
  std::string out;
  while (true) {
    const std::size_t end = text.find('\n');
    out += safe_line(text.substr(0, end));
    if (end == std::string_view::npos) return out;
    out += '\n';
    text.remove_prefix(end + 1);
  }
}

}  // namespace tidewater::tool
