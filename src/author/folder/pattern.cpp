#include "author/folder/pattern.hpp"

#include <fmt/format.h>

namespace tidewater {
namespace {

constexpr std::size_t longest_pattern = 1024;
constexpr std::size_t most_traits = 8;

bool continues_letter(char c) { return (static_cast<unsigned char>(c) & 0xC0U) == 0x80U; }  // of UTF-8
bool of_value(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_'; }

}  // namespace

Pattern::Pattern(std::string_view text, Slashes slashes) : slashes_(slashes) {
  if (text.size() > longest_pattern) {
    problem_ = fmt::format("a pattern of {} letters; {} are the most", text.size(), longest_pattern);
    return;
  }
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto close = text[i] == '{' ? text.find('}', i) : std::string_view::npos;
    if (close != std::string_view::npos) {
      traits_.emplace_back(text.substr(i + 1, close - i - 1));
      parts_.push_back({Kind::trait, 0});
      i = close;
    } else if (text[i] == '*') {
      if (parts_.empty() || parts_.back().kind != Kind::any) parts_.push_back({Kind::any, 0});
    } else {
      parts_.push_back({text[i] == '?' ? Kind::one : Kind::letter, text[i]});
    }
    plain_ = plain_ && parts_.back().kind == Kind::letter;
    if (plain_) beginning_ += text[i];
  }
  for (const Part& part : parts_) least_ += part.kind == Kind::any ? 0 : 1;
  if (traits_.size() > most_traits) problem_ = fmt::format("a pattern with {} traits; {} are the most", traits_.size(), most_traits);
}

bool Pattern::stands_for(const Part& part, char c) const {
  switch (part.kind) {
    case Kind::letter: return c == part.letter;
    case Kind::trait: return of_value(c);
    default: return c != '/' || slashes_ == Slashes::pass;
  }
}

std::optional<std::vector<std::string>> Pattern::values(std::string_view name) const {
  if (!problem_.empty() || name.size() < least_ || !name.starts_with(beginning_)) return std::nullopt;
  if (plain_) return name.size() == beginning_.size() ? std::optional<std::vector<std::string>>(std::in_place) : std::nullopt;
  // From behind: can the parts from here on stand for the rest of the name?
  const std::size_t width = name.size() + 1;
  std::vector<char> can((parts_.size() + 1) * width, 0);
  const auto at = [&](std::size_t part, std::size_t letter) -> char& { return can[part * width + letter]; };
  at(parts_.size(), name.size()) = 1;
  for (std::size_t p = parts_.size(); p-- > 0;) {
    const Part& part = parts_[p];
    for (std::size_t i = width; i-- > 0;) {
      const bool here = i < name.size() && stands_for(part, name[i]);
      const auto on = here ? at(p + 1, i + 1) : '\0';
      const auto longer = here ? at(p, i + 1) : '\0';
      switch (part.kind) {
        case Kind::letter: at(p, i) = on; break;
        // A letter may be several bytes; what follows its first goes with it.
        case Kind::one: at(p, i) = here && i + 1 < name.size() && continues_letter(name[i + 1]) ? longer : on; break;
        case Kind::any: at(p, i) = static_cast<char>(at(p + 1, i) | longer); break;
        case Kind::trait: at(p, i) = static_cast<char>(on | longer); break;
      }
    }
  }
  if (at(0, 0) == 0) return std::nullopt;
  // From the front: each part takes as much as leaves the others enough.
  std::vector<std::string> found;
  std::size_t i = 0;
  for (std::size_t p = 0; p < parts_.size(); ++p) {
    const Part& part = parts_[p];
    std::size_t end = i;
    std::size_t last = i;
    while (end < name.size() && stands_for(part, name[end])) {
      ++end;
      if (at(p + 1, end) != 0) last = end;
      if (part.kind == Kind::letter || (part.kind == Kind::one && (end == name.size() || !continues_letter(name[end])))) break;
    }
    if (part.kind == Kind::trait) found.emplace_back(name.substr(i, last - i));
    i = last;
  }
  return found;
}

}  // namespace tidewater
