#pragma once
/// Who goes by which gauges, of all that plays, and where each emitter's gauges are kept to be. What is kept is what decisions go by, and
/// what a journal has.

#include <array>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "drive/following.hpp"
#include "drive/gauges.hpp"
#include "terms/emitter_slot.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/request.hpp"

namespace tidewater {

class Followers {
 public:
  using Values = Following::Values;
  /// Not told by its emitter: what holds for all counts.
  static constexpr double untold = std::numeric_limits<double>::infinity();
  static constexpr std::uint32_t none = ~0U;
  static constexpr std::uint64_t never = ~std::uint64_t{0};

  struct Follower {
    const Following* following = nullptr;
    StartRef start;
    Emitter emitter;
    bool in_world = false;
    bool heard = false;                  ///< it has a voice, or may have one at any time: each change counts
    Values kept{};                       ///< as it was last looked at
    Values smooth{};                     ///< on the way there
    Level louder;                        ///< what was last made of that
    std::uint64_t louder_as_of = never;  ///< changes of the gauges of all
    std::uint64_t went_on_at = 0;        ///< update in which it last went on its way
  };

  // With the control lock.

  /// Something plays that goes by gauges; `kept` is what its emitter is kept to say of them.
  void add(const Follower& follower);
  /// What an emitter is kept to say of a gauge from here on.
  void keep(Emitter emitter, std::uint32_t gauge, double value);
  /// It is over.
  void remove(StartRef start);
  /// Returns null if the start follows no gauge.
  Follower* find(StartRef start);
  bool empty() const { return followers_.empty(); }
  std::size_t size() const { return followers_.size(); }
  template <class Act>
  void each_on_screen(Act act) {
    for (const std::uint32_t start : on_screen_) act(followers_[at_[start]]);
  }

  /// What it goes by from here on: for one that is heard, on its way there.
  Values values(Follower& follower, const Gauges& gauges, std::span<const double> ready, double seconds) const;
  /// The same at once: as what begins to be heard takes it.
  static Values aimed(const Follower& follower, const Gauges& gauges, std::span<const double> ready);
  static Values now(const Follower& follower, const Gauges& gauges, std::span<const double> ready);

  // An update: `begin` and `end` with the control lock; between them only the update itself looks at followers.

  void begin(const Gauges& gauges);
  void end();
  /// Of those in the world these have a voice.
  void hear(std::span<const StartRef> starts);
  /// Calls `act(follower)` for those that have a voice, or may have one at any time.
  template <class Act>
  void each_heard(Act act) {
    for (const std::uint32_t start : heard_)
      if (at_[start] != none) act(followers_[at_[start]]);
    each_on_screen(act);
  }
  /// Reads the emitter's gauges by `newest(gauge, emitter)`, which returns `untold` for a gauge that was not set. Calls
  /// `kept(emitter, gauge, value)` for each that changed by more than 1/64 of its range; for a follower that is heard, by anything.
  template <class Newest, class Kept>
  void read(Follower& follower, Newest newest, Kept kept);
  /// By how much that changes how loud it is; nothing where it says nothing.
  std::optional<Level> louder_by_emitter(Follower& follower) const;
  /// What the gauges of all make of a sound where its emitter says nothing.
  static Level louder_for_all(const Following& following, const Gauges& gauges);

  /// See base/state.hpp; whose following it is has to be found again by its start: `following(start)`.
  template <class State, class OfStart>
  void state(State& s, OfStart following) {
    s(changes_, updates_);
    s.list(followers_), s.list(at_), s.list(on_screen_), s.list(heard_);
    s.each(kept_, [&](std::vector<Said>& of_one) { s.list(of_one); });
    if constexpr (State::reading)
      for (Follower& its : followers_) {
        its.following = following(its.start.slot);
        if (its.following == nullptr) return s.damage();
      }
  }

 private:
  /// Of a gauge, as of the update that goes on: a request may set it meanwhile.
  struct Opened {
    double aim = 0, worth_keeping = 0;
  };
  struct Later {
    enum class What { add, remove, keep } what;
    Follower follower;  ///< of one that is kept its emitter alone
    std::uint32_t gauge = 0;
    double value = 0;
  };

  std::vector<Follower> followers_;
  std::vector<std::uint32_t> at_;  ///< of each start, where in that; none where it follows nothing
  struct Said {
    std::uint32_t generation = 0;  ///< of the emitter in the slot
    double value = untold;
    std::uint64_t looked_at = 0;  ///< in this update
  };
  std::vector<std::vector<Said>> kept_;  ///< by gauge, and by the emitter's slot as far as it was ever kept
  Said gone_;                            ///< of emitters that are no more
  /// What an emitter is kept to say; nothing yet where another had its slot, and no more where another has it.
  Said& said_by(Emitter emitter, std::uint32_t gauge);
  Values aims(const Follower& follower) const;
  /// What its emitter says makes it louder or softer.
  static bool goes_by_emitter(const Follower& follower);

  bool reading_ = false;
  std::vector<Later> later_;
  std::vector<std::uint32_t> on_screen_, heard_;  ///< starts
  std::vector<Opened> opened_;
  std::uint64_t updates_ = 0;
  std::uint64_t changes_ = 0;  ///< of the gauges of all, that all levels go by
};

template <class Newest, class Kept>
void Followers::read(Follower& follower, Newest newest, Kept kept) {
  if (!follower.emitter) return;
  const std::span<const Following::Gauge> follows = follower.following->gauges();
  for (std::size_t k = 0; k < follows.size(); ++k) {
    if (follows[k].ready) continue;
    Said& said = said_by(follower.emitter, follows[k].number);
    // Once in an update: all who follow it go by the same, though it be told something else meanwhile.
    if (said.looked_at != updates_) {
      said.looked_at = updates_;
      const double value = newest(follows[k].number, follower.emitter);
      const double least = follower.heard || said.value == untold ? 0 : opened_[follows[k].number].worth_keeping;
      if (value != untold && (value - said.value > least || said.value - value > least)) {
        said.value = value;
        kept(follower.emitter, follows[k].number, value);
      }
    }
    if (said.value == untold || follower.kept[k] == said.value) continue;
    follower.kept[k] = said.value;
    follower.louder_as_of = never;
  }
}

}  // namespace tidewater
