#include "author/book/problems.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <set>
#include <tuple>

#include "author/book/depth.hpp"
#include "author/book/syntax.hpp"

namespace tidewater {
namespace {

constexpr int most_syntax_errors = 20;
constexpr std::size_t largest_document = 16U << 20U;

std::string lower_first(std::string_view text) {
  std::string out(text);
  if (!out.empty()) out.front() = static_cast<char>(std::tolower(static_cast<unsigned char>(out.front())));
  while (!out.empty() && (out.back() == '.' || out.back() == '\n')) out.pop_back();
  return out;
}

/// Blanks lines from one to another, both counted from 1. Returns false where no text was there.
bool blank_lines(std::string& text, unsigned first, unsigned last) {
  bool blanked = false;
  unsigned line = 1;
  for (char& c : text) {
    if (c == '\n') {
      if (++line > last) break;
    } else if (line >= first) {
      blanked = blanked || c != ' ';
      c = ' ';
    }
  }
  return blanked;
}

/// Blanks line `number` (from 1). A table's head takes the table's lines with it, or they would land in the table before.
/// Returns false where there is no such line with text on it.
bool blank_line(std::string& text, unsigned number) {
  std::size_t begin = 0;
  for (unsigned line = 1; line < number; ++line) {
    begin = text.find('\n', begin);
    if (begin == std::string::npos) return false;
    ++begin;
  }
  const auto first = text.find_first_not_of(" \t", begin);
  const bool head = first != std::string::npos && text[first] == '[';
  bool blanked = false;
  for (std::size_t at = begin; at < text.size(); ++at) {
    if (text[at] == '\n') {
      const auto next = text.find_first_not_of(" \t", at + 1);
      if (!head || next == std::string::npos || text[next] == '[') break;
      continue;
    }
    blanked = blanked || text[at] != ' ';
    text[at] = ' ';
  }
  return blanked;
}

std::optional<toml::table> parse(const std::string& text, toml::source_position& where, std::string& what) {
  try {
    return toml::parse(std::string_view(text));
  } catch (const toml::parse_error& error) {
    where = error.source().begin;
    what = lower_first(error.description());
    return std::nullopt;
  }
}

}  // namespace

Document read_document(std::string_view text, Problems& problems) {
  Document document;
  if (text.size() > largest_document) {
    problems.add(problems.whole_file(), "is larger than 16 MiB; it is text written by people");
    document.whole = false;
    return document;
  }
  if (const Depth deep = too_deep(text); !deep.problem.empty()) {
    problems.add(problems.at(toml::source_position{deep.line, deep.column}), "not TOML that a book may hold: " + deep.problem);
    document.whole = false;
    return document;
  }
  std::string left(text);
  unsigned last_line = 0;
  for (int errors = 0; errors < most_syntax_errors; ++errors) {
    toml::source_position where;
    std::string what;
    if (auto table = parse(left, where, what)) {
      document.root = std::move(*table);
      return document;
    }
    document.whole = false;
    const SyntaxMistake mistake = explain(left, where.line, where.column, what);
    if (where.line > last_line || errors == 0)
      problems.add(problems.at(toml::source_position{mistake.line, mistake.column}), mistake.message);
    last_line = std::max<unsigned>(last_line, where.line);
    const bool blanked = mistake.first_bad == mistake.last_bad ? blank_line(left, mistake.first_bad)
                                                               : blank_lines(left, mistake.first_bad, mistake.last_bad);
    // An error is often noticed at the start of the line after the one to blame.
    if (!blanked && (where.line < 2 || !blank_line(left, where.line - 1))) break;
  }
  return document;
}

std::vector<Problem> Problems::take() {
  std::stable_sort(list_.begin(), list_.end(), [](const Problem& a, const Problem& b) {
    return std::tie(a.place.line, a.place.column) < std::tie(b.place.line, b.place.column);
  });
  // What several sounds take over from one that is wrong is told once.
  std::set<std::tuple<unsigned, unsigned, std::string>> told;
  std::erase_if(list_, [&](const Problem& p) { return !told.insert({p.place.line, p.place.column, p.message}).second; });
  return std::move(list_);
}

std::string to_text(const Problem& problem) {
  const FilePlace& p = problem.place;
  if (p.line == 0) return fmt::format("{}: {}", p.file, problem.message);
  return fmt::format("{}:{}:{}: {}", p.file, p.line, p.column, problem.message);
}

}  // namespace tidewater
