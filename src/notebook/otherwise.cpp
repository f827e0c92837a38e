#include "notebook/otherwise.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "base/nearest.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_listed = 12;  // values that a message names

/// The values that a layer's clips name of one of its traits, each once.
std::vector<std::string_view> values_of(const BankLayer& layer, std::size_t trait) {
  std::vector<std::string_view> values;
  for (const auto& choice : layer.choices)
    if (trait < choice.values.size() && std::find(values.begin(), values.end(), choice.values[trait].text) == values.end())
      values.emplace_back(choice.values[trait].text);
  std::sort(values.begin(), values.end());
  return values;
}

std::string listed(const std::vector<std::string_view>& values) {
  std::string text;
  for (std::size_t i = 0; i < std::min(values.size(), most_listed); ++i) text += fmt::format("{}{}", i == 0 ? "" : ", ", values[i]);
  if (values.size() > most_listed) text += fmt::format(" and {} more", values.size() - most_listed);
  return text;
}

std::string hint_not_given(std::string_view name, std::span<const Trait> traits, const std::vector<std::string_view>& values) {
  std::vector<std::string_view> names;
  for (const auto& trait : traits) names.push_back(trait.name.text());
  const std::string meant = nearest_name(name, names);
  return meant.empty() ? fmt::format("; there are clips for {}", listed(values))
                       : fmt::format("; what came is called '{}', not '{}'", meant, name);
}

}  // namespace

const Trait* given_trait(std::span<const Trait> traits, const HashedText& name) {
  const auto found =
      std::find_if(traits.begin(), traits.end(), [&](const Trait& t) { return same_name(t.name, Name(name.text, name.hash)); });
  return found == traits.end() ? nullptr : &*found;
}

std::string why_otherwise(const BankSound& design, const BankLayer& layer, std::span<const Trait> traits, std::string_view then) {
  const std::string begin = fmt::format("'{}' has no clip for ", design.name);
  std::string together;
  for (std::size_t i = 0; i < layer.by.size(); ++i) {
    const auto values = values_of(layer, i);
    const bool any = std::find(values.begin(), values.end(), "*") != values.end();
    const Trait* trait = given_trait(traits, layer.by[i]);
    if (trait == nullptr && !any)
      return fmt::format("{}{} = (not given){}{}", begin, layer.by[i].text, then, hint_not_given(layer.by[i].text, traits, values));
    const std::string_view value = trait == nullptr ? "(not given)" : trait->value.text();
    if (!any && std::find(values.begin(), values.end(), value) == values.end()) {
      const std::string meant = did_you_mean(value, values);
      return fmt::format("{}{} = {}{}{}", begin, layer.by[i].text, value, then,
                         meant.empty() ? fmt::format("; there are clips for {}", listed(values)) : meant);
    }
    together += fmt::format("{}{} = {}", i == 0 ? "" : ", ", layer.by[i].text, value);
  }
  return fmt::format("{}{} together{}", begin, together, then);
}

}  // namespace tidewater
