#pragma once
/// The scopes of all banks: one tree under the root. What belongs to a scope pauses, slows down and ends together.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/numbers.hpp"
#include "mix/command.hpp"
#include "notebook/reason.hpp"
#include "terms/scope_times.hpp"

namespace tidewater {

/// When a change of scopes is made.
struct ScopeMoment {
  MixFrame now;   ///< nobody asks about frames before it
  MixFrame from;  ///< the first frame that the change can reach, a boundary of quanta
};

/// Each scope's place in the tree, its state and its time. Each change leaves commands for the mixer, one for each scope whose time
/// changes; whoever made the change sends them on.
class Scopes {
 public:
  enum class State : std::uint8_t { idle, running, ended };  ///< idle: nobody has begun or ended it

  struct Scope {
    ScopeNumber parent = 0;
    State state = State::idle;
    bool paused = false;             ///< itself
    bool holds = false;              ///< it or a scope above it is paused, or has the time scale 0
    std::int64_t own = unity_scale;  ///< time scale
    std::int64_t all = unity_scale;  ///< with those of the scopes above it
    std::int64_t ramp = 0;           ///< of its last change of speed, in frames
    MixFrame since;                  ///< the frame on which it was paused, or ended
    std::uint32_t restarts = 0;
    ScopeDesign design;
  };

  explicit Scopes(Hertz rate);

  /// The names, and which scope each is. Number 0 is the root.
  const Numbers& names() const { return names_; }
  const Scope& operator[](ScopeNumber number) const { return scopes_[number]; }
  const ScopeTimes& times() const { return times_; }

  /// Adds the scopes of a bank under the numbers that `names().plan` gave them, in order. A known scope stays as it is.
  void add(std::span<const BankScope> scopes, std::span<const std::uint32_t> numbers, const ScopeMoment& when);
  /// Scopes that go on or are held from here on, though they were not before.
  struct Changed {
    ScopeMask holds = 0, goes_on = 0;
  };
  /// Begins the scope and those below it, at full speed and not paused.
  Changed begin(ScopeNumber number, const ScopeMoment& when);
  /// Returns whether it did not end before.
  bool end(ScopeNumber number, const ScopeMoment& when);
  Changed pause(ScopeNumber number, const ScopeMoment& when);
  Changed resume(ScopeNumber number, const ScopeMoment& when);
  /// `scale` in 1/65536; 0 holds.
  Changed set_scale(ScopeNumber number, std::int64_t scale, std::int64_t ramp, const ScopeMoment& when);
  /// Commands for the mixer since `sent`, in order.
  std::span<const SetScope> changes() const { return changes_; }
  void sent() { changes_.clear(); }
  /// In an update: nobody asks about frames before `now` any more.
  void settle(MixFrame now) { times_.forget_before(now); }

  /// The scope itself and all below it.
  ScopeMask below(ScopeNumber number) const;
  /// Why nothing starts in a scope that has ended.
  Reason why_ended(ScopeNumber number, Hertz rate) const {
    return {.code = Reason::Code::scope_ended, .number = seconds({scopes_[number].since.value}, rate).value, .name = names_.name(number)};
  }
  /// Why the scope stands still.
  Reason why_held(ScopeNumber number, Hertz rate) const;

  /// See base/state.hpp.
  template <class Its>
  void state(Its& s) {
    names_.state(s);
    s.list(scopes_);
    if (scopes_.size() != names_.size()) s.damage();
    times_.state(s);
  }

 private:
  Changed bring_all(const ScopeMoment& when, std::int64_t fade);
  std::int64_t fade_of(ScopeNumber number) const;

  Numbers names_{most_scopes};
  std::vector<Scope> scopes_;  ///< by number; a parent comes before its children
  ScopeTimes times_;
  std::vector<SetScope> changes_;  ///< not sent yet
  Hertz rate_;
};

}  // namespace tidewater
