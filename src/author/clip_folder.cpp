#include "author/clip_folder.hpp"

#include <fmt/format.h>
#include <fnmatch.h>

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

std::vector<std::string> ClipFolder::matching(const std::string& pattern) const {
  std::vector<std::string> out;
  for (const auto& file : files_)
    if (file == pattern || (is_pattern(pattern) && fnmatch(pattern.c_str(), file.c_str(), FNM_PATHNAME) == 0)) out.push_back(file);
  return out;
}

std::vector<std::string> ClipFolder::matching_expression(const std::regex& expression) const {
  std::vector<std::string> out;
  std::copy_if(files_.begin(), files_.end(), std::back_inserter(out), [&](const auto& file) { return std::regex_match(file, expression); });
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

bool is_pattern(std::string_view text) { return text.find_first_of("*?") != std::string_view::npos; }

}  // namespace tidewater
