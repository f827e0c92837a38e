#pragma once
/// Whether a start may be, and who yields for it: decided as a whole before anything is done, so that what is refused silences
/// nobody.

#include <array>
#include <cstdint>
#include <span>
#include <string_view>

#include "bank/bank_data.hpp"
#include "base/clip_position.hpp"
#include "base/few.hpp"
#include "terms/bent.hpp"
#include "terms/claim.hpp"
#include "terms/group_limits.hpp"
#include "terms/level.hpp"
#include "terms/scope_times.hpp"
#include "tidewater/outcome.hpp"

namespace tidewater {

struct LiveStart;
struct LiveLayer;
struct LiveClip;
struct PlayedSound;

/// One layer that a start would have.
struct Candidate {
  const BankLayer* layer = nullptr;
  std::size_t number = 0;  ///< of the layer in its sound
  const BankClip* clip = nullptr;
  LiveClip* live = nullptr;  ///< the same clip in the loaded bank
  Decibels gain;             ///< drawn, with the clip's trim
  Semitones pitch;
  Bent bent;                   ///< by gauges
  std::string_view silent_by;  ///< the gauge that makes it silent, where one does
  double gauge_at = 0;         ///< and where that stands
  std::uint64_t step = 0;
  ClipPosition position;  ///< where it begins
  ScopeFrame starts;
  Level level;  ///< as it is heard
  Level own;    ///< of the clip at its gain, before the groups and gauges
  Claim claim;  ///< to a voice, once one was asked for

  /// In order of success: the best fate among the layers gives the outcome of the whole start.
  enum class Fate {
    voice,     ///< it sounds
    reading,   ///< it waits until the clips of all layers are in memory
    later,     ///< its delay is long: it asks for a voice shortly before it is over
    unheard,   ///< nobody would hear it: it keeps its place without a voice
    waits,     ///< all voices are taken: it keeps its place without one
    too_late,  ///< all voices are taken, and it is too short to wait
  };
  Fate fate = Fate::voice;
  bool all_fade = false;    ///< it may have a voice, but those that were told to go have not gone yet
  bool unread = false;      ///< its clip is not in memory
  bool over_limit = false;  ///< as many of its sound or its group are heard as may be
  std::uint32_t voice = ~0U;

  bool begins() const { return fate != Fate::too_late; }
};

/// The layers of a start that is asked for.
using Layers = Few<Candidate, most_layers>;

constexpr Outcome outcome_of(Candidate::Fate fate) {
  constexpr std::array of_fate = {Outcome::started, Outcome::reading, Outcome::started,
                                  Outcome::silent,  Outcome::dormant, Outcome::pool_full};
  return of_fate[static_cast<std::size_t>(fate)];
}

/// A start that leaves because a limit is reached.
struct Outdone {
  LiveStart* start;
  std::size_t playing;                 ///< as in Verdict
  const GroupLimits::Group* of_group;  ///< as in Verdict
};
/// The most limits that hold for a start: its sound's, and those of its group and of groups above. Others are not looked at.
inline constexpr std::size_t most_limits = 4;

/// The starts and layers that make room for a start. It holds as long as nothing begins or ends.
struct Verdict {
  const PlayedSound* sound = nullptr;            ///< the sound that starts
  std::uint64_t emitter = 0;                     ///< and its emitter
  ScopeNumber scope = 0;                         ///< scope of the start
  bool cadences = false;                         ///< a cadence starts: its gates look at cadences, those of all else at all else
  std::size_t playing = 0;                       ///< starts that count against the limit that is reached
  const GroupLimits::Group* of_group = nullptr;  ///< the group whose limit that is; null for the sound's own
  float farther_at = 0;                          ///< the distance of the new start, if it yields because it is the farthest
  bool full = false;                             ///< as many play as may: the new start keeps its place without a voice
  bool at_once = false;                          ///< of a track: it does not wait for its frame without a voice
  bool restarts = false;                         ///< all that plays of the sound leaves
  std::array<Outdone, most_limits> outdone;      ///< starts that leave because of limits
  std::size_t outdone_count = 0;
  std::array<LiveLayer*, most_layers> yielding;  ///< sounding layers that lose their voice
  std::size_t yielding_count = 0;

  bool makes_room() const { return restarts || outdone_count > 0 || yielding_count > 0; }
  std::span<const Outdone> leaving() const { return {outdone.data(), outdone_count}; }
};

/// The decision of the book's gates on a start.
struct Gated {
  Outcome outcome = Outcome::done;  ///< `done`: the start may be
  Seconds after;                    ///< `too_soon`: the time since another start of the sound; negative if that one is later
  Verdict verdict;

  bool held() const { return outcome != Outcome::done; }
};

}  // namespace tidewater
