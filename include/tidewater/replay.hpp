#pragma once
/// Plays the requests of a journal again: a playtest through tomorrow's mix.
///
///     JournalScript script = read_journal("game.journal.jsonl");
///     SoundManager manager(options_of(script));
///     replay(script, bank, manager, [&](std::span<const float> block) { file.write(block); });

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "tidewater/journal.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {

/// When a game called `update`: `times` times, the first at `first`, each after so many of the requests of its frame.
struct UpdateRun {
  static constexpr std::uint32_t all = ~0U;
  Frames first;
  Frames every;
  std::uint64_t times = 0;
  std::uint32_t after = 0;
  Frames ahead;  ///< from there to the end of the block that was being rendered
};

/// A request whose commands reached the audio thread too late for their frame.
struct LateRequest {
  std::uint64_t request = 0;  ///< requests and updates before it, and itself
  Frames landed;              ///< the frame that they were carried out for
};

/// The requests of a journal, in order; what was decided is left out.
struct JournalScript {
  Hertz rate{48000};
  std::uint64_t seed = 1;
  std::uint32_t voices = 64;
  Quality quality = Quality::standard;
  Layout layout = Layout::stereo;
  bool limiter = true;
  bool recorded = false;  ///< it has the first line that a manager writes
  std::string file;       ///< as it was called when it was read
  std::vector<JournalEntry> requests;
  std::vector<std::size_t> lines;  ///< of the file, from 1: where each request stands
  std::vector<LateRequest> late;
  std::size_t late_streams = 0;    ///< times that the disk was late for a stream; a replay plays it in time
  std::vector<UpdateRun> updates;  ///< none in a journal written by hand: sixty a second
  std::size_t breaks_off = 0;      ///< the line in which the recording breaks off, as after a crash; 0 where it is whole
  std::optional<Frames> end;       ///< where the recording ended; none in a journal written by hand

  /// Whether it says when banks are loaded.
  bool loads_a_bank() const;
  /// Nobody called `update`.
  bool written_by_hand() const { return updates.empty(); }
};

/// Throws Error with every problem, one a line, each with file, line and remedy.
JournalScript read_journal(const std::string& path);
JournalScript parse_journal(std::string_view text, const std::string& path);

ManagerOptions options_of(const JournalScript& script);

/// Longest wait for sounds to die away where a journal has no end.
inline constexpr Seconds longest_tail{10};

/// Carries out the requests at their frames and hands on every block, interleaved stereo, until the journal's end, or
/// until nothing plays. Each bank is loaded and unloaded where the journal says so; all are before
/// anything else where one that was written by hand does not speak of banks.
void replay(const JournalScript& script, std::span<const Bank> banks, SoundManager& manager,
            const std::function<void(std::span<const float>)>& take);
inline void replay(const JournalScript& script, const Bank& bank, SoundManager& manager,
                   const std::function<void(std::span<const float>)>& take) {
  replay(script, std::span<const Bank>(&bank, 1), manager, take);
}

}  // namespace tidewater
