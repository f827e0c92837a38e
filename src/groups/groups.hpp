#pragma once
/// The volume groups of all banks: one tree under the master.

#include <array>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/numbers.hpp"
#include "mix/command.hpp"
#include "mix/mixer.hpp"
#include "notebook/reason.hpp"
#include "terms/group_limits.hpp"
#include "terms/level.hpp"
#include "tidewater/name.hpp"

namespace tidewater {

/// All that is known of a group: what its book says, and what the game has turned since. Each change leaves commands for the mixer, which
/// whoever made the change sends on.
class Groups {
 public:
  /// A duck as its bank says. The other group may be in a bank that is not loaded yet.
  struct Duck {
    std::uint64_t key = 0;  ///< hash of the other group's name
    DuckLaw law;
  };
  struct Group {
    std::uint32_t parent = 0;
    GroupDesign now;      ///< level, mute and filters as they hold
    Level before = {};    ///< its own level before a change that is still under way
    MixFrame until = {};  ///< the frame at which that change ends
    MixFrame muted_at = {};
    std::array<Duck, most_ducks> ducks{};    ///< as the bank says
    std::array<DuckLaw, most_ducks> sent{};  ///< as the mixer knows them

    double own_amplitude() const { return now.muted ? 0.0 : amplitude(now.gain); }
    Level own_level() const { return now.muted ? Level() : Level(now.gain); }
  };

  static constexpr MixFrame never = MixFrame::never();

  Groups();
  /// The names, and which group each is. Number 0 is the master.
  const Numbers& names() const { return names_; }
  const Group& operator[](std::uint32_t number) const { return groups_[number]; }

  /// Adds the groups of a bank under the numbers that `names().plan` gave them, in order. A known group takes over the new limit and
  /// otherwise stays as it is. The master takes over what the first book says, unless the game has turned it before. `lands` is the frame
  /// on which that holds.
  void add(std::span<const BankGroup> groups, std::span<const std::uint32_t> numbers, MixFrame lands);

  /// The ducks that are left out: with those of the other banks they would make a circle.
  struct LeftOut {
    std::uint32_t group = 0, key = 0;
  };
  std::span<const LeftOut> left_out() const { return left_out_; }

  /// A change that takes `ramp` frames from frame `from` on. On its way down a group counts as it did, on its way up as it will.
  struct Way {
    MixFrame from;
    std::int64_t ramp = 0;
  };
  void set_gain(std::uint32_t number, Decibels gain, const Way& way);
  void set_mute(std::uint32_t number, bool mute, const Way& way);
  void set_filter(std::uint32_t number, StateFilter::Kind kind, Hertz frequency, std::int64_t ramp);
  /// Commands for the mixer since `sent`, in order.
  std::span<const Command> changes() const { return changes_; }
  void sent() { changes_.clear(); }

  /// Takes note of the changes that have come to their end by `now`.
  void settle(MixFrame now);
  const GroupLevels& levels() const { return levels_; }
  const GroupLimits& limits() const { return limits_; }
  /// Why nothing of the group is heard.
  Reason why_silent(std::uint32_t number, Hertz rate) const;

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    names_.state(s);
    s.list(groups_);
    if (groups_.size() != names_.size()) s.damage();
    s(next_end_, master_is_set_, levels_.changes);
    s.list(levels_.heard);
    if constexpr (State::reading)
      if (s.ok()) find_limits();
  }

 private:
  void begin_change(Group& group, MixFrame until);
  void send_gain(std::uint32_t number, std::int64_t ramp);
  void measure();
  void find_limits();
  void send_ducks();

  Numbers names_{most_groups};
  std::vector<Group> groups_;     ///< by number
  std::vector<Command> changes_;  ///< not sent yet
  MixFrame next_end_ = never;
  bool master_is_set_ = false;  ///< by a book, or by the game
  GroupLevels levels_;
  GroupLimits limits_;
  std::vector<LeftOut> left_out_;
};

}  // namespace tidewater
