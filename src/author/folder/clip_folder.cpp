#include "author/folder/clip_folder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/nearest.hpp"
#include "base/text.hpp"

namespace tidewater {

namespace fs = std::filesystem;

namespace {
constexpr std::size_t most_files = 100'000;
constexpr std::size_t most_entries = 200'000;  // folders and what is no file count, too
constexpr int deepest = 32;
}  // namespace

ClipFolder::ClipFolder(std::string path) : path_(std::move(path)) {
  if (path_.empty()) path_ = ".";
  std::error_code error;
  exists_ = fs::is_directory(path_, error);
  if (!exists_) return;
  const std::string base = path_.ends_with('/') ? path_ : path_ + "/";
  std::size_t entries = 0;
  for (fs::recursive_directory_iterator it(path_, fs::directory_options::skip_permission_denied, error), end; !error && it != end;
       it.increment(error)) {
    if (files_.size() == most_files || ++entries > most_entries) {
      problem_ = fmt::format(
          "the folder '{}' holds more than {} files or folders, and only some were looked at; give the clips a folder of their own", path_,
          files_.size() == most_files ? most_files : most_entries);
      break;
    }
    if (it.depth() >= deepest) it.disable_recursion_pending();
    std::error_code unreadable;
    if (it->path().filename().string().starts_with('.')) {
      it.disable_recursion_pending();
      continue;
    }
    if (!it->is_regular_file(unreadable)) continue;
    std::string file = it->path().generic_string().substr(base.size());
    if (can_be_written(file))
      files_.push_back(std::move(file));
    else
      unwritable_.push_back(printable(file));
  }
  std::sort(files_.begin(), files_.end());
  std::sort(unwritable_.begin(), unwritable_.end());
}

std::vector<std::string> ClipFolder::matching(const Pattern& pattern) const {
  std::vector<std::string> out;
  // They are sorted: those with the pattern's beginning stand together.
  for (auto file = std::lower_bound(files_.begin(), files_.end(), pattern.beginning());
       file != files_.end() && file->starts_with(pattern.beginning()); ++file) {
    if (pattern.fits(*file)) out.push_back(*file);
    if (pattern.plain()) break;
  }
  return out;
}

std::string ClipFolder::advice_for(const std::string& pattern) const {
  if (files_.empty()) return fmt::format("; the folder '{}' holds no files", path_);
  std::vector<std::string_view> known(files_.begin(), files_.end());
  if (auto advice = did_you_mean(pattern, known); !advice.empty()) return advice;
  for (const auto& file : files_)
    if (fs::path(file).filename() == fs::path(pattern).filename()) return fmt::format("; did you mean '{}'?", file);
  return fmt::format("; '{}' holds {} files, '{}' among them", path_, files_.size(), files_.front());
}

}  // namespace tidewater
