#pragma once
/// What was asked and decided, in records of a fixed size, before it becomes the journal's words. Nothing allocates while
/// records are made; putting them into words is the business of whoever hands them on.

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/frame.hpp"
#include "base/ours.hpp"
#include "notebook/reason.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/request.hpp"
#include "tidewater/trait.hpp"

namespace TIDEWATER_OURS tidewater {

/// A request. Its texts lie in the notebook.
struct AskedNote {
  MixFrame lands;
  std::int64_t into = 0;
  bool meanwhile = false;
  Request request;
};

/// A decision that starts nothing.
struct DecidedNote {
  Outcome outcome = Outcome::done;
  PlaybackId playback = {};
  std::uint64_t raise = 0;
  std::string_view event = {};
  const BankSound* sound = nullptr;
  const Reason* why = nullptr;
};

/// A layer of a start, and what became of it.
struct BegunNote {
  bool further = false;  ///< the decision on the whole was noted before
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
  float metres = -1;  ///< away; less than 0 on the screen
  MixFrame starts;
  std::uint32_t voice = 0;
  const Reason* why = nullptr;
};

/// A layer whose delay is nearly over has a voice, or has none.
struct DueNote {
  Outcome outcome = Outcome::started;
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  const BankLayer* layer = nullptr;
  MixFrame starts;
  std::uint32_t voice = 0;
  const Reason* why = nullptr;
};

struct FadingNote {
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  const BankLayer* layer = nullptr;
  Ending how = Ending::finished;
  std::uint32_t voice = 0;
  Seconds fade = {};
  const Reason* why = nullptr;
  MixFrame from = {};  ///< the frame on which the fade begins, if that is later
};

struct WokeNote {
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  const BankLayer* layer = nullptr;
  std::uint32_t voice = 0;
  MixFrame starts;
};

struct EndedNote {
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  Ending how = Ending::finished;
};

/// `stream`: that of a playback was "late", or is "back".
struct NoticeNote {
  const Reason* why = nullptr;
  PlaybackId playback = {};
  const BankSound* sound = nullptr;
  const char* stream = "";
};

/// What was kept of emitters: so many, the first of them in the notebook's list.
struct KeptNote {
  std::uint64_t update = 0;
  std::size_t first = 0, count = 0;
  std::size_t first_gauge = 0, gauges = 0;
};

/// An emitter, as it was kept.
struct KeptState {
  Emitter emitter;
  bool gone = false;
  Whereabouts at;
};

/// An emitter's value of a gauge.
struct KeptGauge {
  Emitter emitter;
  std::uint32_t gauge = 0;
  double value = 0;
};

/// Of some updates.
struct KeptLists {
  std::span<const KeptState> emitters;
  std::span<const KeptGauge> gauges;
};

struct Note {
  template <class What>
  Note(MixFrame when, const What& its) : at(when), what(its) {}
  template <class What>
  Note(MixFrame when, std::in_place_type_t<What> kind) : at(when), what(kind) {}

  MixFrame at;
  std::variant<AskedNote, DecidedNote, BegunNote, DueNote, FadingNote, WokeNote, EndedNote, noted::Updates, noted::Late, NoticeNote,
               KeptNote, noted::End>
      what;
};

/// `put` puts a reason into words.
JournalEntry entry_of(const Note& note, const KeptLists& kept, std::span<const std::string_view> gauge_names,
                      const std::function<std::string(const Reason&)>& put);

class Notebook {
 public:
  /// Takes so many records, and texts of 64 bytes for each; none where nobody reads it. The memory is asked for at once, and used as
  /// it fills.
  explicit Notebook(std::size_t records);

  /// Somebody reads it.
  bool open() const { return capacity_ > 0; }
  /// Whether a request of any kind can be noted with all that follows from it, texts of `text` bytes included.
  bool has_room(std::size_t text) const;
  /// A record that finds no room is counted.
  template <class What>
  void add(MixFrame at, const What& what) {
    if (notes_.size() < capacity_)
      notes_.emplace_back(at, what);
    else
      lost_ += open() ? 1 : 0;
  }
  /// Has `fill` fill a record in its place, which is quicker for the large ones that every raise makes.
  template <class What, class Fill>
  void add(MixFrame at, Fill fill) {
    if (notes_.size() < capacity_)
      fill(std::get<What>(notes_.emplace_back(at, std::in_place_type<What>).what));
    else
      lost_ += open() ? 1 : 0;
  }
  /// Kept in here until `clear`; shortened where there is no room, nothing where nobody reads.
  std::string_view keep(std::string_view text);
  std::span<const Trait> keep(std::span<const Trait> traits);
  std::span<const GaugeValue> keep(std::span<const GaugeValue> gauges);

  const std::vector<Note>& notes() const { return notes_; }
  /// Null for none.
  const Reason* keep(const Reason& why);

  /// Notes the states that an update has kept. Only this may allocate, because no request is refused for it.
  void keep(MixFrame at, std::uint64_t update, const KeptLists& its);
  KeptLists kept() const { return {kept_, kept_gauges_}; }

  /// Something was refused for want of room.
  void refuse() { ++refused_; }
  std::uint64_t take_refused() { return std::exchange(refused_, 0); }
  /// Records that found no room since this was last asked.
  std::uint64_t take_lost() { return std::exchange(lost_, 0); }
  void clear();

 private:
  std::span<const Trait> keep_for_reason(std::span<const Trait> traits);

  std::size_t capacity_;
  std::uint64_t lost_ = 0, refused_ = 0;
  std::vector<Note> notes_;
  std::unique_ptr<char[]> texts_;
  std::size_t text_ = 0, text_room_ = 0;  ///< bytes of them, and how many there may be
  std::vector<Trait> traits_;
  std::vector<Reason> reasons_;
  std::vector<Trait> reason_traits_;  ///< of reasons whose traits no request has kept
  std::vector<GaugeValue> gauges_;
  std::vector<KeptState> kept_;
  std::vector<KeptGauge> kept_gauges_;
};

}  // namespace tidewater
