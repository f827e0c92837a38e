#pragma once
/// Takes a bank apart again: for looking into what a game ships, and where its book is lost.

#include <map>
#include <span>
#include <string>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// The book that gives a bank, with all that holds and nothing that goes without saying. Its places name the file `called`, and no line.
Book book_of(const Bank& bank, const std::string& called);

/// Opens a bank for looking into: where it was packed without names and NAME.names lies beside it, with these. Throws Error as `open_bank`.
Bank open_bank_with_names(const std::string& path);

/// What NAME.names has: by what is left of each, the names that a bank was packed without. Throws Error where there is no such file.
std::map<std::string, std::string> read_names(const std::string& path);

struct Unpacked {
  std::string book;       ///< its file
  std::size_t clips = 0;  ///< files
  /// Whether the book compiles to a bank with the same content, bit for bit. It does not where a bank was packed by an older version,
  /// keeps one clip in two ways, or has lost its names.
  bool the_same = false;
};

/// Writes FOLDER/book.toml and FOLDER/clips: what is in memory as FLAC or, where it has more than 16 bits or points of a loop, as WAV; what
/// streams as the file that it is. A bank that takes clips from others needs these. Throws Error where a folder has a book already, the
/// bank is damaged, or a file cannot be written. Thread: any.
Unpacked unpack(const Bank& bank, const std::string& folder, std::span<const Bank> bases = {});

}  // namespace tidewater
