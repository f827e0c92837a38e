#pragma once
/// How a mix is balanced: how loud each group and sound was while it was heard, and what covered speech.
///
///     Balance balance = balance_of(banks, sessions);
///     for (const BalanceRow& row : balance.sounds) std::cout << row.name << ' ' << row.integrated.value << " LUFS\n";
///
/// Loudness by EBU R 128 (ITU-R BS.1770-4), range by EBU Tech 3342. Thread: any; a call may take long.

#include <functional>
#include <span>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/replay.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// The loudness of one group or sound over its own time: only what was heard of it counts.
struct BalanceRow {
  std::string name;
  std::string group;              ///< of a sound: its group; of a group: the group above it
  Decibels integrated = silence;  ///< LUFS
  Decibels short_term = silence;  ///< LUFS; the loudest three seconds, or all of it if it is shorter
  Seconds heard;                  ///< its own time
  std::size_t playbacks = 0;      ///< of a sound
  double from_group = 0;          ///< of a sound: LU above its group's loudness
  bool stands_out = false;        ///< by more than 6 LU
  double turn = 0;                ///< of one that stands out: dB by which its gain has to change so that it does not
};

/// A stretch of whole seconds in which speech was covered: its index was below 0.45.
struct CoveredSpeech {
  std::size_t session = 0;  ///< number of the journal
  Seconds from, length;
  double index = 0;             ///< the lowest of these seconds
  std::vector<std::string> by;  ///< sounds that hold most of the masking power, the strongest first
};

struct Balance {
  Decibels integrated = silence;  ///< LUFS, of the whole
  double range = 0;               ///< LU
  Decibels true_peak = silence;   ///< dBTP
  Seconds length;
  std::vector<BalanceRow> groups, sounds;  ///< the loudest first
  std::string speech_group;                ///< empty if no group of this name was heard
  Seconds speech;                          ///< how long it spoke
  double index = 0;                        ///< mean speech index of the seconds in which it spoke
  Seconds covered_for;
  std::vector<CoveredSpeech> covered;
};

struct BalanceOptions {
  std::string speech = "voices";  ///< the group whose words are to be understood
  bool as_played = false;         ///< with the player's settings
  std::function<void(Seconds done, Seconds of)> progress = {};
};

/// Renders the sessions with these banks and measures. Throws Error if the sessions have unlike rates.
Balance balance_of(std::span<const Bank> banks, std::span<const JournalScript> sessions, const BalanceOptions& options = {});

/// The extended Speech Intelligibility Index of speech in everything else, averaged over the frames in which speech sounds: from 0, nothing
/// is understood, to 1. Mono samples of equal length.
///
/// Third-octave bands and their importance from ANSI S3.5-1997 (18 bands, table 3), in short frames after Rhebergen and Versfeld (J.
/// Acoust. Soc. Am. 117, 2005). In each band the audible share is (speech less everything else in dB, + 15) / 30, clamped to 0 .. 1. The
/// standard's absolute levels are left out, since no sound pressure is known.
double speech_index(std::span<const float> speech, std::span<const float> rest, Hertz rate);

}  // namespace tidewater
