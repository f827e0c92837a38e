#include "groups/moods.hpp"

#include <tuple>

namespace tidewater {

bool Moods::has_room_for(std::span<const BankMood> moods) const {
  std::vector<std::string_view> names;
  for (const BankMood& mood : moods) names.emplace_back(mood.name);
  return names_.plan(names).size <= most_moods;
}

void Moods::add(std::span<const BankMood> moods) {
  for (const BankMood& its : moods) {
    const std::uint32_t number = names_.add(its.name);
    if (number == Numbers::none) continue;
    if (number == moods_.size()) moods_.emplace_back();
    Mood& mood = moods_[number];
    mood.rank = its.rank, mood.fade_in = its.fade_in, mood.fade_out = its.fade_out;
    std::erase_if(changes_, [&](const Change& change) { return change.mood == number; });
    for (const MoodGroupDesign& change : its.groups)
      changes_.push_back({number, change.sets_gain, hash_name(change.group), change.gain, change.low_pass, change.high_pass});
  }
}

bool Moods::change(std::uint32_t number, bool begun, bool by_scope) {
  Mood& mood = moods_[number];
  mood.begun = begun, mood.by_scope = by_scope;
  const bool now = begun || by_scope;
  if (now == in_force(number)) return false;
  mood.since = now ? ++times_changed_ : 0;
  return true;
}

bool Moods::wins(std::uint32_t mood, std::uint32_t over) const {
  if (over == Numbers::none) return true;
  const auto key = [this](std::uint32_t its) { return std::tuple(moods_[its].rank, moods_[its].since); };
  return key(mood) > key(over);
}

MoodEffect Moods::effect_on(std::uint64_t group) const {
  MoodEffect effect;
  for (const Change& its : changes_) {
    if (its.group != group || !in_force(its.mood)) continue;
    if (its.sets_gain && wins(its.mood, effect.gain_by)) effect.gain = its.gain, effect.gain_by = its.mood;
    if (its.low_pass > Hertz{} && wins(its.mood, effect.low_pass_by)) effect.low_pass = its.low_pass, effect.low_pass_by = its.mood;
    if (its.high_pass > Hertz{} && wins(its.mood, effect.high_pass_by)) effect.high_pass = its.high_pass, effect.high_pass_by = its.mood;
  }
  return effect;
}

}  // namespace tidewater
