#pragma once
#include <cstdint>
#include <limits>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/numbers.hpp"
#include "mix/mixer.hpp"
#include "notebook/reason.hpp"
#include "terms/level.hpp"

namespace tidewater {

/// The control side's view of the volume groups of all banks: one tree under the master.
class Groups {
 public:
  struct Group {
    std::uint32_t parent = 0;
    Decibels gain;
    bool muted = false;
    Level before = {};       ///< its own, before a change that is still under way
    std::int64_t until = 0;  ///< the frame at which that has come to its end

    double own_amplitude() const { return muted ? 0.0 : amplitude(gain); }
    Level own_level() const { return muted ? Level() : Level(gain); }
  };

  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();

  Groups();
  /// The names, and which group each is. Number 0 is the master.
  const Numbers& names() const { return names_; }
  /// Returns the number of the group, which is made if it is new. There must be room. A parent is added before its children.
  std::uint32_t add(const BankGroup& group, std::uint32_t parent);

  /// Heard in full at frame `until`. On its way down a group counts as it did, on its way up as it will.
  void set_gain(std::uint32_t index, Decibels gain, std::int64_t until);
  void set_mute(std::uint32_t index, bool mute, std::int64_t until);
  /// Takes note of the changes that have come to their end by `now`.
  void settle(std::int64_t now);
  const Group& operator[](std::uint32_t index) const { return groups_[index]; }

  /// Why nothing of the group is heard.
  Reason why_silent(std::uint32_t index) const;
  const GroupLevels& levels() const { return levels_; }

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    names_.state(s);
    s.list(groups_);
    if (groups_.size() != names_.size()) s.damage();
    s(next_end_, levels_.changes);
    s.list(levels_.heard);
  }

 private:
  void begin_change(Group& group, std::int64_t until);
  void measure();

  Numbers names_{most_groups};
  std::vector<Group> groups_;  ///< by number
  std::int64_t next_end_ = never;
  GroupLevels levels_;
};

}  // namespace tidewater
