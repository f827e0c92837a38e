#pragma once
/// Reads the lines of a journal, for the commands that print a journal for people.

#include <cstddef>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "names.hpp"

namespace tidewater::tool {

using Json = nlohmann::ordered_json;

/// The value of a key as text; empty if the line has no such key.
std::string text_at(const Json& line, const char* key);
std::string text_of(const Json& value);
/// A moment in seconds. Journals written by hand have times in seconds already.
double seconds_of(const Json& at, double rate);

/// Reads a journal. Throws Error if the file cannot be read or is empty.
class JournalLines {
 public:
  JournalLines(std::string file, const std::vector<std::string>& names);

  /// Calls `take(line)` for each line that is a JSON object. Returns the number of other lines. If `tell` is true, complains of the first.
  std::size_t each(bool tell, const std::function<void(const Json& line)>& take) const;

 private:
  std::string file_, text_;
  StrippedNames names_;
};

}  // namespace tidewater::tool
