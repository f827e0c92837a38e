#pragma once
/// Changes values in the text of a book and leaves every other byte as it is: comments, order, spelling, line ends.
///
///     text = set_value(text, {"sounds", "bell", "gain"}, "\"-6 dB\"");
///     text = set_value(text, {"sounds", "engine", "follow", 0U, "pitch", 1U, 1U}, "\"4 st\"");
///     text = remove_value(text, {"sounds", "bell", "gain"});
///
/// Every edit is proved by reading the new text again: exactly one value differs, or the edit is refused.

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// A key, or a place in a list, counted from 0.
using BookStep = std::variant<std::string, std::size_t>;
/// The way from the top of a book to one value.
using BookPath = std::vector<BookStep>;
/// "sounds.bell.gain", "sounds.engine.follow.1.pitch": places in lists are counted from 1.
std::string to_text(const BookPath& path);

// One value of any TOML text. These throw Error, with the path and the reason, where the text cannot be changed so.

/// Puts `value`, written as TOML, at the path. A missing key goes into its table behind the last of the keys that stand before it in
/// `order`, or else behind the last; its equals sign stands under its neighbour's. A missing table is added at the end of the text. The
/// place behind the last of a list adds to the list.
std::string set_value(std::string_view text, const BookPath& path, std::string_view value, std::span<const std::string_view> order = {});

/// Takes a key and the comment behind it out. Comments in lines of their own stay.
std::string remove_value(std::string_view text, const BookPath& path);

/// The value as it is written; none if there is no such key.
std::optional<std::string> value_text(std::string_view text, const BookPath& path);

// Text of a quantity with other values, in the unit and the spelling of the old text: "-9 dB .. -6 dB" becomes "-8 dB .. -5.5 dB", "+-1 st"
// becomes "+-2 st", "1,5 s" becomes "1,25 s". Values that the old text cannot spell, such as "silent", are written as `to_text` does. The
// book's reader reads the new values from the result, to four digits.

std::string spelled_like(std::string_view old, Range<Decibels> now);
std::string spelled_like(std::string_view old, Range<Semitones> now);
std::string spelled_like(std::string_view old, Range<Seconds> now);
std::string spelled_like(std::string_view old, Range<Hertz> now);
std::string spelled_like(std::string_view old, Range<Pan> now);
std::string spelled_like(std::string_view old, Range<Metres> now);

/// One change to a book.
struct BookEdit {
  BookPath path;
  std::optional<std::string> value;  ///< the new value, written as TOML; none takes the key out
  std::optional<std::string> read;   ///< the value that the change was made from, as the book had it; none if there was none
};

/// Result of one change. Without a `problem` the change is in the new text.
struct EditOutcome {
  std::optional<std::string> before;  ///< the value that stood there, as it was written
  unsigned line = 0;                  ///< of the new text, from 1; 0 for a key that was taken out
  std::vector<std::string> also;      ///< other sounds that changed with it, since they take the value over by `like`
  std::string problem;                ///< why the book was not changed there, with what to do
};

struct EditedBook {
  std::string text;                   ///< the whole book with every change that could be made
  std::vector<EditOutcome> outcomes;  ///< one for each change, in their order

  bool all_made() const;
};

/// Applies changes to a book's text, one after the other. New keys stand in the order of docs/book.md. `layers` and `follow` that a sound
/// takes over by `like` are copied into it before one of their values changes. A change is refused, and the others are made, where the
/// book has another value than the one that was read (the problem shows both), or would have new problems. `path` is the file's, which
/// clips are found from.
EditedBook edit_book(std::string_view text, const std::string& path, std::span<const BookEdit> edits);

/// Reads a book's file, applies the changes as `edit_book` does, and writes the file whole. The file keeps its mode, and a link stays one.
/// If no change could be made, nothing is written. Throws Error where the file cannot be read or written.
EditedBook edit_book_file(const std::string& path, std::span<const BookEdit> edits);

/// The change that moves the gain of a sound or track by so many decibels: both ends of a range, in the book's spelling.
BookEdit gain_moved(std::string_view text, const BookSound& sound, Decibels by);

}  // namespace tidewater
