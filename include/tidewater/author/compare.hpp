#pragma once
/// What has changed between two versions of a mix: the same sessions through both.
///
///     Comparison found = compare({yesterday, today}, sessions);
///     if (!found.same) for (const ComparedSound& its : found.sounds) ...
///
/// Thread: any; both versions are rendered at once, on two threads. A call may take long.

#include <array>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/replay.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// A third-octave band in which two sounds differ by more than 1 dB.
struct ComparedBand {
  Hertz middle;
  double change = 0;  ///< dB, the second version less the first
};

/// A sound that is not as it was. It is measured before its group, so that a change of the group is no change of it. Every figure is the
/// second version less the first.
struct ComparedSound {
  enum class How { changed, missing, added };
  std::string name = {}, group = {};
  How how = How::changed;
  double level = 0;           ///< LU, each over its own time
  std::int64_t timing = 0;    ///< frames: the largest difference between two starts
  std::int64_t starts = 0;    ///< how many more
  double drawn_pitch = 0;     ///< semitones, the mean of what was drawn
  double measured_pitch = 0;  ///< semitones, by which its spectrum has moved; 0 if no move fits
  std::vector<ComparedBand> bands = {};
};

/// A group whose own level is not as it was: what it lets through of what goes in.
struct ComparedGroup {
  std::string name;
  double level = 0;  ///< dB
};

struct Comparison {
  bool same = false;                  ///< bit for bit
  double level = 0;                   ///< LU, of the whole
  Seconds length;                     ///< of the sessions, in the longer version
  std::vector<ComparedGroup> groups;  ///< those that differ, the largest change first
  std::vector<ComparedSound> sounds;

  /// Whether no level differs by more than `most` LU, no start by a frame, no pitch by 5 cents and no band by 1 dB, and nothing is missing
  /// or new.
  bool within(double most) const;
};

/// One version: banks, and a function that receives what is rendered of each session, for pictures.
struct ComparedVersion {
  std::span<const Bank> banks;
  std::function<void(const JournalEntry&)> journal = {};
  std::function<void(std::span<const float>)> samples = {};
};

struct CompareOptions {
  bool as_played = false;                                       ///< with the player's settings
  std::function<void(Seconds done, Seconds of)> progress = {};  ///< called by one thread
};

Comparison compare(const std::array<ComparedVersion, 2>& versions, std::span<const JournalScript> sessions,
                   const CompareOptions& options = {});

/// Compares two sound files, as if each were one sound. Throws Error if one cannot be read, or their rates differ.
Comparison compare_files(const std::string& one, const std::string& other);

}  // namespace tidewater
