#include "author/pack/write_design.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "author/pack/written_table.hpp"
#include "bank/turned_design.hpp"
#include "base/base64.hpp"
#include "tidewater/author/turn.hpp"

namespace tidewater {
namespace {

/// The path from the first to one of a tree, the first at the beginning, with names and parents alone.
template <class Item>
std::vector<Item> way_to(const std::vector<Item>& tree, std::uint32_t item) {
  std::vector<Item> way;
  for (bool first = false; !first; item = tree[item].parent) {
    Item its;
    its.name = tree[item].name;
    way.push_back(std::move(its));
    first = item == 0;
  }
  std::reverse(way.begin(), way.end());
  for (std::size_t i = 1; i < way.size(); ++i) way[i].parent = static_cast<std::uint32_t>(i - 1);
  return way;
}

const BankSound* sound_in(const BankData& bank, std::string_view name) {
  const auto found = std::find_if(bank.sounds.begin(), bank.sounds.end(), [&](const BankSound& its) { return its.name == name; });
  return found == bank.sounds.end() ? nullptr : &*found;
}

Read<std::string> no_sound(const BankData& bank, std::string_view name) {
  return {std::nullopt, fmt::format("the bank '{}' has no sound '{}'; compile the book and reload it", bank.name, name)};
}

/// A group's or sound's group and scope by name, as the bank numbers them.
template <class Item>
std::optional<std::uint32_t> number_of(const std::vector<Item>& items, std::string_view name) {
  const auto found = std::find_if(items.begin(), items.end(), [&](const Item& its) { return its.name == name; });
  if (found == items.end()) return std::nullopt;
  return static_cast<std::uint32_t>(found - items.begin());
}

}  // namespace

std::string text_of_design(const BankData& bank, BankSound sound) {
  BankData alone;
  alone.name = bank.name;
  alone.rate = bank.rate;
  alone.groups = way_to(bank.groups, sound.group);
  alone.scopes = way_to(bank.scopes, sound.scope);
  sound.group = static_cast<std::uint32_t>(alone.groups.size() - 1);
  sound.scope = static_cast<std::uint32_t>(alone.scopes.size() - 1);
  sound.track.clear();  // its timing stays the bank's
  alone.sounds.push_back(std::move(sound));
  WrittenTable table(alone);
  const std::string bytes = beginning_of(table, {});
  return to_base64(std::as_bytes(std::span(bytes)));
}

Read<std::string> own_design(const Bank& given, std::string_view sound) {
  const BankData& bank = data_of(given);
  const BankSound* its = sound_in(bank, sound);
  if (its == nullptr) return no_sound(bank, sound);
  return {text_of_design(bank, *its), {}};
}

Read<std::string> turned_design(const Bank& given, const Book& book, std::string_view sound) {
  const BankData& bank = data_of(given);
  const BankSound* now = sound_in(bank, sound);
  const auto wanted = std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.name == sound; });
  if (now == nullptr || wanted == book.sounds.end()) return no_sound(bank, sound);
  BankSound turned = *now;
  static_cast<SoundDesign&>(turned) = *wanted;
  if (const auto group = number_of(bank.groups, wanted->group)) turned.group = *group;
  const auto refuse = [&](std::string_view what) -> Read<std::string> {
    return {std::nullopt, fmt::format("{} of '{}' is other than in the loaded bank; compile the book and reload it", what, sound)};
  };
  if (bank.groups[turned.group].name != wanted->group) return refuse("the group");
  if (turned.layers.size() != wanted->layers.size()) return refuse("the number of layers");
  for (std::size_t i = 0; i < turned.layers.size(); ++i) {
    const BookLayer& layer = wanted->layers[i];
    static_cast<LayerDesign&>(turned.layers[i]) = layer;
    const std::vector<BankChoice>& choices = turned.layers[i].choices;
    const bool same = choices.size() == layer.choices.size() &&
                      std::equal(choices.begin(), choices.end(), layer.choices.begin(),
                                 [](const BankChoice& a, const BookChoice& b) { return a.clips.size() == b.clips.size(); });
    if (!same) return refuse("the clips");
  }
  if (std::string why = needs_reload(*now, turned); !why.empty()) return {std::nullopt, std::move(why)};
  return {text_of_design(bank, std::move(turned)), {}};
}

}  // namespace tidewater
