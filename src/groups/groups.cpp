#include "groups/groups.hpp"

#include <algorithm>

#include "groups/duck_edges.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_players = 256;  ///< groups that the player has set, whether they are known or not

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
  constexpr std::size_t commands_a_group = 5 + most_ducks;
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
      group.now.player = its.player;
      group.muted_at = lands;
      group.player = player(Name(its.name));
      group.own.now = Level(group.own_gain());
      measure();
      changes_.emplace_back(DefineGroup{number, groups_[number].parent, static_cast<float>(amplitude(groups_[number].own_gain()))});
    }
    for (std::size_t d = 0; d < most_ducks; ++d) groups_[number].ducks[d] = d < its.ducks.size() ? duck_of(its.ducks[d]) : Duck{};
    if (groups_[number].now.player != its.player) {
      groups_[number].now.player = its.player;
      change_level(number, {lands, 0});
    }
    groups_[number].now.limit = its.limit;
    groups_[number].now.when_full = its.when_full;
    if (!is_new && !sets_master) continue;
    if (its.low_pass > Hertz{0}) set_filter(number, StateFilter::Kind::low_pass, its.low_pass, 0);
    if (its.high_pass > Hertz{0}) set_filter(number, StateFilter::Kind::high_pass, its.high_pass, 0);
    if (!sets_master) continue;
    groups_[0].now.gain = its.gain;
    groups_[0].now.muted = its.muted;
    change_level(0, {lands, 0});
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
  groups_[number].now.gain = gain;
  change_level(number, way);
}

void Groups::set_mute(std::uint32_t number, bool mute, const Way& way) {
  master_is_set_ = master_is_set_ || number == 0;
  if (mute && !groups_[number].now.muted) groups_[number].muted_at = way.from;
  groups_[number].now.muted = mute;
  change_level(number, way);
}

void Groups::set_filter(std::uint32_t number, StateFilter::Kind kind, Hertz frequency, std::int64_t ramp) {
  GroupDesign& now = groups_[number].now;
  (kind == StateFilter::Kind::low_pass ? now.low_pass : now.high_pass) = frequency;
  send_filter(number, kind, ramp);
}

/// Of the group's own filter and its mood's, the one that takes away more holds.
void Groups::send_filter(std::uint32_t number, StateFilter::Kind kind, std::int64_t ramp) {
  const Group& its = groups_[number];
  const bool low = kind == StateFilter::Kind::low_pass;
  const double own = (low ? its.now.low_pass : its.now.high_pass).value, by_mood = (low ? its.mood.low_pass : its.mood.high_pass).value;
  const double corner = own == 0 || by_mood == 0 ? std::max(own, by_mood) : low ? std::min(own, by_mood) : std::max(own, by_mood);
  changes_.emplace_back(SetFilter{number, true, kind, static_cast<float>(corner), ramp});
}

void Groups::send_gain(std::uint32_t number, std::int64_t ramp) {
  changes_.emplace_back(SetGroupGain{number, static_cast<float>(amplitude(groups_[number].own_gain())), ramp});
}

/// After the group's own level has changed.
void Groups::change_level(std::uint32_t number, const Way& way) {
  Group& group = groups_[number];
  group.own.go(Level(group.own_gain()), way);
  note_end(group.own.until);
  measure();
  send_gain(number, way.ramp);
}

void Groups::add_moods(std::span<const BankMood> moods, const Way& way) {
  moods_.add(moods);
  follow_moods(way);
}

/// Brings each group to what the moods in force say.
void Groups::follow_moods(const Way& way) {
  for (std::uint32_t number = 0; number < groups_.size(); ++number) {
    Group& group = groups_[number];
    const MoodEffect before = group.mood;
    group.mood = moods_.effect_on(hash_name(names_.name(number)));
    if (group.mood.gain != before.gain) {
      group.by_mood.go(Level(group.mood.gain), way);
      note_end(group.by_mood.until);
      changes_.emplace_back(SetGroupGain{number, static_cast<float>(amplitude(group.mood.gain)), way.ramp, true});
    }
    if (group.mood.low_pass != before.low_pass) send_filter(number, StateFilter::Kind::low_pass, way.ramp);
    if (group.mood.high_pass != before.high_pass) send_filter(number, StateFilter::Kind::high_pass, way.ramp);
  }
  measure();
}

bool Groups::set_player(const PlayerSetting& setting, const Way& way) {
  if (setting == player(Name("", setting.group))) return true;  // so that nothing that moves is disturbed
  const auto known = std::find_if(players_.begin(), players_.end(), [&](const PlayerSetting& its) { return its.group == setting.group; });
  if (known != players_.end())
    *known = setting;
  else if (players_.size() == most_players)
    return false;
  else
    players_.push_back(setting);
  const std::uint32_t number = names_.find(Name("", setting.group));
  if (number == Numbers::none) return true;
  groups_[number].player = setting;
  if (groups_[number].now.player) change_level(number, way);
  return true;
}

PlayerSetting Groups::player(Name group) const {
  const auto known = std::find_if(players_.begin(), players_.end(), [&](const PlayerSetting& its) { return its.group == group.hash(); });
  return known == players_.end() ? PlayerSetting{.group = group.hash()} : *known;
}

void Groups::settle(MixFrame now) {
  if (now < next_end_) return;
  next_end_ = never;
  for (Group& group : groups_)
    for (Moving* level : {&group.own, &group.by_mood}) {
      if (level->until <= now)
        level->before = Level();
      else
        note_end(level->until);
    }
  measure();
}

void Groups::measure() {
  ++levels_.changes;
  levels_.heard.resize(groups_.size());
  for (std::size_t i = 0; i < groups_.size(); ++i) {
    const Level its = groups_[i].own.heard() + groups_[i].by_mood.heard();
    levels_.heard[i] = i == 0 ? its : its + levels_.heard[groups_[i].parent];
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
    if (now.player && groups_[at].player.silent()) return {.code = Reason::Code::player_off, .name = names_.name(at)};
    if (groups_[at].mood.gain == silence)
      return {.code = Reason::Code::silent_mood, .name = names_.name(at), .more = moods_.names().name(groups_[at].mood.gain_by)};
    if (now.gain == silence) return {.code = Reason::Code::silent_group, .name = names_.name(at)};
    if (at == 0) return {.code = Reason::Code::faint_group, .name = names_.name(number)};
  }
}

}  // namespace tidewater
