#pragma once
/// Plays the requests of a journal again: a playtest through tomorrow's mix. In the library `tidewater_journal`.
///
///     JournalScript script = read_journal("game.journal.jsonl");
///     SoundManager manager(options_of(script));
///     replay(script, bank, manager, [&](std::span<const float> block) { file.write(block); });

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/manager.hpp"

namespace TIDEWATER_API tidewater {

struct ScriptedRequest {
  Frames at;
  noted::Asked asked;
  std::size_t line = 0;  ///< of the file, from 1
};

/// What was kept of emitters: by the update, where that is known, or by the time.
struct ScriptedKept {
  Frames at;
  noted::Kept kept;  ///< update 0 where it is not known
};

/// The requests of a journal, in order; what was decided is left out.
struct JournalScript {
  noted::Head head;
  bool has_head = false;  ///< it has the first line that a manager writes
  std::string file;       ///< as it was called when it was read
  std::vector<ScriptedRequest> requests;
  std::map<PlaybackId, std::string> sounds;  ///< of the recording's playbacks: by these they are found in tomorrow's book
  std::vector<ScriptedKept> kept;            ///< in order
  std::vector<noted::Late> late;
  std::vector<noted::Sums> sums;        ///< of what was decided
  std::size_t late_streams = 0;         ///< times that the disk was late for a stream; a replay plays it in time
  std::vector<noted::Updates> updates;  ///< empty in a journal written by hand: sixty a second
  std::size_t breaks_off = 0;           ///< the line in which the recording breaks off, as after a crash; 0 where it is whole
  std::optional<Frames> end;            ///< where the recording ended; none in a journal written by hand

  /// Whether it says when banks are loaded.
  bool loads_a_bank() const;
  /// The journal was written by hand: it records no updates, so a replay makes sixty a second.
  bool written_by_hand() const { return updates.empty() && !head.recorded; }
};

/// Throws Error with every problem, one a line, each with file, line and remedy.
JournalScript read_journal(const std::string& path);
JournalScript parse_journal(std::string_view text, const std::string& path);

ManagerOptions options_of(const JournalScript& script);

/// Longest wait for sounds to die away where a journal has no end.
inline constexpr Seconds longest_tail{10};

/// Returns the session as it would have been with all of the player's settings at full level and on. Its requests keep their number, by
/// which updates and late requests are placed.
JournalScript without_player(JournalScript script);

/// The kind of machine that this process mixes as, as a journal's head names it.
std::string machine();
/// From here on the process mixes as that kind of machine does, for the very samples of a recording; where it cannot, it is false, and all
/// stays as it is. While no manager renders. An empty name asks for the best again.
bool mix_as(std::string_view machine);

/// Carries out the requests at their frames and hands on every block, interleaved stereo, until the journal's end, or
/// until nothing plays. Each bank is loaded and unloaded where the journal says so; all are before
/// anything else where one that was written by hand does not speak of banks. Where the manager has a journal, it gets a notice of the
/// first second in which something else was decided than in the recording, and of another kind of machine.
void replay(const JournalScript& script, std::span<const Bank> banks, SoundManager& manager,
            const std::function<void(std::span<const float>)>& take);
inline void replay(const JournalScript& script, const Bank& bank, SoundManager& manager,
                   const std::function<void(std::span<const float>)>& take) {
  replay(script, std::span<const Bank>(&bank, 1), manager, take);
}

}  // namespace tidewater
