#include "tidewater/settings.hpp"

#include <algorithm>
#include <cmath>

#include "tidewater/manager.hpp"

namespace tidewater {

Settings::Group& Settings::group(std::string_view name) {
  const auto known = std::find_if(groups_.begin(), groups_.end(), [&](const Group& its) { return its.name == name; });
  if (known != groups_.end()) return *known;
  groups_.push_back({std::string(name), {}, true});
  return groups_.back();
}

const Settings::Group* Settings::find(std::string_view name) const {
  const auto known = std::find_if(groups_.begin(), groups_.end(), [&](const Group& its) { return its.name == name; });
  return known == groups_.end() ? nullptr : &*known;
}

bool Settings::set_level(std::string_view name, Share level) {
  if (std::isnan(level.value)) return false;
  group(name).level = std::clamp(level.value, 0.0, 1.0);
  return true;
}

void Settings::set_on(std::string_view name, bool on) { group(name).on = on; }

Share Settings::level(std::string_view name) const {
  const Group* its = find(name);
  return its == nullptr ? Share{} : its->level;
}

bool Settings::on(std::string_view name) const {
  const Group* its = find(name);
  return its == nullptr || its->on;
}

void Settings::apply(SoundManager& manager) const {
  for (const Group& its : groups_) {
    const Name name(its.name);
    if (manager.player_level(name) != its.level) manager.set_player_level(name, its.level);
    if (manager.player_switch(name) != its.on) manager.set_player_switch(name, its.on);
  }
}

}  // namespace tidewater
