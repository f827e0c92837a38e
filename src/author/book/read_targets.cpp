#include "author/book/read_targets.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "author/book/keys.hpp"
#include "base/nearest.hpp"
#include "base/rates.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// A part of a file's name, or a folder's.
bool is_plain(std::string_view name) {
  return !name.empty() && name.front() != '.' && name.find_first_of("/\\. ") == std::string_view::npos;
}

std::vector<std::string> languages_in(Problems& problems, const toml::node& node, std::string_view what) {
  std::vector<std::string> languages;
  const auto* list = node.as_array();
  if (list != nullptr)
    for (const auto& item : *list) languages.push_back(item.value_or(std::string()));
  const bool good = !languages.empty() && std::all_of(languages.begin(), languages.end(), [](const auto& its) { return is_plain(its); });
  if (good) return languages;
  problems.add(problems.at(node), fmt::format("{} are a list of names of folders, such as languages = [\"en\", \"de\"]", what));
  return {};
}

void read_group_ways(Problems& problems, const toml::table& table, Book& book, BookTarget& target) {
  std::vector<std::string_view> known;
  for (const BookGroup& group : book.groups) known.emplace_back(group.name);
  for (const auto& [key, value] : table) {
    const auto* its = value.as_table();
    if (its == nullptr) {
      problems.add(problems.at(key), fmt::format("'{0}' must be a table: write [targets.{1}.groups.{0}]", key.str(), target.name));
      continue;
    }
    if (std::find(known.begin(), known.end(), key.str()) == known.end())
      problems.add(problems.at(key), fmt::format("there is no group '{}'{}", key.str(), did_you_mean(key.str(), known)));
    check_keys(problems, *its, fmt::format("group '{}' of target '{}'", key.str(), target.name), keys_of("targets.groups"));
    way_rows().read(problems, *its, target.groups[std::string(key.str())]);
  }
}

}  // namespace

void read_book_target(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_keys(problems, table, fmt::format("target '{}'", key.str()), keys_of("targets"));
  BookTarget target;
  target.name = key.str();
  target.place = problems.at(key);
  target_rows().read(problems, table, target);
  if (target.rate != Hertz{} && !(target.rate >= allowed_rates.low && target.rate <= allowed_rates.high))
    problems.add(problems.at(*table.get("rate")),
                 fmt::format("rate: from {} Hz to {} Hz", allowed_rates.low.value, allowed_rates.high.value));
  if (const toml::node* node = table.get("languages")) {
    target.languages = languages_in(problems, *node, "a target's languages");
    const std::vector<std::string_view> known(book.languages.begin(), book.languages.end());
    for (const std::string& language : target.languages)
      if (std::find(known.begin(), known.end(), language) == known.end())
        problems.add(problems.at(*node),
                     fmt::format("the book has no language '{}'{}", language,
                                 known.empty() ? "; [book] lists them: languages = [\"en\", \"de\"]" : did_you_mean(language, known)));
  }
  if (const toml::node* node = table.get("groups")) {
    if (const auto* groups = node->as_table())
      read_group_ways(problems, *groups, book, target);
    else
      problems.add(problems.at(*node), fmt::format("'groups' must be tables such as [targets.{}.groups.music]", target.name));
  }
  book.targets.push_back(std::move(target));
}

void read_languages(Problems& problems, const Keys& head, Book& book) {
  if (const toml::node* node = head.get("languages")) book.languages = languages_in(problems, *node, "languages");
  if (const auto* folder = text(problems, head, "speech")) book.speech = *folder;
  while (!book.speech.empty() && book.speech.back() == '/') book.speech.pop_back();
  if (head.contains("speech") != head.contains("languages"))
    problems.add(problems.at(*head.get(head.contains("speech") ? "speech" : "languages")),
                 "'speech' and 'languages' go together: speech = \"speech\" is the folder of clips that has a folder for each language");
}

}  // namespace tidewater
