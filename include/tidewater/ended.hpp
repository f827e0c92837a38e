#pragma once
#include <cstdint>
#include <string_view>

#include "tidewater/ids.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

/// How a playback comes to its end, or loses its voice.
enum class Ending {
  finished,    ///< its last frame was heard
  stopped,     ///< by the game, or by a response
  restarted,   ///< its sound was asked for again, and is not to overlap
  yielded,     ///< to its sound's limit
  outranked,   ///< others are louder or more important, and it was too short to wait
  unloaded,    ///< with its bank
  unreadable,  ///< its file could not be streamed any further, or its clip not be read
  dormant,     ///< not an end: it keeps its place without a voice
};

/// The ending's word in journals and tables.
std::string_view to_text(Ending ending);

/// A playback that is over.
struct EndedPlayback {
  PlaybackId id;
  Emitter emitter;  ///< as it was raised
  Ending how = Ending::finished;
};

}  // namespace tidewater
