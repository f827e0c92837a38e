#pragma once
/// Which starts in the world the listeners can hear: the kept place of each, and the loudest of those without a voice.
///
/// Decisions and journals use kept places only. While `search` runs without the lock, other threads may add and remove starts; `close` does
/// that afterwards.

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "terms/claim.hpp"
#include "terms/group_limits.hpp"
#include "terms/heard_from.hpp"
#include "terms/scope_times.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/layout.hpp"
#include "world/emitters.hpp"
#include "world/hearing.hpp"

namespace tidewater {

/// A sound of a loaded bank, as it is heard in the world.
struct HeardKind {
  const Hearing* hearing = nullptr;  ///< null if the place is free
  int rank = 0;
  std::uint32_t limit = 0;
  bool limit_each = false;  ///< the limit is for each emitter
  std::uint32_t volume_group = 0;
  // As of the present update.
  Level group;                  ///< what its volume group lets through
  Level bent{Decibels{}};       ///< by the game's gauges, for emitters without values of their own
  Level most_bent{Decibels{}};  ///< the most that gauges can add
  Level needed;                 ///< starts that are not louder are not looked for
  Level needed_for_another;     ///< the same if no voice is free and it has to take one
  std::uint32_t heard = 0;      ///< starts that are heard, for a sound with a limit
  Level loudest;                ///< of its starts, before distance and group
  std::uint32_t count = 0;      ///< how many starts it has
  std::uint32_t chosen = 0;     ///< how many of the best are of this kind
};

/// A start in the world that has no voice and might get one.
struct Contender {
  StartRef start;
  HeardFrom heard;
};

class Earshot {
 public:
  static constexpr std::uint32_t several = 1, first_kind = 2;

  /// `starts` is the most there may be.
  Earshot(std::size_t starts, Layout layout);

  // With the control lock.

  /// Returns the number of the kind; 0 if there are too many.
  std::uint32_t add_kind(const HeardKind& kind);
  /// Nothing of the kind plays any more. Not while `search` may run.
  void remove_kind(std::uint32_t kind);
  /// The starts of a kind are heard in another way. Not while `search` may run.
  void change_kind(std::uint32_t kind, const HeardKind& to);
  /// Restores a kind under the number that it had.
  void put_kind(std::uint32_t number, const HeardKind& kind);

  /// Adds a start. `own` is its level before distance and group; `gauged` says that gauges of its emitter may change that
  /// level.
  void add(StartRef start, std::uint32_t kind, Level own, bool gauged, ScopeNumber scope, Emitter emitter, const Whereabouts& at);
  void change(StartRef start, Level own);
  /// Removes a start that has ended.
  void remove(StartRef start);
  bool has(StartRef start) const { return start.slot < sources_.size() && sources_[start.slot].id == start.id; }
  /// The start stays where its emitter was.
  void detach(std::uint32_t start);
  /// Calls `act(slot)` for each start on an emitter. `act` may detach or remove the start.
  template <class Act>
  void each_from(Emitter emitter, Act act) {
    if (slot_in(emitter) >= emitters_.size()) return;
    for (std::uint32_t at = emitters_.first[slot_in(emitter)], next = 0; at != none; at = next) {
      next = sources_[at].next;
      act(at);
    }
  }
  /// Sets the kept place of an emitter.
  void keep(Emitter emitter, const Whereabouts& at);
  /// Returns the kept place of an emitter; nothing if it was removed. Must not be called while `search` may run.
  std::optional<Whereabouts> kept_place(Emitter emitter) const {
    const std::uint32_t slot = slot_in(emitter);
    if (slot >= emitters_.size() || emitters_.known[slot] == 0) return std::nullopt;
    return emitters_.where(slot);
  }
  /// How the listeners hear a start at its kept place.
  HeardFrom heard_by(std::uint32_t start, std::span<const Ears> ears) const;
  /// Whether the start goes where its emitter goes.
  bool on_emitter(std::uint32_t start) const { return (sources_[start].row & spot_bit) == 0; }
  /// The kept place of a start.
  Whereabouts where(std::uint32_t start) const { return rows_of(sources_[start].row).where(sources_[start].row); }

  // An update: open and close with the lock, hear and search without it.

  /// The search skips starts of scopes in `held`, and finds no more starts of a group than `limits` lets be heard.
  void open(std::span<const Ears> listeners, std::size_t emitters, ScopeMask held, const GroupLimits& limits);
  std::span<const Ears> ears() const { return ears_; }
  const GroupLimits& limits() const { return limits_; }
  /// The kinds that there were at `open`.
  std::span<HeardKind> kinds() { return {kinds_.data(), open_kinds_}; }
  /// In a replay: sets the kept place.
  void know(Emitter emitter, const Whereabouts& at);
  /// Computes how starts with a voice are heard from here on.
  void hear(std::span<const StartRef> voiced, const Emitters& from);
  /// The results of `hear`, in the order of its starts; nothing for a start that is not in the world any more.
  std::span<const std::optional<HeardFrom>> heard_now() const { return heard_; }
  std::uint32_t kind_of(std::uint32_t start) const { return sources_[start].kind; }
  /// The level that the gauges of a start's emitter give it. Nothing if the emitter has no values of its own.
  using BentByEmitter = std::function<std::optional<Level>(StartRef start)>;
  /// Returns the `most` best starts without a voice, best first, each louder than its kind's `needed`. Those beyond the first `free`, which
  /// take voices that are free, are also louder than `needed_for_another`.
  std::span<const Contender> search(const Emitters& from, std::size_t most, std::size_t free, const BentByEmitter& bent);
  static constexpr std::size_t all = ~std::size_t{0};
  void close();
  /// Emitters whose state was kept since `open`, each once, in no order.
  struct Kept {
    Emitter emitter;
    Whereabouts at;
  };
  std::span<const Kept> kept() const { return kept_; }
  /// Forgets a removed emitter. Returns whether its state had ever been kept.
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
    ScopeNumber scope = 0;
  };
  /// Arrays side by side, for the pass over all rows.
  struct Rows {
    std::vector<std::int32_t> x, y, z;
    std::vector<Whereabouts> at;       ///< as last kept; the pass changes x, y and z only
    std::vector<std::uint32_t> kind;   ///< row of `cut_` for the starts there
    std::vector<std::uint32_t> first;  ///< first start there
    std::vector<std::uint8_t> known;   ///< it was kept once
    std::vector<std::uint8_t> heard;   ///< `hear` has kept it in this update; it does not move again in it
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
    ScopeNumber scope = 0;
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
  bool fits_in_groups(const HeardKind& kind, std::array<std::uint32_t, most_groups>& chosen) const;
  void keep_best(std::size_t most);
  void keep_fitting(std::size_t free);
  void raise_bar();

  Layout layout_;
  std::vector<Ears> ears_;
  std::vector<HeardKind> kinds_;  ///< never moved in memory: they are read while others are added
  std::vector<std::uint32_t> free_kinds_;
  std::size_t open_kinds_ = first_kind;
  std::vector<Source> sources_;  ///< by start
  Rows emitters_, spots_;
  std::vector<std::uint32_t> free_spots_;
  bool searching_ = false;
  ScopeMask held_ = 0;  ///< scopes on hold at `open`
  GroupLimits limits_;  ///< as at `open`
  std::vector<Later> later_;
  std::vector<std::uint32_t> voiced_;
  std::vector<std::optional<HeardFrom>> heard_;
  std::vector<std::uint32_t> heard_rows_;
  std::vector<float> cut_;  ///< by kind: the square of the distance beyond which no start is needed
  std::vector<std::uint32_t> moved_, near_;
  /// Small, because there may be many before the best are known.
  struct Candidate {
    StartRef start;
    Standing standing;
  };
  std::vector<Candidate> candidates_;
  std::size_t most_ = 0;
  const BentByEmitter* bent_ = nullptr;  ///< of the present search
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
