#pragma once
#include <string>
#include <utility>

#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

/// Reads a book that must have no problems. Throws Error with all that it has, one on each line.
inline Book read_good_book(const std::string& path) {
  ReadBook read = read_book(path);
  std::string problems;
  for (const auto& problem : read.problems) problems += (problems.empty() ? "" : "\n") + to_text(problem);
  if (!problems.empty()) throw Error(problems);
  return std::move(read.book);
}

}  // namespace tidewater::tool
