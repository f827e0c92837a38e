#pragma once
/// The journal: what the game asked, what was decided, and why. One entry a line; docs/journal.md has the format.
///
///     JournalFile journal("out/game.journal.jsonl");
///     SoundManager manager({.journal = journal.sink()});

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "tidewater/layout.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// Names one playback for ever: the raise that began it and which response of its event it is, both counted from 1.
/// Zero names none.
struct PlaybackId {
  std::uint64_t raise = 0;
  std::uint32_t response = 0;
  friend constexpr auto operator<=>(const PlaybackId&, const PlaybackId&) = default;
};

struct JournalEntry {
  enum class Kind {
    head,        ///< first of all: book, rate, seed, voices
    load,        ///< request: a bank
    unload,      ///< request: a bank
    raise,       ///< request: an event
    stop,        ///< request: one playback, with `fade`
    gain,        ///< request: level of one playback or group, with `fade` as the time it takes
    bend,        ///< request: pitch of one playback
    pan,         ///< request: place of one playback
    low_pass,    ///< request: filter of one playback or group, at `frequency`
    high_pass,   ///< request: the same
    mute,        ///< request: a group on or off
    stop_all,    ///< request: everything, with `fade`
    unreadable,  ///< like a request: the file of a playback that streams could not be read any further: `why`
    decision,    ///< what became of a request: `outcome`
    layer,       ///< a further layer of the playback that was decided on before
    fading,      ///< a playback was told to go: `how`, over `fade`
    woke,        ///< a dormant playback has a voice again
    ended,       ///< a playback is over: `how`
    updates,     ///< request: the game called `update` `times` times from here on, `every` frames apart, each `after` so many
                 ///< of the requests of its frame
    late,        ///< the commands of request number `raise` came too late for their frame, and were carried out for frame `starts`
    notice,      ///< something worth knowing that nobody asked: `why`
    end,         ///< last of all: the journal is whole up to here
  };

  Kind kind = Kind::notice;
  Frames at;                ///< on the mixer's clock: what had been handed out
  Frames lands;             ///< of a request: the end of the block that was being rendered, where it is heard; or else `at`
  Frames into;              ///< of a raise: how far into that block it came
  std::uint64_t raise = 0;  ///< which raise this is, or decides; from 1
  PlaybackId playback;
  std::string bank, event, sound, layer, clip, group;
  std::vector<std::pair<std::string, std::string>> traits;  ///< of a raise
  std::uint64_t emitter = 0;                                ///< of a raise; 0 for none
  Outcome outcome = Outcome::done;
  std::string why;  ///< in words, where something was refused or is worth explaining
  std::string
      how;  ///< of an end: "finished", "stopped", "restarted", "yielded" to its limit, "outranked" or "unloaded"; of a fade also "dormant"
  Decibels gain;
  Semitones pitch;
  Pan pan;
  Hertz frequency;
  Seconds fade;
  Frames every;
  std::uint64_t times = 0;
  std::uint32_t after = 0;  ///< of updates: ~0 for all
  bool on = false;
  static constexpr std::uint32_t no_voice = ~0U;
  std::uint32_t voice = 0;
  Seconds clip_start;  ///< of a playback: where in its clip it begins
  Frames starts;       ///< of a playback: its first frame, after the delay
  Seconds fade_in;     ///< of a playback
  bool loop = false;   ///< of a playback
  Hertz rate;          ///< of the head
  std::uint64_t seed = 0;
  std::uint32_t voices = 0;
  Quality quality = Quality::standard;  ///< of the head, as are the next two
  Layout layout = Layout::stereo;       ///< `on` says whether there was a limiter
};

/// One JSON object, without the line's end.
std::string to_json(const JournalEntry& entry);

/// Where the manager sends entries, in order: from `update` and the manager's end, on that thread, outside the lock that others
/// wait for. It may call the manager. What it throws comes out of `update`; what it was not given yet comes with the next.
using JournalSink = std::function<void(const JournalEntry&)>;

/// Writes a journal as JSON Lines. The file takes its name when the object ends or is closed; an older one of that name stays
/// as it was until then, and where the new one cannot be written to its end. Each line is with the system before the next: a
/// crash leaves all that was handed on in NAME.*.part. In which order it and its manager end does not matter: what comes
/// after `close` is added to the file.
/// Thread: calls of the sink must not overlap; those of one manager never do.
class JournalFile {
 public:
  /// Throws Error where the file cannot be made.
  explicit JournalFile(std::string path);
  ~JournalFile();
  JournalFile(const JournalFile&) = delete;
  JournalFile& operator=(const JournalFile&) = delete;

  void write(const JournalEntry& entry);
  /// Throws Error where the disk is full.
  void close();
  JournalSink sink();

 private:
  struct State;
  std::shared_ptr<State> state_;
};

}  // namespace tidewater
