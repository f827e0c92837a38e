#pragma once
/// Figures of a running manager.

#include <cstdint>

#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct Stats {
  std::uint32_t playbacks = 0;    ///< started and not ended, those without a voice included
  std::uint32_t voices = 0;       ///< layers that sound, or are about to
  std::uint32_t most_voices = 0;  ///< the most there were at once
  std::uint32_t held = 0;         ///< layers that have a voice, and whose scope is on hold; not counted in `voices`, `fading` or `dormant`
  std::uint32_t fading = 0;       ///< layers that were told to go and are still heard
  std::uint32_t dormant = 0;      ///< layers that keep their place without a voice, or wait for their delay
  std::uint32_t late = 0;         ///< times that a stream faded out because the disk was late
  std::uint64_t clip_bytes = 0;   ///< bytes of samples in memory, shared ones included

  // Since the manager was made.
  std::uint64_t raised = 0;   ///< events
  std::uint64_t started = 0;  ///< playbacks
  std::uint64_t refused = 0;  ///< requests
};

/// A group as the book, the game and the player have set it.
struct GroupState {
  Decibels gain;        ///< without the player's share
  bool muted = false;   ///< by the book or the game
  bool player = false;  ///< offered to the player
  Share player_level;
  bool player_on = true;
};

/// Peak and power of a group's output, after its own level.
struct Meter {
  Decibels peak = silence;  ///< since the meter was last read
  Decibels rms = silence;   ///< over the last 64 frames
};

/// How loud a group is now, after its own level, its moods and its ducks: ITU-R BS.1770-4 without gates, in LUFS.
struct GroupLoudness {
  Decibels momentary = silence;   ///< over the last 0.4 s
  Decibels short_term = silence;  ///< over the last 3 s
};

}  // namespace tidewater
