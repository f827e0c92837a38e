#pragma once
/// Whom the listeners can hear: all that plays in the world, where it is kept to be, and the loudest of what has no voice.
///
/// What is kept of an emitter is what decisions go by, and what a journal has. While `search` runs, without the lock, others may add and
/// remove: that is done by `close`.

#include <algorithm>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "terms/claim.hpp"
#include "terms/heard_from.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/layout.hpp"
#include "world/emitters.hpp"
#include "world/hearing.hpp"

namespace tidewater {

/// A sound of a loaded bank, as it is heard in the world.
struct HeardKind {
  const Hearing* hearing = nullptr;  ///< null: a free place
  int rank = 0;
  std::uint32_t limit = 0;
  bool limit_each = false;  ///< for each emitter by itself
  std::uint32_t volume_group = 0;
  // As of the update that goes on.
  Level group;                  ///< what its group lets through
  Level bent{Decibels{}};       ///< what the gauges of all make of it, where its emitter says nothing of them
  Level most_bent{Decibels{}};  ///< the most that gauges may make of any
  Level needed;                 ///< what is not over this is not looked for
  Level needed_for_another;     ///< the same once no voice is free: it has to take another's
  std::uint32_t heard = 0;      ///< of one with a limit: so many are
  Level loudest;                ///< of those that there are, before distance and group
  std::uint32_t count = 0;      ///< that there are
  std::uint32_t chosen = 0;     ///< of the best
};

/// Something in the world that has no voice and might.
struct Contender {
  StartRef start;
  HeardFrom heard;
};

class Earshot {
 public:
  static constexpr std::uint32_t several = 1, first_kind = 2;

  /// So many starts.
  Earshot(std::size_t starts, Layout layout);

  // With the control lock.

  /// Its number; 0 where there are too many.
  std::uint32_t add_kind(const HeardKind& kind);
  /// Of which nothing plays any more. Not while `search` may run.
  void remove_kind(std::uint32_t kind);
  /// Of a saved state: under the number that it had.
  void put_kind(std::uint32_t number, const HeardKind& kind);

  /// Something plays from there. `own` is its level before distance and group; `gauged` where its emitter may say something of gauges that
  /// change that.
  void add(StartRef start, std::uint32_t kind, Level own, bool gauged, Emitter emitter, const Whereabouts& at);
  void change(StartRef start, Level own);
  /// It is over.
  void remove(StartRef start);
  bool has(StartRef start) const { return start.slot < sources_.size() && sources_[start.slot].id == start.id; }
  /// It stays where its emitter was.
  void detach(std::uint32_t start);
  /// Calls `act(start)` for all that plays from an emitter; it may detach or remove it.
  template <class Act>
  void each_from(Emitter emitter, Act act) {
    if (slot_in(emitter) >= emitters_.size()) return;
    for (std::uint32_t at = emitters_.first[slot_in(emitter)], next = 0; at != none; at = next) {
      next = sources_[at].next;
      act(at);
    }
  }
  /// What it is kept to be from here on.
  void keep(Emitter emitter, const Whereabouts& at);
  /// What these hear of one, where it is kept to be.
  HeardFrom heard_by(std::uint32_t start, std::span<const Ears> ears) const;
  /// Whether it goes where its emitter goes.
  bool on_emitter(std::uint32_t start) const { return (sources_[start].row & spot_bit) == 0; }
  /// Where it is.
  Whereabouts where(std::uint32_t start) const { return rows_of(sources_[start].row).where(sources_[start].row); }

  // An update: open and close with the lock, hear and search without it.

  void open(std::span<const Ears> listeners, std::size_t emitters);
  std::span<const Ears> ears() const { return ears_; }
  /// Of those that there were when it was opened.
  std::span<HeardKind> kinds() { return {kinds_.data(), open_kinds_}; }
  /// In a replay: it is kept to be there.
  void know(Emitter emitter, const Whereabouts& at);
  /// What those that have a voice are heard like from here on; nothing for what has no place in the world.
  void hear(std::span<const StartRef> voiced, const Emitters& from);
  /// Of those, in their order; nothing of what is not there any more.
  std::span<const std::optional<HeardFrom>> heard_now() const { return heard_; }
  std::uint32_t kind_of(std::uint32_t start) const { return sources_[start].kind; }
  /// What the gauges of its emitter make of one; nothing where that says nothing of them.
  using BentByEmitter = std::function<std::optional<Level>(StartRef start)>;
  /// Returns the `most` best starts without a voice, best first, each louder than its kind's `needed`. Those beyond the first `free`, which
  /// take voices that are free, are also louder than `needed_for_another`.
  std::span<const Contender> search(const Emitters& from, std::size_t most, std::size_t free, const BentByEmitter& bent);
  static constexpr std::size_t all = ~std::size_t{0};
  void close();
  /// Emitters whose state was kept since `open`, in no order; each once.
  struct Kept {
    Emitter emitter;
    Whereabouts at;
  };
  std::span<const Kept> kept() const { return kept_; }
  /// Whether an emitter that was given up had ever mattered; from here on it does not.
  bool forget(Emitter emitter);

  template <class State>
  void state(State& s);

 private:
  static constexpr std::uint32_t none = ~0U, spot_bit = 1U << 31;

  struct Source {
    std::uint32_t row = none;  ///< emitter's slot, or a spot's with `spot_bit`
    std::uint32_t kind = 0;
    std::uint32_t next = none, previous = none;  ///< of the same place
    Level own;
    PlaybackId id;
    bool voiced = false;
    bool gauged = false;
  };
  /// Side by side, for the pass over all of them.
  struct Rows {
    std::vector<std::int32_t> x, y, z;
    std::vector<Whereabouts> at;       ///< as they were last kept; the pass moves x, y and z alone
    std::vector<std::uint32_t> kind;   ///< row of `cut_`: of all that plays from there
    std::vector<std::uint32_t> first;  ///< of that
    std::vector<std::uint8_t> known;   ///< it was kept once
    std::vector<std::uint8_t> heard;   ///< kept by `hear` in the update that goes on: it moves no further in that
    std::size_t size() const { return x.size(); }
    void grow(std::size_t count);
    Whereabouts where(std::uint32_t row) const;
    void set(std::uint32_t row, const Whereabouts& its);
    template <class State>
    void state(State& s) {
      s.list(x), s.list(y), s.list(z), s.list(at), s.list(kind), s.list(first), s.list(known), s.list(heard);
    }
  };
  struct Later {
    enum class What { add, change, remove, keep } what;
    StartRef start;
    std::uint32_t kind = 0;
    Level own;
    bool gauged = false;
    Emitter emitter;
    Whereabouts at;
  };

  Rows& rows_of(std::uint32_t row) { return (row & spot_bit) != 0 ? spots_ : emitters_; }
  const Rows& rows_of(std::uint32_t row) const { return (row & spot_bit) != 0 ? spots_ : emitters_; }
  void link(std::uint32_t start, std::uint32_t row);
  void unlink(std::uint32_t start);
  void know_kind(std::uint32_t row);
  std::uint32_t take_spot(const Whereabouts& at);
  void make_cuts();
  void pass(const Emitters& from);
  void contend_all(const std::uint32_t* rows, std::size_t count, std::uint32_t bit);
  void contend(std::uint32_t row);
  void keep_best(std::size_t most);
  void keep_fitting(std::size_t free);
  void raise_bar();

  Layout layout_;
  std::vector<Ears> ears_;
  std::vector<HeardKind> kinds_;  ///< never moved: they are read while others are added
  std::vector<std::uint32_t> free_kinds_;
  std::size_t open_kinds_ = first_kind;
  std::vector<Source> sources_;  ///< by start
  Rows emitters_, spots_;
  std::vector<std::uint32_t> free_spots_;
  bool searching_ = false;
  std::vector<Later> later_;
  std::vector<std::uint32_t> voiced_;
  std::vector<std::optional<HeardFrom>> heard_;
  std::vector<std::uint32_t> heard_rows_;
  std::vector<float> cut_;  ///< of each kind: the square of the distance beyond which nobody is needed
  std::vector<std::uint32_t> moved_, near_;
  /// Small, as there may be many before the best are known.
  struct Candidate {
    StartRef start;
    Standing standing;
  };
  std::vector<Candidate> candidates_;
  std::size_t most_ = 0;
  const BentByEmitter* bent_ = nullptr;  ///< of the search that goes on
  std::vector<Contender> contenders_;
  std::vector<Kept> kept_;
};

template <class State>
void Earshot::state(State& s) {
  s.list(ears_);
  s.list(sources_);
  emitters_.state(s), spots_.state(s);
  s.list(free_spots_), s.list(voiced_);
  // How far the search looks goes by the loudest that there was.
  std::vector<Level> loudest;
  for (const HeardKind& kind : kinds_) loudest.push_back(kind.loudest);
  s.list(loudest);
  if constexpr (State::reading) {
    for (std::size_t kind = 0; kind < std::min(kinds_.size(), loudest.size()); ++kind) kinds_[kind].loudest = loudest[kind];
    for (const Source& source : sources_)
      if (source.row != none) {
        if (source.kind >= kinds_.size()) return s.damage();
        ++kinds_[source.kind].count;
      }
  }
}

}  // namespace tidewater
