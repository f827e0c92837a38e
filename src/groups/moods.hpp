#pragma once
/// Moods: named sets of changes to groups that come and go.

#include <cstdint>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/numbers.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

inline constexpr std::size_t most_moods = 64;  ///< of a book, and of all banks that are loaded

/// The changes that the moods in force make to one group. Each has the number of the mood that makes it, or `Numbers::none`.
struct MoodEffect {
  Decibels gain;
  Hertz low_pass, high_pass;  ///< 0 for none
  std::uint32_t gain_by = Numbers::none, low_pass_by = Numbers::none, high_pass_by = Numbers::none;
  friend bool operator==(const MoodEffect&, const MoodEffect&) = default;
};

/// Knows the moods of all banks, and which are in force. A mood is in force while it was begun and not ended, or while a scope that has it
/// runs.
class Moods {
 public:
  const Numbers& names() const { return names_; }

  /// Adds the moods of a bank, for which there is room. A known mood takes over what the new bank says.
  void add(std::span<const BankMood> moods);
  bool has_room_for(std::span<const BankMood> moods) const;

  /// Each returns whether the mood came into force, or went out of it.
  bool set(std::uint32_t mood, bool on) { return change(mood, on, moods_[mood].by_scope); }
  bool set_by_scope(std::uint32_t mood, bool on) { return change(mood, moods_[mood].begun, on); }

  bool in_force(std::uint32_t mood) const { return moods_[mood].since > 0; }
  /// Time in which the mood's changes come, or go.
  Seconds fade(std::uint32_t mood, bool on) const { return on ? moods_[mood].fade_in : moods_[mood].fade_out; }
  /// Of several moods that change one thing of a group the highest rank holds, and of equals the one that came into force last.
  MoodEffect effect_on(std::uint64_t group) const;

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    names_.state(s);
    s.list(moods_), s.list(changes_);
    if (moods_.size() != names_.size()) s.damage();
    for (const Change& its : changes_)
      if (its.mood >= moods_.size()) s.damage();
    s(times_changed_);
  }

 private:
  struct Mood {
    int rank = 0;
    bool begun = false;
    bool by_scope = false;
    std::uint64_t since = 0;  ///< grows from one mood that comes into force to the next; 0 if it is not in force
    Seconds fade_in, fade_out;
  };
  struct Change {
    std::uint32_t mood = 0;
    bool sets_gain = false;
    std::uint64_t group = 0;  ///< hash of its name
    Decibels gain;
    Hertz low_pass, high_pass;
  };
  bool change(std::uint32_t mood, bool begun, bool by_scope);
  bool wins(std::uint32_t mood, std::uint32_t over) const;

  Numbers names_{most_moods};
  std::vector<Mood> moods_;  ///< by number
  std::vector<Change> changes_;
  std::uint64_t times_changed_ = 0;
};

}  // namespace tidewater
