#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <sstream>

#include "author/book/in_quotes.hpp"
#include "author/folder/clip_folder.hpp"
#include "author/gather/gather_by_trait.hpp"
#include "base/whole_file.hpp"
#include "tidewater/author/credits.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

/// "gull-*.flac" where that fits no clip that has a licence; else the clips by name.
std::string clips_of(const std::string& base, const std::vector<std::string>& clips, const ClipFolder& folder) {
  if (clips.size() > 1)
    if (const std::string pattern = take_pattern(clips, base); folder.matching(pattern) == clips) return in_quotes(pattern);
  std::string list;
  for (const auto& clip : clips) list += (list.empty() ? "" : ", ") + in_quotes(clip);
  return list;
}

/// What each entry is about: a folder, where nothing in it has a licence; else files of one kind.
std::vector<std::string> entries_for(const std::vector<std::string>& without, const ClipFolder& folder) {
  const std::set<std::string> missing(without.begin(), without.end());
  std::map<std::string, std::vector<std::string>> by_folder;
  for (const auto& clip : without) by_folder[fs::path(clip).parent_path().generic_string()].push_back(clip);
  std::vector<std::string> entries;
  for (const auto& [name, clips] : by_folder) {
    const auto inside = folder.matching(Pattern(name + "/*", Pattern::Slashes::pass));
    if (!name.empty() && std::all_of(inside.begin(), inside.end(), [&](const auto& file) { return missing.contains(file); })) {
      entries.push_back(in_quotes(name + "/"));
      continue;
    }
    std::map<std::pair<std::string, std::string>, std::vector<std::string>> takes;
    for (const auto& clip : clips) {
      const fs::path path(clip);
      takes[{(path.parent_path() / without_take(path.stem().string())).generic_string(), path.extension().string()}].push_back(clip);
    }
    for (const auto& [kind, of_kind] : takes) entries.push_back(clips_of(kind.first, of_kind, folder));
  }
  return entries;
}

}  // namespace

BegunCredits begin_credits(const Book& book, const Credits& credits) {
  BegunCredits begun{(fs::path(book.clips_folder) / "credits.toml").generic_string(), 0};
  std::vector<std::string> missing;
  std::set_difference(credits.without.begin(), credits.without.end(), credits.unfilled.begin(), credits.unfilled.end(),
                      std::back_inserter(missing));
  const auto entries = entries_for(missing, ClipFolder(book.clips_folder));
  begun.entries = entries.size();
  if (entries.empty()) return begun;
  std::ifstream in(begun.file, std::ios::binary);
  std::ostringstream before;
  before << in.rdbuf();
  std::string text = before.str();
  if (!text.empty() && text.back() != '\n') text += '\n';
  for (const auto& about : entries)
    text += fmt::format("{}[[credits]]\nclips   = [{}]\nlicence = \"\"\nauthor  = \"\"\n", text.empty() ? "" : "\n", about);
  write_whole_file(begun.file, text);
  return begun;
}

}  // namespace tidewater
