#include "author/book/read_ducks.hpp"

#include <fmt/format.h>

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "author/book/keys.hpp"
#include "groups/duck_edges.hpp"
#include "mix/command.hpp"

namespace tidewater {
namespace {

constexpr std::string_view duck_example = "duck = [ { for = \"voices\", by = \"-8 dB\" } ]";
constexpr Range<Decibels> depths{{-60}, {-0.1}}, thresholds{{-100}, {0}};
constexpr Seconds longest_time{30};

void check_duck(Problems& problems, const toml::table& table, const BookDuck& duck) {
  const auto wrong = [&](std::string_view key, std::string message) {
    problems.add(table.contains(key) ? problems.at(*table.get(key)) : duck.place, std::move(message));
  };
  if (duck.key.empty()) wrong("for", fmt::format("a duck names the group that it listens to: {}", duck_example));
  if (!(duck.by >= depths.low && duck.by <= depths.high))
    wrong("by", fmt::format("a duck lowers its group, by {} to {}: {}", to_text(depths.high), to_text(depths.low), duck_example));
  if (!(duck.from >= thresholds.low && duck.from <= thresholds.high))
    wrong("from", fmt::format("from: between {} and {}, below full scale", to_text(thresholds.low), to_text(thresholds.high)));
  const auto check_time = [&](std::string_view key, Seconds time) {
    if (!(time <= longest_time)) wrong(key, fmt::format("{}: {} is the longest", key, to_text(longest_time)));
  };
  check_time("attack", duck.attack), check_time("hold", duck.hold), check_time("release", duck.release);
}

}  // namespace

void read_ducks(Problems& problems, const toml::table& table, BookGroup& group) {
  const toml::node* node = table.get("duck");
  if (node == nullptr) return;
  const toml::array* list = node->as_array();
  if (list == nullptr || list->size() > most_ducks)
    return problems.add(problems.at(*node), fmt::format("duck is a list of up to {} tables: {}", most_ducks, duck_example));
  for (const toml::node& item : *list) {
    const toml::table* its = item.as_table();
    if (its == nullptr) {
      problems.add(problems.at(item), fmt::format("a duck is a table: {}", duck_example));
      continue;
    }
    check_keys(problems, *its, fmt::format("duck of group '{}'", group.name), keys_of("duck"));
    BookDuck& duck = group.ducks.emplace_back();
    duck.place = problems.at(item);
    duck_rows().read(problems, *its, duck);
    check_duck(problems, *its, duck);
  }
}

void check_ducks(Problems& problems, const Book& book) {
  std::map<std::string_view, std::uint32_t> numbers;
  std::vector<std::uint32_t> parents;
  for (const BookGroup& group : book.groups) {
    const auto parent = numbers.find(group.parent);
    parents.push_back(parent == numbers.end() ? 0 : parent->second);
    numbers.emplace(group.name, static_cast<std::uint32_t>(numbers.size()));
  }
  std::vector<DuckEdge> ducks;
  for (std::uint32_t number = 0; number < book.groups.size(); ++number)
    for (const BookDuck& duck : book.groups[number].ducks) {
      const std::string& name = book.groups[number].name;
      const auto key = numbers.find(duck.key);
      if (key == numbers.end()) continue;  // reported with all other names
      const DuckEdge edge{number, key->second};
      const auto refuse = [&](const std::string& why) {
        problems.add(duck.place, fmt::format("group '{}' cannot duck for '{}': {}", name, duck.key, why));
      };
      if (edge.group == edge.key)
        refuse("a group cannot be lowered by itself");
      else if (is_within(edge.group, edge.key, parents))
        refuse(fmt::format("'{}' is part of it; name a group beside it", name));
      else if (is_within(edge.key, edge.group, parents))
        refuse(fmt::format("that group is part of '{}'; name a group beside it", name));
      else if (const auto circle = circle_with(edge, parents, ducks); !circle.empty())
        refuse(fmt::format("the ducks would go round in a circle, since '{}' ducks for '{}'{}; leave one of them out", duck.key, name,
                           circle.size() > 2 ? " by way of others" : ""));
      else
        ducks.push_back(edge);
    }
}

}  // namespace tidewater
