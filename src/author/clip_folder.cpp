#include "author/clip_folder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/nearest.hpp"

namespace tidewater {

namespace fs = std::filesystem;

namespace {
constexpr std::size_t most_files = 100'000;
}

ClipFolder::ClipFolder(std::string path) : path_(std::move(path)) {
  std::error_code error;
  exists_ = fs::is_directory(path_, error);
  if (!exists_) return;
  for (fs::recursive_directory_iterator it(path_, fs::directory_options::skip_permission_denied, error), end;
       !error && it != end && files_.size() < most_files; it.increment(error))
    if (it->is_regular_file(error)) files_.push_back(fs::path(it->path()).lexically_relative(path_).generic_string());
  std::sort(files_.begin(), files_.end());
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
