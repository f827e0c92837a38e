#pragma once
#include <string_view>

namespace tidewater {

/// The decision on one request. Every request ends in one or more of these, in the journal and at the call.
enum class Outcome {
  started,           ///< a playback began, or will after its delay
  reading,           ///< a playback began, and is heard as soon as its clips are in memory: they were not yet
  silent,            ///< a playback began, but nobody would hear it for now: it keeps its place without a voice
  dormant,           ///< a playback began without a voice: others are more important; it is heard when that changes
  done,              ///< a stop or a change was carried out
  nothing_to_stop,   ///< the sound to be stopped was not playing
  already_ended,     ///< the playback's handle is of a sound that has ended
  already_playing,   ///< the sound plays already, and its book says that it is not to be started again
  too_soon,          ///< less than the sound's spacing has passed since its last start
  limit_reached,     ///< as many of the sound play as may, and its book says that the newest yields
  left_out,          ///< by its chance nothing of the sound was there this time
  no_clip,           ///< the sound has no clip for these traits
  past_end,          ///< the sound was to begin beyond the end of its clip
  unreadable,        ///< its clip could not be read from its bank
  pool_full,         ///< every voice was taken by something louder or of higher rank, or still fades
  no_room,           ///< more waits for `update`, or keeps its place, than ManagerOptions has room for
  unknown_event,     ///< no bank that was ever loaded has this event
  unknown_group,     ///< no loaded bank has this group
  unknown_gauge,     ///< no loaded bank has this gauge
  unknown_playback,  ///< a journal speaks of a playback that this rendering never had
  not_a_number,      ///< a quantity of the request is not a number; nothing was changed
  bank_not_loaded,   ///< the name was known once: its bank has been unloaded
  out_of_range,      ///< beyond the sound's `far`, and too short to wait until it is nearer
  emitter_gone,      ///< a sound in the world was raised on an emitter that was given up
};

/// The outcome's word in journals and tables: "started", "pool-full", ...
std::string_view to_text(Outcome outcome);

/// True where something plays because of the request.
constexpr bool plays(Outcome outcome) {
  return outcome == Outcome::started || outcome == Outcome::reading || outcome == Outcome::silent || outcome == Outcome::dormant;
}

/// True where nothing was to be done: what was to be stopped or changed was not playing, or the book held the sound back.
constexpr bool idle(Outcome outcome) {
  switch (outcome) {
    case Outcome::nothing_to_stop:
    case Outcome::already_ended:
    case Outcome::already_playing:
    case Outcome::too_soon:
    case Outcome::limit_reached:
    case Outcome::left_out: return true;
    default: return false;
  }
}

/// True where something that was asked for did not happen.
constexpr bool refused(Outcome outcome) { return !plays(outcome) && !idle(outcome) && outcome != Outcome::done; }

}  // namespace tidewater
