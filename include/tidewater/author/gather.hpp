#pragma once
#include <functional>
#include <string>
#include <vector>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// What taking in a folder of clips does to a book. Lines are only added, at its end: all that is there stays as it is.
struct Gathered {
  std::string added;                 ///< lines; empty where there is nothing new
  std::size_t after_line = 0;        ///< of the book as it is; 0 for a book that is not there yet
  std::size_t clips = 0;             ///< taken in
  std::vector<std::string> sounds;   ///< new ones; each has an event of its name
  std::vector<std::string> notes;    ///< what was left for a person to decide
  std::vector<std::string> skipped;  ///< files that no book can name or play, each with the reason
};

/// Looks for clips below `folder` that no sound of the book uses. Files that differ only in a number or letter at the end
/// become one sound; its name is that of the files, with their folder before it. Folders side by side that hold the same
/// kinds of files become one sound by trait. Hidden files are passed over. Every clip is decoded, on all cores; `progress`
/// hears how many of how many are done. Throws Error where the book has problems, or the folder is not the book's folder of
/// clips or inside it.
Gathered gather(const std::string& folder, const std::string& book, const std::function<void(std::size_t, std::size_t)>& progress = {});

/// Adds the lines to the book, whole or not at all. Throws Error where it cannot be written.
void take_in(const Gathered& gathered, const std::string& book);

}  // namespace tidewater
