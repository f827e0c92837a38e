#pragma once
#include <cstdint>
#include <string_view>

#include "tidewater/export.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/world.hpp"

namespace TIDEWATER_API tidewater {

/// How a playback ends, or loses its voice.
enum class Ending {
  finished,    ///< its last frame was heard
  stopped,     ///< by the game, or by a response
  restarted,   ///< its sound was started again, and the book says retrigger = "restart"
  yielded,     ///< because of a limit of its sound or its group
  outranked,   ///< other sounds were louder or more important, and it was too short to wait
  unloaded,    ///< with its bank
  unreadable,  ///< its stream or its clip could not be read
  dormant,     ///< no end: the playback keeps its place in time without a voice
};

/// The ending's word in journals and tables.
std::string_view to_text(Ending ending);

/// A playback that has ended.
struct EndedPlayback {
  PlaybackId id;
  Emitter emitter;  ///< the emitter of its raise
  Ending how = Ending::finished;
};

}  // namespace tidewater
