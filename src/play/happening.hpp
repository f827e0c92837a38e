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
#include "voices/start_values.hpp"

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
  ScopeFrame step = {};                   ///< frame of that step, in its scope's time; `base` is unused then
  std::optional<ScopeNumber> scope = {};  ///< overrides the scopes of the sounds
  Seconds delay = {};                     ///< added to the delay of each response
  Decibels gain = {};                     ///< added to the level of each start
  std::uint64_t action = 0;               ///< number of the raise that began the action
  std::uint64_t root = 0;                 ///< number of the raise that began this chain of raises
  std::uint32_t depth = 0;                ///< number of raises from there to this one
  bool ahead = false;                     ///< the raise is carried out shortly before its frame, `base`
  const ExactStart* exact = nullptr;      ///< of a track, or of what starts on a beat; `base` is unused then
  bool stays = false;                     ///< the sound stays where it is, wherever its emitter goes
};

}  // namespace tidewater
