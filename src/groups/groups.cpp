#include "groups/groups.hpp"

#include <algorithm>

#include "groups/duck_edges.hpp"

namespace tidewater {
namespace {

Groups::Duck duck_of(const DuckDesign& design) {
  const auto number = [](double value) { return static_cast<float>(value); };
  return {hash_name(design.key),
          {.by = number(design.by.value),
           .from = number(design.from.value),
           .attack = number(design.attack.value),
           .hold = number(design.hold.value),
           .release = number(design.release.value)}};
}

}  // namespace

Groups::Groups() {
  constexpr std::size_t commands_a_group = 4 + most_ducks;
  groups_.reserve(most_groups);
  levels_.heard.reserve(most_groups);
  changes_.reserve(commands_a_group * most_groups);
  names_.add("master");
  groups_.emplace_back();
  limits_.groups.reserve(most_groups);
  measure();
  find_limits();
}

void Groups::add(std::span<const BankGroup> groups, std::span<const std::uint32_t> numbers, MixFrame lands) {
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const BankGroup& its = groups[g];
    const std::uint32_t number = numbers[g];
    const bool is_new = number == groups_.size(), sets_master = number == 0 && !master_is_set_;
    if (is_new) {
      names_.add(its.name);
      Group& group = groups_.emplace_back();
      group.parent = numbers[its.parent];
      group.now.gain = its.gain;
      group.now.muted = its.muted;
      group.muted_at = lands;
      measure();
      changes_.emplace_back(DefineGroup{number, groups_[number].parent, static_cast<float>(groups_[number].own_amplitude())});
    }
    for (std::size_t d = 0; d < most_ducks; ++d) groups_[number].ducks[d] = d < its.ducks.size() ? duck_of(its.ducks[d]) : Duck{};
    groups_[number].now.limit = its.limit;
    groups_[number].now.when_full = its.when_full;
    if (!is_new && !sets_master) continue;
    if (its.low_pass > Hertz{0}) set_filter(number, StateFilter::Kind::low_pass, its.low_pass, 0);
    if (its.high_pass > Hertz{0}) set_filter(number, StateFilter::Kind::high_pass, its.high_pass, 0);
    if (!sets_master) continue;
    begin_change(groups_[0], lands);
    groups_[0].now.gain = its.gain;
    groups_[0].now.muted = its.muted;
    measure();
    send_gain(0, 0);
  }
  master_is_set_ = true;
  find_limits();
  send_ducks();
}

/// Sends the ducks whose groups are both known, and brings ducks to an end that no bank has any more.
void Groups::send_ducks() {
  std::vector<std::uint32_t> parents;
  for (const Group& group : groups_) parents.push_back(group.parent);
  std::vector<DuckEdge> edges;
  left_out_.clear();
  for (std::uint32_t number = 0; number < groups_.size(); ++number)
    for (std::uint32_t d = 0; d < most_ducks; ++d) {
      const Duck& its = groups_[number].ducks[d];
      DuckLaw law;
      if (its.law.by != 0) {
        const DuckEdge edge{number, names_.find(Name("", its.key))};
        const bool known = edge.key != Numbers::none;
        if (known && !is_possible(edge, parents, edges)) {
          left_out_.push_back({number, edge.key});
        } else if (known) {
          edges.push_back(edge);
          law = its.law;
          law.key = edge.key;
        }
      }
      DuckLaw& sent = groups_[number].sent[d];
      if (law == sent) continue;
      sent = law;
      changes_.emplace_back(SetDuck{number, d, law});
    }
}

void Groups::set_gain(std::uint32_t number, Decibels gain, const Way& way) {
  master_is_set_ = master_is_set_ || number == 0;
  begin_change(groups_[number], way.from + way.ramp);
  groups_[number].now.gain = gain;
  measure();
  send_gain(number, way.ramp);
}

void Groups::set_mute(std::uint32_t number, bool mute, const Way& way) {
  master_is_set_ = master_is_set_ || number == 0;
  begin_change(groups_[number], way.from + way.ramp);
  if (mute && !groups_[number].now.muted) groups_[number].muted_at = way.from;
  groups_[number].now.muted = mute;
  measure();
  send_gain(number, way.ramp);
}

void Groups::set_filter(std::uint32_t number, StateFilter::Kind kind, Hertz frequency, std::int64_t ramp) {
  GroupDesign& now = groups_[number].now;
  (kind == StateFilter::Kind::low_pass ? now.low_pass : now.high_pass) = frequency;
  changes_.emplace_back(SetFilter{number, true, kind, static_cast<float>(frequency.value), ramp});
}

void Groups::send_gain(std::uint32_t number, std::int64_t ramp) {
  changes_.emplace_back(SetGroupGain{number, static_cast<float>(groups_[number].own_amplitude()), ramp});
}

void Groups::begin_change(Group& group, MixFrame until) {
  group.before = std::max(group.before, group.own_level());
  group.until = until;
  next_end_ = std::min(next_end_, until);
}

void Groups::settle(MixFrame now) {
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

void Groups::find_limits() {
  limits_.groups.assign(groups_.size(), {});
  limits_.any = false;
  for (std::uint32_t number = 0; number < groups_.size(); ++number) {  // a parent comes before its children
    const GroupDesign& now = groups_[number].now;
    const std::uint32_t above = number == 0 ? GroupLimits::none : limits_.groups[groups_[number].parent].own;
    const bool limited = now.limit > 0;
    limits_.groups[number] = {now.limit, now.when_full, limited ? number : above, above, names_.name(number)};
    limits_.any = limits_.any || limited;
  }
}

Reason Groups::why_silent(std::uint32_t number, Hertz rate) const {
  for (std::uint32_t at = number;; at = groups_[at].parent) {
    const GroupDesign& now = groups_[at].now;
    if (now.muted)
      return {.code = Reason::Code::muted, .number = static_cast<double>(groups_[at].muted_at.value) / rate.value, .name = names_.name(at)};
    if (now.gain == silence) return {.code = Reason::Code::silent_group, .name = names_.name(at)};
    if (at == 0) return {.code = Reason::Code::faint_group, .name = names_.name(number)};
  }
}

}  // namespace tidewater
