#pragma once
/// The volume groups of all banks: one tree under the master.

#include <array>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/numbers.hpp"
#include "groups/moods.hpp"
#include "mix/command.hpp"
#include "mix/mixer.hpp"
#include "notebook/reason.hpp"
#include "terms/group_limits.hpp"
#include "terms/level.hpp"
#include "tidewater/name.hpp"

namespace tidewater {

/// What the player has set for a group. It multiplies the group's own level.
struct PlayerSetting {
  std::uint64_t group = 0;  ///< hash of its name
  double level = 1;         ///< share of the loudness, from 0 to 1
  bool on = true;

  bool silent() const { return !on || level <= 0; }
  friend bool operator==(const PlayerSetting&, const PlayerSetting&) = default;
};

/// All that is known of a group: what its book says, and what the game, the player and moods have set since. Each change leaves commands
/// for the mixer, which the caller sends.
class Groups {
 public:
  /// A duck as its bank says. The other group may be in a bank that is not loaded yet.
  struct Duck {
    std::uint64_t key = 0;  ///< hash of the other group's name
    DuckLaw law;
  };
  /// A change that takes `ramp` frames from frame `from` on.
  struct Way {
    MixFrame from;
    std::int64_t ramp = 0;
  };
  /// A level as decisions use it. On its way down it counts as it did before, on its way up as it will be.
  struct Moving {
    Level now = Level(Decibels{});
    Level before = {};    ///< the level before a change that is still under way
    MixFrame until = {};  ///< the frame at which that change ends

    Level heard() const { return std::max(before, now); }
    void go(Level to, const Way& way) {
      before = heard();
      until = way.from + way.ramp;
      now = to;
    }
  };
  struct Group {
    std::uint32_t parent = 0;
    GroupDesign now;       ///< level, mute and filters, without moods and the player
    PlayerSetting player;  ///< what the player has set, if the group is offered
    MoodEffect mood;
    Moving own, by_mood;  ///< the levels of both factors
    MixFrame muted_at = {};
    std::array<Duck, most_ducks> ducks{};    ///< as the bank says
    std::array<DuckLaw, most_ducks> sent{};  ///< as the mixer knows them

    /// Its own level: the book's, the game's and the player's.
    Decibels own_gain() const {
      if (now.muted || (now.player && player.silent())) return silence;
      return now.player && player.level < 1 ? now.gain + from_loudness_fraction(player.level) : now.gain;
    }
  };

  static constexpr MixFrame never = MixFrame::never();

  Groups();
  /// The names, and which group each is. Number 0 is the master.
  const Numbers& names() const { return names_; }
  const Group& operator[](std::uint32_t number) const { return groups_[number]; }
  const Moods& moods() const { return moods_; }

  /// Adds the groups of a bank under the numbers that `names().plan` gave them, in order. A known group takes over limit, ducks and
  /// whether it is offered to the player, and otherwise stays as it is. The master takes over what the first book says, unless the game
  /// has turned it before. `lands` is the frame on which that holds.
  void add(std::span<const BankGroup> groups, std::span<const std::uint32_t> numbers, MixFrame lands);
  /// Adds the moods of a bank. Moods in force take their new changes over within `way`.
  void add_moods(std::span<const BankMood> moods, const Way& way);
  /// The ducks that are left out: with those of the other banks they would make a circle.
  struct LeftOut {
    std::uint32_t group = 0, key = 0;
  };
  std::span<const LeftOut> left_out() const { return left_out_; }

  void set_gain(std::uint32_t number, Decibels gain, const Way& way);
  void set_mute(std::uint32_t number, bool mute, const Way& way);
  void set_filter(std::uint32_t number, StateFilter::Kind kind, Hertz frequency, std::int64_t ramp);
  /// Begins or ends a mood, for the game or for its scopes. Changes nothing if it is so already.
  void set_mood(std::uint32_t mood, bool on, const Way& way) {
    if (moods_.set(mood, on)) follow_moods(way);
  }
  void set_mood_by_scope(std::uint32_t mood, bool on, const Way& way) {
    if (moods_.set_by_scope(mood, on)) follow_moods(way);
  }

  /// Keeps what the player has set, also for groups that are not known yet. Returns false if there is no room for one more.
  bool set_player(const PlayerSetting& setting, const Way& way);
  /// What the player has set for a name; full level if nothing.
  PlayerSetting player(Name group) const;

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
    moods_.state(s);
    s.list(groups_), s.list(players_);
    if (groups_.size() != names_.size()) s.damage();
    s(next_end_, master_is_set_, levels_.changes);
    s.list(levels_.heard);
    if constexpr (State::reading)
      if (s.ok()) find_limits();
  }

 private:
  void change_level(std::uint32_t number, const Way& way);
  void follow_moods(const Way& way);
  void note_end(MixFrame until) { next_end_ = std::min(next_end_, until); }
  void send_filter(std::uint32_t number, StateFilter::Kind kind, std::int64_t ramp);
  void send_gain(std::uint32_t number, std::int64_t ramp);
  void measure();
  void find_limits();
  void send_ducks();

  Numbers names_{most_groups};
  Moods moods_;
  std::vector<Group> groups_;           ///< by number
  std::vector<PlayerSetting> players_;  ///< in the order in which they were first set
  std::vector<Command> changes_;        ///< not sent yet
  MixFrame next_end_ = never;
  bool master_is_set_ = false;  ///< by a book, or by the game
  GroupLevels levels_;
  GroupLimits limits_;
  std::vector<LeftOut> left_out_;
};

}  // namespace tidewater
