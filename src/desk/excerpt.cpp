#include "desk/excerpt.hpp"

#include <algorithm>
#include <array>
#include <set>

#include "author/edit/toml_places.hpp"

namespace tidewater::desk {
namespace {

/// Sections that have no effect on how one sound is heard.
constexpr std::array<std::string_view, 5> left_out = {"events", "banks", "targets", "credits", "accepted"};

/// Calls `take(begin)` for the head of a table or list and all heads below it.
template <class Take>
void each_head(const TomlPlaces& places, const toml::node& node, std::string_view key, Take take) {
  const bool list_of_tables = node.is_array_of_tables();
  if (!list_of_tables && node.is_table() && places.form_of(node, key) == TableForm::headed) take(places.begin_of(node));
  if (const auto* table = node.as_table())
    for (const auto& [name, inner] : *table) each_head(places, inner, name.str(), take);
  if (const auto* list = node.as_array(); list != nullptr && list_of_tables)
    for (const auto& item : *list) {
      if (places.form_of(item, key) == TableForm::headed) take(places.begin_of(item));
      if (const auto* table = item.as_table())
        for (const auto& [name, inner] : *table) each_head(places, inner, name.str(), take);
    }
}

}  // namespace

Excerpts::Excerpts(std::string_view text) : text_(text) {
  const TomlPlaces places(text_);
  const auto add = [&](const toml::node& node, std::string_view key, const std::string& sound) {
    each_head(places, node, key, [&](std::size_t begin) { parts_.push_back({begin, places.next_head(begin), sound}); });
  };
  for (const std::string_view section : left_out)
    if (const toml::node* node = places.root().get(section)) add(*node, section, {});
  if (const auto* sounds = places.root().get_as<toml::table>("sounds"))
    for (const auto& [name, node] : *sounds) {
      const std::string sound(name.str());
      add(node, sound, sound);
      if (const auto* table = node.as_table())
        if (const auto* like = table->get_as<std::string>("like")) like_.emplace(sound, like->get());
    }
  std::sort(parts_.begin(), parts_.end(), [](const Part& a, const Part& b) { return a.from < b.from; });
}

std::set<std::string> Excerpts::with_models(const std::vector<std::string>& sounds) const {
  std::set<std::string> all;
  for (std::string sound : sounds)
    while (all.insert(sound).second)
      if (const auto like = like_.find(sound); like != like_.end()) sound = like->second;
  return all;
}

std::string Excerpts::of(const std::vector<std::string>& sounds) const {
  const std::set<std::string> wanted = with_models(sounds);
  std::string excerpt;
  std::size_t at = 0;
  for (const Part& part : parts_) {
    if (!part.sound.empty() && wanted.contains(part.sound)) continue;
    excerpt.append(text_, at, part.from - at);
    at = part.end;
  }
  return excerpt.append(text_, at);
}

std::vector<std::string> Excerpts::heirs_of(const std::string& sound) const {
  std::vector<std::string> heirs;
  for (const auto& [name, ignored] : like_) {
    std::string at = name;
    for (std::size_t steps = 0; steps < like_.size(); ++steps) {
      const auto like = like_.find(at);
      if (like == like_.end()) break;
      at = like->second;
      if (at == sound) {
        heirs.push_back(name);
        break;
      }
    }
  }
  return heirs;
}

}  // namespace tidewater::desk
