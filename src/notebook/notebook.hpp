#pragma once
/// What was asked and decided, in records of a fixed size, before it becomes the journal's words. Nothing allocates while
/// records are made; putting them into words is the business of whoever hands them on.

#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "bank/bank_data.hpp"
#include "mix/command.hpp"
#include "notebook/reason.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/replay.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

/// A request; which one is the record's kind. Texts lie in the notebook.
struct AskedNote {
  PlaybackId playback = {};
  std::uint64_t raise = 0;
  std::string_view name = {};  ///< of an event, a group or a bank
  std::string_view why = {};
  std::span<const Trait> traits = {};
  std::uint64_t emitter = 0;
  std::int64_t into = 0;
  double value = 0;  ///< decibels, semitones, hertz, or a place
  Seconds fade = {};
  bool on = false;
};

/// A decision that starts nothing.
struct DecidedNote {
  Outcome outcome = Outcome::done;
  PlaybackId playback = {};
  std::uint64_t raise = 0;
  std::string_view event = {};
  const BankSound* sound = nullptr;
  Seconds fade = {};
  Reason why = {};
};

/// A layer of a start, and what became of it.
struct BegunNote {
  Outcome outcome = Outcome::started;
  PlaybackId playback = {};
  std::string_view event = {}, group = {};
  const BankSound* sound = nullptr;
  const BankLayer* layer = nullptr;
  const BankClip* clip = nullptr;
  Decibels gain = {};
  Semitones pitch = {};
  Pan pan = {};
  Hertz low_pass = {};
  Seconds clip_start = {};
  std::int64_t starts = 0;
  std::uint32_t voice = 0;
  Reason why = {};
};

/// What happened to a playback later.
struct ChangedNote {
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  const char* how = nullptr;
  std::uint32_t voice = 0;
  std::int64_t starts = 0;
  Seconds fade = {};
  Reason why = {};
};

/// The journal's first line, or its last.
struct HeadNote {
  Hertz rate = {};
  std::uint64_t seed = 0;
  std::uint32_t voices = 0;
  Quality quality = Quality::standard;
  Layout layout = Layout::stereo;
  bool limiter = true;
};

struct Note {
  JournalEntry::Kind kind = JournalEntry::Kind::notice;
  std::int64_t at = 0, lands = 0;
  std::variant<AskedNote, DecidedNote, BegunNote, ChangedNote, UpdateRun, CameLate, HeadNote> what;
};

/// `words` puts a reason into words.
JournalEntry entry_of(const Note& note, const std::function<std::string(const Reason&)>& words);

class Notebook {
 public:
  /// Takes so many records, and texts of 64 bytes for each. The memory is asked for at once, and used as it fills.
  explicit Notebook(std::size_t records);

  /// Whether a request of any kind can be noted with all that follows from it, texts of `text` bytes included.
  bool has_room(std::size_t text) const;
  /// Nothing where there is no room.
  Note* add();
  /// Kept in here until `clear`; shortened where there is no room.
  std::string_view keep(std::string_view text);
  std::span<const Trait> keep(std::span<const Trait> traits);

  const std::vector<Note>& notes() const { return notes_; }
  bool empty() const { return notes_.empty(); }
  void clear();

 private:
  std::size_t capacity_;
  std::vector<Note> notes_;
  std::vector<char> texts_;
  std::vector<Trait> traits_;
};

}  // namespace tidewater
