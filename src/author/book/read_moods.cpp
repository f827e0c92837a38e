#include "author/book/read_moods.hpp"

#include <fmt/format.h>

#include <string>
#include <string_view>
#include <utility>

#include "author/book/keys.hpp"
#include "groups/moods.hpp"

namespace tidewater {
namespace {

constexpr std::string_view mood_example = "groups = { music = { gain = \"-6 dB\" } }";
constexpr Decibels loudest_change{24};

void read_group_of(Problems& problems, const toml::key& key, const toml::table& table, BookMood& mood, const MentionGroup& mention) {
  mention(std::string(key.str()), problems.at(key));
  const std::string what = fmt::format("group '{}' of mood '{}'", key.str(), mood.name);
  check_keys(problems, table, what, keys_of("moods.groups"));
  MoodGroupDesign change;
  change.group = key.str();
  mood_group_rows().read(problems, table, change);
  change.sets_gain = read_quantity(problems, table, "gain", read_decibels, change.gain);
  if (change.gain > loudest_change)
    problems.add(problems.at(*table.get("gain")), fmt::format("gain: {} is the most", to_text(loudest_change)));
  if (!table.contains("gain") && !table.contains("low-pass") && !table.contains("high-pass"))
    problems.add(problems.at(key), fmt::format("{} changes nothing: give it a gain, low-pass or high-pass, or leave it out", what));
  mood.groups.push_back(std::move(change));
}

}  // namespace

void read_mood(Problems& problems, const toml::key& key, const toml::table& table, Book& book, const MentionGroup& mention) {
  check_named(problems, "moods", key.str(), table, fmt::format("mood '{}'", key.str()), keys_of("moods"));
  BookMood mood;
  mood.name = key.str();
  mood.place = problems.at(key);
  mood_rows().read(problems, table, mood);
  const toml::node* node = table.get("groups");
  const toml::table* groups = node == nullptr ? nullptr : node->as_table();
  if (groups == nullptr || groups->empty())
    problems.add(node == nullptr ? mood.place : problems.at(*node), fmt::format("a mood changes groups: {}", mood_example));
  else
    for (const auto& [group, its] : *groups) {
      if (const toml::table* inner = its.as_table())
        read_group_of(problems, group, *inner, mood, mention);
      else
        problems.add(problems.at(group), fmt::format("'{}' must be a table: {}", group.str(), mood_example));
    }
  if (book.moods.size() == most_moods)
    problems.add(mood.place, fmt::format("there are more than {} moods", most_moods));
  else
    book.moods.push_back(std::move(mood));
}

}  // namespace tidewater
