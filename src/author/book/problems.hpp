#pragma once
#include <toml++/toml.h>

#include <string>
#include <vector>

#include "base/shorten.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Gathers every problem of one file, so that a designer mends them all in one go.
class Problems {
 public:
  explicit Problems(std::string file) : file_(std::move(file)) {}

  FilePlace at(const toml::source_position& position) const { return {file_, position.line, position.column}; }
  FilePlace at(const toml::node& node) const { return at(node.source().begin); }
  FilePlace at(const toml::key& key) const { return at(key.source().begin); }
  FilePlace whole_file() const { return {file_, 0, 0}; }

  void add(FilePlace place, std::string message) { list_.push_back({std::move(place), shortened(std::move(message))}); }

  /// Whether a nearest name should still be looked for: each is compared with every other, and whoever has so many names
  /// wrong has another fault.
  bool may_look() { return looked_++ < 200; }

  /// In the order of the file.
  std::vector<Problem> take();

 private:
  std::string file_;
  std::vector<Problem> list_;
  int looked_ = 0;
};

/// A document, or the syntax errors that keep it from being one. After an error the rest is read as well as it goes.
struct Document {
  toml::table root;
  bool whole = true;  ///< false where lines had to be skipped: names may be missing
};
Document read_document(std::string_view text, Problems& problems);

}  // namespace tidewater
