#pragma once
/// Which starts follow which gauges, and the kept values of each emitter's gauges. Decisions and journals use kept values only.

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
  /// The emitter has no value of its own: the game's value counts.
  static constexpr double untold = std::numeric_limits<double>::infinity();
  static constexpr std::uint32_t none = ~0U;
  static constexpr std::uint64_t never = ~std::uint64_t{0};

  struct Follower {
    const Following* following = nullptr;
    StartRef start;
    Emitter emitter;
    bool in_world = false;
    bool heard = false;                  ///< it has a voice, or may get one at any time: every change counts
    Values kept{};                       ///< the emitter's values, as last read
    Values smooth{};                     ///< on the way to them
    Values until_boundary{};             ///< of gauges whose new values wait for a boundary: the value that counts
    Level louder;                        ///< the level that they give, as last computed
    std::uint64_t louder_as_of = never;  ///< the count of changes of the game's gauges then
    std::uint64_t went_on_at = 0;        ///< the update that moved `smooth` last
  };

  // With the control lock.

  /// Adds a start that follows gauges; `kept` has its emitter's kept values.
  void add(const Follower& follower);
  /// Sets an emitter's kept value of a gauge.
  void keep(Emitter emitter, std::uint32_t gauge, double value);
  /// Removes a start that has ended.
  void remove(StartRef start);
  /// Returns null if the start follows no gauge.
  Follower* find(StartRef start);
  bool empty() const { return followers_.empty(); }
  std::size_t size() const { return followers_.size(); }
  template <class Act>
  void each_on_screen(Act act) {
    for (const std::uint32_t start : on_screen_) act(followers_[at_[start]]);
  }

  /// The values for a start that is heard: they move on their way by `seconds`.
  Values values(Follower& follower, const Gauges& gauges, std::span<const double> ready, double seconds) const;
  /// The values that gauges were set to, and their present values, for a start that begins to be heard.
  static Values aimed(const Follower& follower, const Gauges& gauges, std::span<const double> ready);
  static Values now(const Follower& follower, const Gauges& gauges, std::span<const double> ready);

  /// Goes by another design that follows the same gauges.
  static void follow(Follower& follower, const Following* following) {
    follower.following = following;
    follower.louder_as_of = never;
  }
  /// Lets the present values of gauges that wait for boundaries count from now on.
  static void begin_waiting(Follower& follower, const Values& values);

  // An update: `begin` and `end` with the control lock; between them only the update itself looks at followers.

  void begin(const Gauges& gauges);
  void end();
  /// These starts in the world have a voice.
  void hear(std::span<const StartRef> starts);
  /// Calls `act(follower)` for those that have a voice, or may get one at any time.
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
  /// The level that the emitter's own values give. Nothing if it has none.
  std::optional<Level> louder_by_emitter(Follower& follower) const;
  /// The level that the game's gauges give a sound whose emitter has no values.
  static Level louder_for_all(const Following& following, const Gauges& gauges);

  /// See base/state.hpp. `following(slot)` finds what a start follows.
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
  /// A gauge as of the present update: a request may set it meanwhile.
  struct Opened {
    double aim = 0, worth_keeping = 0;
  };
  struct Later {
    enum class What { add, remove, keep } what;
    Follower follower;  ///< for `keep`, only its emitter
    std::uint32_t gauge = 0;
    double value = 0;
  };

  std::vector<Follower> followers_;
  std::vector<std::uint32_t> at_;  ///< by start: its place in `followers_`, or `none`
  struct Said {
    std::uint32_t generation = 0;  ///< of the emitter in the slot
    double value = untold;
    std::uint64_t looked_at = 0;  ///< the update that read it last
  };
  std::vector<std::vector<Said>> kept_;  ///< by gauge and the emitter's slot
  Said gone_;                            ///< for emitters that are gone
  /// The kept value of an emitter. A new emitter in a slot begins without one; for an emitter whose slot was reused it is `gone_`.
  Said& said_by(Emitter emitter, std::uint32_t gauge);
  Values aims(const Follower& follower) const;
  /// Whether its emitter's values change its level.
  static bool goes_by_emitter(const Follower& follower);

  bool reading_ = false;
  std::vector<Later> later_;
  std::vector<std::uint32_t> on_screen_, heard_;  ///< starts
  std::vector<Opened> opened_;
  std::uint64_t updates_ = 0;
  std::uint64_t changes_ = 0;  ///< of the game's gauges, that all levels go by
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
