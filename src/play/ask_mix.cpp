/// Carries out requests about moods and the player's settings.

#include <array>
#include <cstdint>

#include "play/control.hpp"

namespace tidewater {
namespace {

/// Time of a change by the player.
constexpr Seconds smooth{0.02};

}  // namespace

void Starter::set_mood(std::uint32_t mood, bool on) {
  groups.set_mood(mood, on, way_for(groups.moods().fade(mood, on)));
  send_groups();
}

Outcome Control::carry_out(const asked::SetMood& its, const Extras&) {
  const std::uint32_t mood = groups.moods().names().find(its.mood);
  if (mood == Numbers::none) return noting.decide(Outcome::unknown_mood, {}, {.code = Reason::Code::unknown_mood, .name = its.mood.text()});
  starter.set_mood(mood, its.on);
  return Outcome::done;
}

/// Begins the moods of the scopes that run, and ends those of the others.
void Control::follow_moods_of_scopes() {
  const Moods& moods = groups.moods();
  std::array<bool, most_moods> on{};
  for (std::uint32_t scope = 0; scope < scopes.names().size(); ++scope) {
    const Scopes::Scope& its = scopes[static_cast<ScopeNumber>(scope)];
    if (its.mood == 0 || its.state != Scopes::State::running) continue;
    const std::uint32_t mood = moods.names().find(Name("", its.mood));
    if (mood != Numbers::none) on[mood] = true;
  }
  for (std::uint32_t mood = 0; mood < moods.names().size(); ++mood)
    groups.set_mood_by_scope(mood, on[mood], starter.way_for(moods.fade(mood, on[mood])));
  starter.send_groups();
}

Outcome Control::set_player(const PlayerSetting& setting, Name group) {
  if (!groups.set_player(setting, starter.way_for(smooth)))
    return noting.decide(Outcome::no_room, {}, {.code = Reason::Code::no_more_players, .name = group.text()});
  starter.send_groups();
  const std::uint32_t number = groups.names().find(group);
  if (number != Numbers::none && !groups[number].now.player)
    return noting.decide(Outcome::unknown_group, {}, {.code = Reason::Code::not_offered, .name = group.text()});
  return Outcome::done;
}

Outcome Control::carry_out(const asked::SetPlayerLevel& its, const Extras&) {
  PlayerSetting setting = groups.player(its.group);
  setting.level = its.level.value;
  return set_player(setting, its.group);
}

Outcome Control::carry_out(const asked::SetPlayerSwitch& its, const Extras&) {
  PlayerSetting setting = groups.player(its.group);
  setting.on = its.on;
  return set_player(setting, its.group);
}

}  // namespace tidewater
