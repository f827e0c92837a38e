#include "tidewater/author/set_gain.hpp"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {
namespace {

/// The byte at which a line and a column begin. Columns count code points.
std::size_t byte_at(std::string_view text, toml::source_position at) {
  std::size_t byte = 0;
  for (std::uint32_t line = 1; line < at.line; ++line) byte = text.find('\n', byte) + 1;
  for (std::uint32_t column = 1; column < at.column && byte < text.size(); ++column) {
    ++byte;
    while (byte < text.size() && (static_cast<unsigned char>(text[byte]) & 0xc0U) == 0x80) ++byte;
  }
  return byte;
}

/// One end of a range, moved.
std::string moved(Decibels gain, Decibels by) {
  return gain == silence ? "silent" : to_text(Decibels{std::round((gain.value + by.value) * 10) / 10});
}

std::string written(const Range<Decibels>& gain, Decibels by) {
  const std::string low = moved(gain.low, by), high = moved(gain.high, by);
  return low == high ? low : low + " .. " + high;
}

/// Why two readings of the book differ in more than this sound's gain; empty if they do not.
std::string other_difference(const Book& before, const Book& now, std::string_view sound, Decibels by) {
  if (before.sounds.size() != now.sounds.size() || before.groups.size() != now.groups.size() || before.events.size() != now.events.size())
    return "the book would read otherwise";
  for (std::size_t s = 0; s < before.sounds.size(); ++s) {
    SoundDesign was = before.sounds[s], is = now.sounds[s];
    if (before.sounds[s].name == sound) {
      if (std::abs(is.gain.low.value - was.gain.low.value - by.value) > 0.051 && was.gain.low != silence)
        return "the gain would read otherwise";
      was.gain = is.gain = {};
    }
    if (!(was == is)) return fmt::format("the sound '{}' takes its gain over from it", before.sounds[s].name);
  }
  return {};
}

}  // namespace

EditedText turn_gain(const std::string& text, std::string_view sound, Decibels by, const std::string& path) {
  EditedText edit;
  const auto refuse = [&](std::string why) {
    edit.problem = fmt::format("{}: the gain of '{}' was not changed: {}", path, sound, why);
    edit.text.clear();
    return edit;
  };
  const ReadBook before = parse_book(text, path);
  if (!before.problems.empty()) return refuse("the book has problems: " + to_text(before.problems.front()));
  const auto known =
      std::find_if(before.book.sounds.begin(), before.book.sounds.end(), [&](const BookSound& its) { return its.name == sound; });
  if (known == before.book.sounds.end()) return refuse("the book has no such sound");
  const toml::parse_result parsed = toml::parse(text);
  const char* const section = known->track ? "tracks" : "sounds";
  const toml::table* table = parsed[section][sound].as_table();
  if (table == nullptr) return refuse(fmt::format("it is not written as a table [{}.{}]", section, sound));
  edit.now = '"' + written(known->gain, by) + '"';
  if (const toml::node* node = table->get("gain")) {
    const std::size_t from = byte_at(text, node->source().begin), to = byte_at(text, node->source().end);
    edit.before = text.substr(from, to - from);
    edit.line = node->source().begin.line;
    edit.text = text.substr(0, from) + edit.now + text.substr(to);
  } else {
    if (table->is_inline()) return refuse("it is written in one line; give it a gain first");
    const std::size_t head = byte_at(text, table->source().begin);
    const std::size_t end = std::min(text.find('\n', head), text.size());
    const std::string newline = end > head && end < text.size() && text[end - 1] == '\r' ? "\r\n" : "\n";
    edit.line = table->source().begin.line + 1;
    edit.text = text.substr(0, end) + (end == text.size() ? newline : "\n") + "gain = " + edit.now + (newline == "\r\n" ? "\r" : "") +
                (end == text.size() ? "" : text.substr(end));
  }
  const ReadBook now = parse_book(edit.text, path);
  if (!now.problems.empty()) return refuse(to_text(now.problems.front()));
  if (const std::string why = other_difference(before.book, now.book, sound, by); !why.empty()) return refuse(why);
  return edit;
}

}  // namespace tidewater
