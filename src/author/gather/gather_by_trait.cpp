#include "author/gather/gather_by_trait.hpp"

#include <algorithm>
#include <filesystem>
#include <map>

#include "base/text.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view trait = "{kind}";

bool is_joint(char c) { return c == '-' || c == '_' || c == ' ' || c == '.'; }

/// Of the folders in one folder, by name: their files by base. In a base the folder's own name is the trait in braces.
using Bases = std::map<std::string, std::vector<std::string>>;
using Folders = std::map<std::string, Bases>;

std::string base_in(const std::string& folder, const fs::path& file) {
  std::string base = without_take(file.stem().string());
  if (std::all_of(base.begin(), base.end(), is_digit)) return {};
  if (const auto at = base.find(folder); at != std::string::npos) base.replace(at, folder.size(), trait);
  return base;
}

std::string replaced(std::string text, const std::string& value) {
  for (auto at = text.find(trait); at != std::string::npos; at = text.find(trait)) text.replace(at, trait.size(), value);
  return text;
}

/// Two files of a sound by trait need not be takes: where there is one of each, the pattern has no star.
std::string pattern_of(const std::string& above, const std::string& base, const std::string& ending, bool takes, char joint) {
  const std::string head = base.substr(0, base.find(trait));
  const bool whole = head.size() == base.size();
  const std::string begin = above + "/" + std::string(trait) + "/" + head;
  if (!whole || base.empty()) return begin + "*" + ending;
  return begin + (takes ? (is_joint(joint) ? std::string(1, joint) : std::string()) + "*" : std::string()) + ending;
}

/// A base as a sound by trait; without files where no pattern fits them and no others.
TraitSound sound_of(const std::string& above, const std::string& base, const std::string& ending, const Folders& folders,
                    const ClipFolder& all) {
  TraitSound sound;
  bool takes = false;
  char joint = 0;
  for (const auto& [value, bases] : folders) {
    sound.values.push_back(value);
    for (const auto& file : bases.at(base)) {
      sound.files.push_back(file);
      const std::string stem = fs::path(file).stem().string();
      if (stem.size() <= base.size() || base.find(trait) != std::string::npos) continue;
      takes = true;
      joint = stem[base.size()];
    }
  }
  std::sort(sound.files.begin(), sound.files.end());
  sound.pattern = pattern_of(above, base, ending, takes, joint);
  sound.otherwise = replaced(sound.pattern, sound.values.front());
  const Pattern pattern(sound.pattern);
  const bool fits = pattern.problem().empty() && all.matching(pattern) == sound.files &&
                    std::all_of(sound.files.begin(), sound.files.end(), [&](const std::string& file) {
                      const auto values = pattern.values(file);
                      return values && values->front() == fs::path(file).parent_path().filename().string();
                    });
  if (!fits) sound.files.clear();
  return sound;
}

bool same_bases(const Folders& folders) {
  const Bases& first = folders.begin()->second;
  return std::all_of(folders.begin(), folders.end(), [&](const auto& folder) {
    return folder.second.size() == first.size() &&
           std::equal(first.begin(), first.end(), folder.second.begin(), [](const auto& a, const auto& b) { return a.first == b.first; });
  });
}

}  // namespace

std::string without_take(const std::string& stem) {
  std::string base = stem;
  while (!base.empty() && is_digit(base.back())) base.pop_back();
  const bool number = base.size() < stem.size();
  if (!number && base.size() > 2 && is_letter(base.back()) && is_joint(base[base.size() - 2])) base.pop_back();
  const bool take = base.size() < stem.size();
  while (take && !base.empty() && is_joint(base.back())) base.pop_back();
  return base.empty() ? stem : base;
}

std::string take_pattern(const std::vector<std::string>& files, const std::string& base) {
  const char joint = files.front()[base.size()];
  return base + (is_joint(joint) ? std::string(1, joint) : "") + "*" + fs::path(files.front()).extension().string();
}

std::vector<TraitSound> sounds_by_trait(const std::vector<std::string>& files, const ClipFolder& folder) {
  std::map<std::pair<std::string, std::string>, Folders> above;  // by the folder above and the ending
  for (const auto& file : files) {
    const fs::path path(file);
    const fs::path its = path.parent_path();
    if (its.parent_path().empty()) continue;
    const std::string value = its.filename().string();
    above[{its.parent_path().generic_string(), path.extension().string()}][value][base_in(value, path)].push_back(file);
  }
  std::vector<TraitSound> sounds;
  for (const auto& [where, folders] : above) {
    if (folders.size() < 2 || !same_bases(folders)) continue;
    const Bases& bases = folders.begin()->second;
    std::vector<TraitSound> of_folder;
    for (const auto& [base, ignored] : bases) {
      of_folder.push_back(sound_of(where.first, base, where.second, folders, folder));
      of_folder.back().path = bases.size() == 1 ? where.first : where.first + "/" + replaced(base, "");
    }
    if (std::none_of(of_folder.begin(), of_folder.end(), [](const TraitSound& s) { return s.files.empty(); }))
      sounds.insert(sounds.end(), std::make_move_iterator(of_folder.begin()), std::make_move_iterator(of_folder.end()));
  }
  return sounds;
}

}  // namespace tidewater
