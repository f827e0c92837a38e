#pragma once
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// The decision on one request. Every request ends in one or more of these, in the journal and at the call.
enum class Outcome {
  started,          ///< a playback began, or will after its delay
  went_on,          ///< a playback from before the restart of its scope plays on, or a cadence plays on with the traits of this raise
  reading,          ///< a playback began, and is heard as soon as its clips are in memory: they were not yet
  silent,           ///< a playback began, but is inaudible for now: it keeps its place in time without a voice
  dormant,          ///< a playback began without a voice, because others are more important; it is heard when that changes
  done,             ///< a stop or a change was carried out
  nothing_to_stop,  ///< the response found no playback, or no delayed response, to stop or change
  already_ended,    ///< the playback has ended
  already_playing,  ///< the sound plays already, and its retrigger is "ignore"
  too_soon,         ///< less than the sound's spacing has passed since its last start
  limit_reached,    ///< a limit of the sound or its group is reached, and this start is the one that yields
  left_out,         ///< a chance came out against it, or a response's `when` asks for other traits
  no_clip,          ///< the sound has no clip for these traits
  past_end,         ///< the sound's start-at lies beyond the end of its clip
  unreadable,       ///< its clip could not be read
  pool_full,        ///< every voice is taken by something louder or of a higher rank, or still fades out
  no_room,          ///< a capacity of ManagerOptions is used up; the journal says which
  unknown_event,    ///< no bank that was ever loaded has this event
  unknown_group,    ///< no loaded bank has this group
  unknown_gauge,    ///< no loaded bank has this gauge
  not_a_number,     ///< a quantity of the request is not a number; nothing was changed
  bank_not_loaded,  ///< the bank that had the name has been unloaded
  out_of_range,     ///< beyond the sound's `far`, and too short to come nearer before it ends
  emitter_gone,     ///< a sound in the world was raised on an emitter that was removed
  paused,           ///< its scope is paused, and the sound is too short to wait
  scope_ended,      ///< its scope has ended; `begin` was not called since
  unknown_scope,    ///< no loaded bank has this scope
  chain_too_long,   ///< events raised each other more than 64 deep, or more than 1,024 times in all, at one moment
  planned,          ///< a track takes over on a later boundary; the line says when
  replaced,         ///< a change of music that was planned: another was asked for before it was placed
  unknown_track,    ///< no loaded bank has this track
  unknown_mood,     ///< no loaded bank has this mood
  needs_reload,     ///< the turned design cannot take the sound's place while it plays: the book is to be compiled and reloaded
  not_here,         ///< this build of the library cannot turn sounds (TIDEWATER_DESK=OFF)
};

inline constexpr Outcome last_outcome = Outcome::not_here;

/// The outcome's word in journals and tables: "started", "pool-full", ...
std::string_view to_text(Outcome outcome);

/// True if something plays because of the request.
constexpr bool plays(Outcome outcome) {
  return outcome == Outcome::started || outcome == Outcome::went_on || outcome == Outcome::reading || outcome == Outcome::planned ||
         outcome == Outcome::silent || outcome == Outcome::dormant;
}

/// True if nothing was to be done: the sound was not playing, or its book holds it back.
constexpr bool idle(Outcome outcome) {
  switch (outcome) {
    case Outcome::nothing_to_stop:
    case Outcome::already_ended:
    case Outcome::already_playing:
    case Outcome::too_soon:
    case Outcome::limit_reached:
    case Outcome::left_out:
    case Outcome::replaced: return true;
    default: return false;
  }
}

/// True if something that was asked for did not happen.
constexpr bool refused(Outcome outcome) { return !plays(outcome) && !idle(outcome) && outcome != Outcome::done; }

}  // namespace tidewater
