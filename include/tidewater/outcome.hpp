#pragma once
#include <string_view>

namespace tidewater {

/// The decision on one request. Every request ends in one or more of these, in the journal and at the call.
enum class Outcome {
  started,           ///< a playback began, or will after its delay
  silent,            ///< a playback began, but nobody hears it for now: a group above it is muted or at no level
  dormant,           ///< a playback began without a voice: others are more important; it is heard when that changes
  done,              ///< a stop or a change was carried out
  nothing_to_stop,   ///< the sound to be stopped was not playing
  already_ended,     ///< the playback's handle is of a sound that has ended
  left_out,          ///< by its chance nothing of the sound was there this time
  no_clip,           ///< the sound has no clip for these traits
  pool_full,         ///< every voice was taken by something louder or of higher rank
  unknown_event,     ///< no bank that was ever loaded has this event
  unknown_group,     ///< no loaded bank has this group
  unknown_playback,  ///< a journal speaks of a playback that this rendering never had
  bank_not_loaded,   ///< the name was known once: its bank has been unloaded
};

/// The outcome's word in journals and tables: "started", "pool-full", ...
std::string_view to_text(Outcome outcome);

/// True where something plays because of the request.
constexpr bool plays(Outcome outcome) { return outcome == Outcome::started || outcome == Outcome::silent || outcome == Outcome::dormant; }

/// True where there was nothing to do: what was to be stopped or changed was not playing, or chance left it out.
constexpr bool idle(Outcome outcome) {
  return outcome == Outcome::nothing_to_stop || outcome == Outcome::already_ended || outcome == Outcome::left_out;
}

/// True where something that was asked for did not happen.
constexpr bool refused(Outcome outcome) { return !plays(outcome) && !idle(outcome) && outcome != Outcome::done; }

}  // namespace tidewater
