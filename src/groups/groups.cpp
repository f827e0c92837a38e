#include "groups/groups.hpp"

#include "mix/mixer.hpp"

namespace tidewater {

Groups::Groups() {
  groups_.reserve(most_groups);  // their names are looked at by others while more come
  levels_.heard.reserve(most_groups);
  groups_.push_back({"master", hash_name("master"), 0, {}, false});
  measure();
}

std::uint32_t Groups::find(Name name) const {
  for (std::uint32_t i = 0; i < size(); ++i)
    if (groups_[i].hash == name.hash()) return i;
  return none;
}

std::uint32_t Groups::add(const BankGroup& group, std::uint32_t parent) {
  if (const auto known = find(Name(group.name)); known != none) return known;
  groups_.push_back({group.name, hash_name(group.name), parent, group.gain, group.muted});
  measure();
  return size() - 1;
}

void Groups::set_gain(std::uint32_t index, Decibels gain, std::int64_t until) {
  begin_change(groups_[index], until);
  groups_[index].gain = gain;
  measure();
}

void Groups::set_mute(std::uint32_t index, bool mute, std::int64_t until) {
  begin_change(groups_[index], until);
  groups_[index].muted = mute;
  measure();
}

void Groups::begin_change(Group& group, std::int64_t until) {
  group.before = std::max(group.before, group.own_level());
  group.until = until;
  next_end_ = std::min(next_end_, until);
}

void Groups::settle(std::int64_t now) {
  if (now < next_end_) return;
  next_end_ = never;
  for (auto& group : groups_) {
    if (group.until <= now)
      group.before = Level();
    else
      next_end_ = std::min(next_end_, group.until);
  }
  measure();
}

void Groups::measure() {
  ++levels_.changes;
  levels_.heard.resize(groups_.size());
  for (std::size_t i = 0; i < groups_.size(); ++i) {
    const Level own = std::max(groups_[i].before, groups_[i].own_level());
    levels_.heard[i] = i == 0 ? own : own + levels_.heard[groups_[i].parent];
  }
}

Reason Groups::why_silent(std::uint32_t index) const {
  for (std::uint32_t at = index;; at = groups_[at].parent) {
    const Group& group = groups_[at];
    if (group.muted) return {.code = Reason::Code::muted, .name = group.name};
    if (group.gain == silence) return {.code = Reason::Code::silent_group, .name = group.name};
    if (at == 0) return {.code = Reason::Code::faint_group, .name = groups_[index].name};
  }
}

std::vector<std::string_view> Groups::names() const {
  std::vector<std::string_view> names;
  for (const auto& group : groups_) names.emplace_back(group.name);
  return names;
}

}  // namespace tidewater
