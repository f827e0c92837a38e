#pragma once
/// A copy of what plays, for tools that look at a running game.

#include <optional>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/playback.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace TIDEWATER_API tidewater {

/// One playback that has not ended, as of the last request or update.
struct PlayingNow {
  PlaybackId playback;
  std::string bank, sound, group;
  PlaybackState state = PlaybackState::sounds;
  Decibels level = silence;    ///< of its loudest layer, with its groups and its distance
  bool loops = false;          ///< it goes on until something ends it
  Emitter emitter;             ///< zero for none
  std::optional<Place> place;  ///< of a sound in the world
  std::optional<Metres> away;  ///< of the same, from the listener that counts
};

}  // namespace tidewater
