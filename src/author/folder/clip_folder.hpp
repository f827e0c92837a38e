#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "author/folder/pattern.hpp"
#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// The files below a book's folder of clips, listed once. Hidden ones, with a dot at the beginning, are no clips.
class ClipFolder {
 public:
  explicit ClipFolder(std::string path);

  const std::string& path() const { return path_; }
  bool exists() const { return exists_; }
  /// Why not all of its files are known; empty where they are.
  const std::string& problem() const { return problem_; }
  /// All files that the pattern fits, in the order of their names. A plain name fits itself.
  std::vector<std::string> matching(const std::string& pattern) const { return matching(Pattern(pattern)); }
  std::vector<std::string> matching(const Pattern& pattern) const;
  const std::vector<std::string>& files() const { return files_; }
  /// Names that no book can say: not UTF-8, or with control characters. With those written as "\\xE4", sorted.
  const std::vector<std::string>& unwritable() const { return unwritable_; }
  /// What to say when nothing fits: the nearest file, or what there is.
  std::string advice_for(const std::string& pattern) const;

 private:
  std::string path_;
  bool exists_ = false;
  std::string problem_;
  std::vector<std::string> files_, unwritable_;  ///< relative, with forward slashes, sorted
};

}  // namespace tidewater
