#include "author/book/read_traits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <string_view>

#include "base/nearest.hpp"

namespace tidewater {

void read_trait(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_named(problems, "traits", key.str(), table, fmt::format("trait '{}'", key.str()), keys_of("traits"));
  constexpr std::string_view example = "values = [\"planks\", \"steel\"]";
  BookTraitValues trait{std::string(key.str()), {}, problems.at(key)};
  const toml::node* node = table.get("values");
  const auto* list = node == nullptr ? nullptr : node->as_array();
  if (list == nullptr || list->empty())
    return problems.add(node == nullptr ? trait.place : problems.at(*node),
                        fmt::format("trait '{}' needs the list of its values: {}", trait.name, example));
  for (const auto& item : *list) {
    const auto* value = item.as_string();
    if (value == nullptr || value->get().empty() || value->get() == "*")
      problems.add(problems.at(item), fmt::format("a value of a trait is text: {}", example));
    else if (std::find(trait.values.begin(), trait.values.end(), value->get()) != trait.values.end())
      problems.add(problems.at(item), fmt::format("trait '{}' has the value '{}' twice", trait.name, value->get()));
    else
      trait.values.push_back(value->get());
  }
  book.traits.push_back(std::move(trait));
}

void check_traits(Problems& problems, const Book& book) {
  const auto check = [&](const std::string& name, const std::string& value, const FilePlace& place) {
    const auto trait = std::find_if(book.traits.begin(), book.traits.end(), [&](const BookTraitValues& its) { return its.name == name; });
    if (trait == book.traits.end() || value == "*") return;
    if (std::find(trait->values.begin(), trait->values.end(), value) != trait->values.end()) return;
    const std::vector<std::string_view> known(trait->values.begin(), trait->values.end());
    const std::string near = did_you_mean(value, known);
    problems.add(place, fmt::format("trait '{}' has no value '{}'{}", name, value,
                                    near.empty() ? fmt::format("; add it to the values of [traits.{}]", name) : near));
  };
  for (const BookSound& sound : book.sounds)
    for (const BookLayer& layer : sound.layers) {
      std::set<std::pair<std::string, std::string>> told;
      for (const BookChoice& choice : layer.choices)
        for (std::size_t i = 0; i < std::min(choice.values.size(), layer.by.size()); ++i)
          if (told.emplace(layer.by[i], choice.values[i]).second)
            check(layer.by[i], choice.values[i], choice.clips.empty() ? layer.place : choice.clips.front().place);
    }
  for (const BookEvent& event : book.events)
    for (const BookResponse& response : event.responses)
      for (const BookTrait& trait : response.when) check(trait.name, trait.value, trait.place);
}

}  // namespace tidewater
