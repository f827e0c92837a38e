#pragma once
#include <cstdint>
#include <optional>
#include <span>

#include "drive/cadences.hpp"
#include "terms/scope_times.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/name.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

/// One raised event: its name, its traits, and the emitter that made it.
struct Happening {
  Name event;
  std::span<const Trait> traits;
  Emitter emitter;
  std::span<const GaugeValue> gauges;     ///< gauges as the emitter gives them
  const std::optional<Whereabouts>& at;   ///< the place in the world, if it is known
  MixFrame base = {};                     ///< the frame that delays count from: a start without delay is heard there
  const Cadence* beat_of = nullptr;       ///< the cadence that starts the sound once more; null if a raise does
  ScopeFrame step = {};                   ///< then it is heard there, and `base` says nothing
  ScopeNumber beat_scope = 0;             ///< and then it goes by this scope
  std::optional<ScopeNumber> scope = {};  ///< in place of that of each sound
  Seconds delay = {};                     ///< of each response, on top of its own
  bool stays = false;                     ///< the sound stays where it is, wherever its emitter goes
};

}  // namespace tidewater
