#pragma once
/// Who made the clips, and under which licence: from [[credits]] in the book, or in a credits.toml in the folder of clips.

#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// Of several that fit a clip the book's comes before the file's, and the later before the earlier.
/// The text that a game shows: each licence, with who made which clips, where they are from and the links.
struct Credits {
  std::string text;
  std::vector<std::string> without;   ///< clips that have no licence on record
  std::vector<std::string> unfilled;  ///< those of them that have an entry, whose licence is empty
  std::vector<Problem> problems;      ///< what is wrong with credits.toml
  std::vector<Problem> idle;          ///< credits of files that are not there
};
Credits credits_of(const Book& book);

/// Adds entries to the credits.toml in the folder of clips for all clips without a licence: one for each folder and each kind
/// of file, to be filled in. What is there stays as it is. Throws Error where it cannot be written.
struct BegunCredits {
  std::string file;
  std::size_t entries = 0;
};
BegunCredits begin_credits(const Book& book, const Credits& credits);

/// The text into a file, whole or not at all. Throws Error where it cannot be written.
void write_credits(const Credits& credits, const std::string& path);

}  // namespace tidewater
