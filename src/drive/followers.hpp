#pragma once
/// Who goes by which gauges, of all that plays, and where each of its gauges is kept to be. What is kept is what decisions go by, and
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
#include "tidewater/request.hpp"

namespace tidewater {

class Followers {
 public:
  using Values = Following::Values;
  /// Not told by its emitter: what holds for all counts.
  static constexpr double untold = std::numeric_limits<double>::infinity();
  static constexpr std::uint32_t none = ~0U;

  struct Follower {
    const Following* following = nullptr;
    PlaybackId id;
    Emitter emitter;
    std::uint32_t start = 0;  ///< slot
    bool in_world = false;
    bool heard = false;  ///< it has a voice, or may have one at any time: each change counts
    Values kept{}, smooth{};
  };

  // With the control lock.

  /// Something plays that goes by gauges; `kept` is what its emitter says of them.
  void add(const Follower& follower);
  /// It is over.
  void remove(std::uint32_t start, PlaybackId id);
  /// Null where there is none.
  Follower* find(std::uint32_t start, PlaybackId id);
  bool empty() const { return followers_.empty(); }
  std::size_t size() const { return followers_.size(); }
  template <class Act>
  void each_on_screen(Act act) {
    for (const std::uint32_t start : on_screen_) act(followers_[at_[start]]);
  }

  /// What it goes by from here on: for one that is heard, on its way there.
  Values values(Follower& follower, const Gauges& gauges, std::span<const double> ready, double seconds) const;
  /// The same at once: as what begins to be heard takes it.
  static Values now(const Follower& follower, const Gauges& gauges, std::span<const double> ready);

  // An update: `begin` and `end` with the control lock; between them only the update itself looks at followers.

  void begin(const Gauges& gauges);
  void end();
  /// Of those in the world these have a voice.
  void hear(std::span<const std::pair<std::uint32_t, PlaybackId>> starts);
  /// What emitters say now, of followers from the `first` on, at most so many: what is worth to be kept is kept. `newest(gauge, emitter)`
  /// is what is said, or `untold`; `kept(emitter, gauge, value)` is told.
  template <class Newest, class Kept>
  void read(std::size_t first, std::size_t most, Newest newest, Kept kept);
  /// Those in the world without a voice whose level has changed by that: `told(follower, level)`.
  template <class Told>
  void relevel(Told told);
  /// What the gauges of all make of a sound where its emitter says nothing.
  static Level louder_for_all(const Following& following, const Gauges& gauges);
  /// The same for one whose emitter says something of any; nothing for others.
  static std::optional<Level> louder_by_emitter(const Follower& follower, const Gauges& gauges);

  /// See base/state.hpp; whose following it is has to be found again by its start: `following(start)`.
  template <class State, class OfStart>
  void state(State& s, OfStart following) {
    s(changes_);
    s.list(followers_), s.list(at_), s.list(on_screen_), s.list(heard_);
    if constexpr (State::reading)
      for (Follower& its : followers_) its.following = following(its.start);
  }

 private:
  /// Of a gauge, as of the update that goes on: a request may set it meanwhile.
  struct Opened {
    double aim = 0, worth_keeping = 0;
  };
  struct Later {
    bool add = false;
    Follower follower;
  };

  std::vector<Follower> followers_;
  std::vector<std::uint32_t> at_;  ///< of each start, where in that; none where it follows nothing
  Values aims(const Follower& follower) const;
  /// What its emitter says makes it louder or softer.
  static bool goes_by_emitter(const Follower& follower);

  bool reading_ = false;
  std::vector<Later> later_;
  std::vector<std::uint32_t> on_screen_, heard_;  ///< starts
  std::vector<Opened> opened_;
  bool all_changed_ = false;
  std::vector<std::uint32_t> changed_;  ///< as of the reading that goes on
  std::uint64_t changes_ = 0;           ///< of the gauges of all, that all levels go by
};

template <class Newest, class Kept>
void Followers::read(std::size_t first, std::size_t most, Newest newest, Kept kept) {
  for (std::size_t i = first; i < std::min(followers_.size(), first + most); ++i) {
    Follower& its = followers_[i];
    if (!its.emitter) continue;
    const std::span<const Following::Gauge> follows = its.following->gauges();
    bool changed = false;
    for (std::size_t k = 0; k < follows.size(); ++k) {
      if (follows[k].ready) continue;
      const double value = newest(follows[k].number, its.emitter);
      if (value == untold || value == its.kept[k]) continue;
      const double least = its.heard || its.kept[k] == untold ? 0 : opened_[follows[k].number].worth_keeping;
      if (value - its.kept[k] <= least && its.kept[k] - value <= least) continue;
      its.kept[k] = value;
      kept(its.emitter, follows[k].number, value);
      changed = true;
    }
    if (changed) changed_.push_back(static_cast<std::uint32_t>(i));
  }
}

template <class Told>
void Followers::relevel(Told told) {
  const auto level = [&](const Follower& its) {
    if (its.in_world && goes_by_emitter(its)) told(its, its.following->louder(aims(its)));
  };
  if (all_changed_)
    for (const Follower& its : followers_) level(its);
  else
    for (const std::uint32_t at : changed_) level(followers_[at]);
  changed_.clear();
}

}  // namespace tidewater
