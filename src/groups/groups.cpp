#include "groups/groups.hpp"

#include <algorithm>

namespace tidewater {

Groups::Groups() {
  groups_.reserve(most_groups);
  levels_.heard.reserve(most_groups);
  names_.add("master");
  groups_.emplace_back();
  measure();
}

std::uint32_t Groups::add(const BankGroup& group, std::uint32_t parent) {
  const std::uint32_t number = names_.add(group.name);
  if (number < groups_.size()) return number;
  groups_.push_back({parent, group.gain, group.muted});
  measure();
  return number;
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
    if (group.muted) return {.code = Reason::Code::muted, .name = names_.name(at)};
    if (group.gain == silence) return {.code = Reason::Code::silent_group, .name = names_.name(at)};
    if (at == 0) return {.code = Reason::Code::faint_group, .name = names_.name(index)};
  }
}

}  // namespace tidewater
