#pragma once
/// Who made the clips, and under which licence: from [[credits]] in the book, or in a credits.toml in the folder of clips.

#include <string>
#include <vector>

#include "tidewater/author/book.hpp"

namespace tidewater {

/// Of several that fit a clip the book's comes before the file's, and the later before the earlier.
/// The text that a game shows: each licence, with who made which clips, where they are from and the links.
struct Credits {
  std::string text;
  std::vector<std::string> without;  ///< clips that have no licence on record
  std::vector<Problem> problems;     ///< what is wrong with credits.toml
};
Credits credits_of(const Book& book);
/// The text into a file, whole or not at all. Throws Error where it cannot be written.
void write_credits(const Credits& credits, const std::string& path);

}  // namespace tidewater
