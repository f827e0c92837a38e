#include "author/book/depth.hpp"

#include <fmt/format.h>

namespace tidewater {
namespace {

constexpr int most_parts = 16;     // of a dotted name; a book needs five
constexpr int most_brackets = 32;  // inside one another; a book needs four

}  // namespace

Depth too_deep(std::string_view toml) {
  unsigned line = 1;
  std::size_t line_begin = 0;
  int parts = 1;
  int brackets = 0;
  const auto told = [&](std::size_t at, std::string problem) {
    return Depth{line, static_cast<unsigned>(at - line_begin + 1), std::move(problem)};
  };
  for (std::size_t at = 0; at < toml.size(); ++at) {
    const char c = toml[at];
    switch (c) {
      case '\n':
        ++line;
        line_begin = at + 1;
        parts = 1;
        break;
      case '#':
        while (at + 1 < toml.size() && toml[at + 1] != '\n') ++at;
        break;
      case '"':
      case '\'': {
        // Text in quotes, in one line or, in three quotes, over many; a backslash hides a quote in the first kind only.
        const bool many = toml.substr(at, 3) == std::string(3, c);
        at += many ? 3 : 1;
        for (; at < toml.size(); ++at) {
          if (toml[at] == '\n') {
            if (!many) break;
            ++line;
            line_begin = at + 1;
          }
          if (c == '"' && toml[at] == '\\' && at + 1 < toml.size() && toml[at + 1] != '\n')
            ++at;
          else if (toml[at] == c && (!many || toml.substr(at, 3) == std::string(3, c)))
            break;
        }
        if (many && at < toml.size()) at += 2;
        if (!many && at < toml.size() && toml[at] == '\n') --at;  // not closed: the parser will say so
        break;
      }
      case '.':
        if (++parts > most_parts)
          return told(at, fmt::format("a name of more than {} parts with dots between; a book has five at most", most_parts));
        break;
      case '[':
      case '{':
        parts = 1;
        if (++brackets > most_brackets)
          return told(at, fmt::format("more than {} brackets inside one another; is one not closed?", most_brackets));
        break;
      case ']':
      case '}':
        brackets -= brackets > 0 ? 1 : 0;
        parts = 1;
        break;
      case '=':
      case ',': parts = 1; break;
      default: break;
    }
  }
  return {};
}

}  // namespace tidewater
