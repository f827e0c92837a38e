#pragma once
/// Whether a start may be, and who yields for it: decided as a whole before anything is done, so that what is refused silences
/// nobody.

#include <array>
#include <cstdint>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/clip_position.hpp"
#include "choose/pick.hpp"
#include "terms/bent.hpp"
#include "terms/level.hpp"
#include "tidewater/outcome.hpp"

namespace tidewater {

struct LiveStart;
struct LiveLayer;

/// One layer that a start would have.
struct Candidate {
  const BankLayer* layer = nullptr;
  const BankClipUse* use = nullptr;
  const BankClip* clip = nullptr;
  std::size_t list = 0;  ///< of the sound's lists of clips
  Picked picked;
  Decibels gain;  ///< drawn, with the clip's trim
  Semitones pitch;
  Bent bent;                   ///< by gauges
  std::string_view silent_by;  ///< the gauge that makes it silent, where one does
  double gauge_at = 0;         ///< and where that stands
  std::uint64_t step = 0;
  ClipPosition position;  ///< where it begins
  std::int64_t starts = 0;
  Level level;  ///< as it is heard

  /// The first of those that the layers of a start have is what became of the whole.
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
  bool over_limit = false;  ///< as many of its sound are heard as may be
  std::uint32_t voice = ~0U;
};

constexpr Outcome outcome_of(Candidate::Fate fate) {
  constexpr std::array of_fate = {Outcome::started, Outcome::reading, Outcome::started,
                                  Outcome::silent,  Outcome::dormant, Outcome::pool_full};
  return of_fate[static_cast<std::size_t>(fate)];
}

/// Who makes room.
struct Verdict {
  std::size_t playing = 0;  ///< of a limit: how many there are
  bool full = false;        ///< there are as many as may be heard: it keeps its place without a voice
  /// Starts that make room by the book.
  std::vector<LiveStart*> going;
  /// Sounding layers that lose their voice.
  std::vector<LiveLayer*> yielding;

  void clear() {
    playing = 0;
    full = false;
    going.clear();
    yielding.clear();
  }
};

}  // namespace tidewater
