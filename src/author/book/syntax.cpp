#include "author/book/syntax.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <optional>
#include <vector>

#include "author/book/in_quotes.hpp"

namespace tidewater {
namespace {

std::string_view trimmed(std::string_view text) {
  const auto first = text.find_first_not_of(" \t\r");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t\r") - first + 1);
}

/// Lines count from 1.
using Lines = std::vector<std::string_view>;

Lines lines_of(std::string_view text) {
  Lines lines = {{}};
  while (!text.empty()) {
    const auto end = text.find('\n');
    lines.push_back(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
  }
  return lines;
}

bool has(std::string_view text, std::string_view part) { return text.find(part) != std::string_view::npos; }

/// Quotes that begin or end text, without those after a backslash.
std::size_t quotes_in(std::string_view text) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '\\')
      ++i;
    else if (text[i] == '"')
      ++count;
  }
  return count;
}

/// What stands before a comment, in a line without quotes.
std::string_view without_comment(std::string_view text) { return trimmed(text.substr(0, text.find('#'))); }

/// "[sounds.my sound]": the name wants quotes.
std::string about_head(std::string_view head) {
  const auto open = head.find_first_not_of('[');
  const auto close = head.find(']');
  if (close == std::string_view::npos) return "the table's head is not closed: add ]";
  const std::string_view inside = head.substr(open, close - open);
  const auto dot = inside.find('.');
  if (dot == std::string_view::npos || quotes_in(inside) > 0 || !is_bare(inside.substr(0, dot))) return {};
  const std::string_view name = trimmed(inside.substr(dot + 1));
  return name.empty() ? std::string("a name is missing after the dot")
                      : fmt::format("the name '{0}' needs quotes: [{1}.\"{0}\"]", name, inside.substr(0, dot));
}

/// "gain = -3 dB", "start: x", "name = \"x": what is wrong with a key and its value.
std::string about_value(std::string_view line, const std::string& reason) {
  if (has(line, "\xe2\x80\x9c") || has(line, "\xe2\x80\x9d") || has(line, "\xe2\x80\x9e"))
    return "these are typographic quotes; write straight ones: \"...\"";
  const auto equals = line.find('=');
  if (equals == std::string_view::npos) {
    const auto end = line.find_first_of(": \t\"'");
    const std::string_view key = line.substr(0, end);
    if (!is_bare(key) || end == std::string_view::npos) return {};
    return fmt::format("an equals sign is missing: write {} = ...", key);
  }
  const std::string_view key = trimmed(line.substr(0, equals));
  const std::string_view value = trimmed(line.substr(equals + 1));
  if (has(reason, "escape sequence")) return "a backslash in quotes begins an escape; paths take slashes: \"steps/steel-1.flac\"";
  if (quotes_in(line) % 2 == 1)
    return fmt::format("a quote is missing: text begins and ends with one, such as {} = \"...\"", is_bare(key) ? key : "key");
  if (!is_bare(key) || has(value, "\"") || has(value, "'")) return {};
  const std::string_view plain = without_comment(value);
  if (plain.empty()) return fmt::format("a value is missing after '{} ='", key);
  if (plain.front() == '[' && plain.back() == ']') {
    const std::string_view items = trimmed(plain.substr(1, plain.size() - 2));
    if (items.empty() || has(items, ",") || has(items, "[") || has(items, "{")) return "text in a list needs quotes: [\"one\", \"two\"]";
    return fmt::format("text in a list needs quotes: {} = [\"{}\"]", key, items);
  }
  if (plain.front() == '[' || plain.front() == '{') return {};
  constexpr std::array<std::string_view, 8> yes = {"yes", "on", "True", "TRUE", "no", "off", "False", "FALSE"};
  if (const auto word = std::find(yes.begin(), yes.end(), plain); word != yes.end())
    return fmt::format("write {} = {}", key, word - yes.begin() < 4 ? "true" : "false");
  return fmt::format("'{0}' needs quotes: {1} = \"{0}\"", plain, key);
}

/// The line above, or this one, in which the list begins that the parser was in; 0 where there is none.
unsigned list_begin(const Lines& lines, unsigned line) {
  for (; line > 0; --line) {
    const auto equals = lines[line].find('=');
    if (equals != std::string_view::npos && trimmed(lines[line].substr(equals + 1)).starts_with('[')) return line;
  }
  return 0;
}

/// In a list that goes over several lines, or is not closed.
std::optional<SyntaxMistake> about_list(const Lines& lines, unsigned line, unsigned column) {
  const unsigned begin = list_begin(lines, line);
  if (begin == 0) return std::nullopt;
  const std::string_view here = trimmed(lines[line]);
  const bool item = here.starts_with('"') || here.starts_with('\'') || here.starts_with('{');
  if (begin == line || item) {
    if (quotes_in(lines[line]) % 2 == 1) return std::nullopt;
    const bool open = begin == line && !has(here, "]");
    return SyntaxMistake{line, column, open ? "the list is not closed: add ]" : "a comma is missing between two items of the list", begin,
                         line};
  }
  const std::string_view opening = lines[begin];
  const auto end = opening.find_last_not_of(" \t\r");
  return SyntaxMistake{begin, static_cast<unsigned>(end + 2), "the list that begins here is not closed: add ]", begin, line - 1};
}

/// The line above in which the same thing was said before; 0 where there is none.
unsigned said_before(const Lines& lines, unsigned line, std::string_view start) {
  for (unsigned i = line - 1; i > 0; --i)
    if (trimmed(lines[i]).starts_with(start)) return i;
  return 0;
}

std::string about_twice(const Lines& lines, unsigned line, std::string_view here) {
  const bool head = here.starts_with('[');
  const std::string_view what = head ? here.substr(0, here.find(']') + 1) : trimmed(here.substr(0, here.find('=')));
  const unsigned before = said_before(lines, line, what);
  const std::string at = before == 0 ? "" : fmt::format(" in line {}", before);
  return head ? fmt::format("{} is there already{}; put what it says into one table, or give this one another name", what, at)
              : fmt::format("'{}' is given twice{}; keep one", what, before == 0 ? "" : fmt::format(", here and{}", at));
}

}  // namespace

SyntaxMistake explain(std::string_view text, unsigned line, unsigned column, const std::string& reason) {
  const Lines lines = lines_of(text);
  SyntaxMistake mistake{line, column, "not TOML: " + reason, line, line};
  if (line == 0 || line >= lines.size()) return mistake;
  const std::string_view here = trimmed(lines[line]);
  mistake = {line, column, {}, line, line};
  if (has(reason, "cannot redefine")) {
    mistake.message = about_twice(lines, line, here);
  } else if (has(reason, "parsing array")) {
    if (auto found = about_list(lines, line, column)) return *found;
    mistake.message = about_value(here, reason);
  } else if (here.starts_with('[')) {
    mistake.message = about_head(here);
  } else {
    mistake.message = about_value(here, reason);
  }
  if (mistake.message.empty()) mistake.message = "not TOML: " + reason;
  return mistake;
}

}  // namespace tidewater
