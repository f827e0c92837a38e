#pragma once
/// Handles of started sounds, and what a raise returns.

#include <array>
#include <cstddef>
#include <cstdint>

#include "tidewater/export.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct Control;

/// The present state of a playback.
enum class PlaybackState {
  sounds,   ///< it has a voice
  waits,    ///< it waits for its delay, for its clips, or for the next step of its cadence
  dormant,  ///< it keeps its place in time without a voice
  held,     ///< its scope is on hold
  over,     ///< it has ended, or was told to stop while it was dormant
};

/// One started sound. Small, copyable, safe to keep after the sound has ended.
///
/// Thread: any; a call takes the manager's lock. A handle may outlive its manager. It then behaves like the handle of an ended sound.
/// Each change returns `done`; `already_ended` if the sound has ended, which is noted and changes nothing; or `not_a_number` or `no_room`.
/// A change is reached over `time`, from the value that is heard when it begins.
class Playback {
 public:
  /// A handle of nothing: it has ended.
  Playback() = default;

  /// True when the last sample was handed out, as of the last `update` or `raise`.
  bool ended() const;
  PlaybackId id() const { return id_; }
  /// Returns the state as of the last request or update. Changes nothing.
  PlaybackState state() const;
  /// Returns the position of the first layer in its clip, from the clip's head on, as of the last request or update. Returns zero if the
  /// playback has ended.
  Seconds position() const;
  /// Fades to silence, then ends. The fade is the sound's `fade-out` or `fade`. A fade of zero takes 5 ms, so that it does not click.
  Outcome stop();
  Outcome stop(Seconds fade);
  /// Sets the level on top of the level that was drawn at the start.
  Outcome set_gain(Decibels gain, Seconds time = Seconds{0.02});
  /// Pans a mono clip at equal power, or balances a stereo clip.
  Outcome set_pan(Pan pan, Seconds time = Seconds{0.02});
  /// Second-order filters, in place of those of the book. 0 Hz removes the filter.
  Outcome set_low_pass(Hertz frequency, Seconds time = Seconds{0.02});
  Outcome set_high_pass(Hertz frequency, Seconds time = Seconds{0.02});
  /// Bends the pitch relative to the pitch that was drawn at the start.
  Outcome bend(Semitones shift, Seconds time = Seconds{0.02});

 private:
  friend struct Control;
  friend class SoundManager;
  Playback(std::uint64_t manager, std::uint32_t slot, PlaybackId id) : manager_(manager), slot_(slot), id_(id) {}
  template <class Act>
  Outcome ask(Act request) const;

  std::uint64_t manager_ = 0;  ///< number of the manager; 0 for a handle of nothing
  std::uint32_t slot_ = 0;
  PlaybackId id_;
};

/// The result of a raise: its outcome, and handles of the started sounds.
struct Raised {
  /// The most handles that one raise returns. Further sounds play, too.
  static constexpr std::size_t most_handles = 4;

  /// The first refused response's outcome; if none was refused, the first that plays; otherwise the first response's.
  Outcome outcome = Outcome::unknown_event;
  std::array<Playback, most_handles> playbacks;
  std::size_t count = 0;

  /// The first started sound. If a sound with retrigger "ignore" plays already, that playback. Otherwise a handle of nothing.
  Playback playback() const { return playbacks[0]; }
};

}  // namespace tidewater
