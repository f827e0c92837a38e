#pragma once
#include <cstdint>
#include <string_view>

#include "tidewater/request.hpp"

namespace tidewater {

/// A playback that is over.
struct EndedPlayback {
  PlaybackId id;
  std::uint64_t emitter = 0;  ///< as it was raised
  std::string_view how;       ///< "finished", "stopped", "restarted", "yielded", "outranked", "unloaded" or "unreadable"; lives for ever
};

}  // namespace tidewater
