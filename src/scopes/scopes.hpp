#pragma once
/// The scopes of all loaded banks, in one tree under the root. The playbacks of a scope pause, slow down and end together.

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

/// The time of a change of scopes.
struct ScopeMoment {
  MixFrame now;   ///< the present frame; times before it are not asked for any more
  MixFrame from;  ///< the first frame on which the mixer can carry out the change: a boundary of quanta
};

/// Holds for each scope its place in the tree, its state and its time. A change adds one command for each scope whose time it changes; the
/// caller sends these to the mixer.
class Scopes {
 public:
  enum class State : std::uint8_t {
    idle,     ///< neither begun nor ended so far; its sounds play all the same
    running,  ///< begun
    ended,    ///< nothing starts in it
  };

  struct Scope {
    ScopeNumber parent = 0;
    State state = State::idle;
    bool paused = false;               ///< by a pause of this scope itself
    bool holds = false;                ///< this scope or one above it is paused, or has the time scale 0
    std::int64_t own = unity_scale;    ///< its time scale
    std::int64_t total = unity_scale;  ///< the product with the time scales of the scopes above it
    std::int64_t ramp = 0;             ///< frames that the last change of speed takes
    MixFrame stands_since;             ///< the frame of its last pause, or of its last time scale 0
    MixFrame ended_at;
    std::uint32_t restarts = 0;
    ScopeDesign design;
    std::uint64_t mood = 0;  ///< hash of its name; 0 for none
  };

  explicit Scopes(Hertz rate);

  /// The numbers of scopes by name. The root has number 0.
  const Numbers& names() const { return names_; }
  const Scope& operator[](ScopeNumber number) const { return scopes_[number]; }
  const ScopeTimes& times() const { return times_; }

  /// Adds the scopes of a bank, under the numbers that `names().plan` gave their names. A scope that is known already takes over the mood,
  /// and otherwise stays as it is.
  void add(std::span<const BankScope> scopes, std::span<const std::uint32_t> numbers, const ScopeMoment& when);
  /// The scopes that a change has put on hold, and those that it lets resume.
  struct Changed {
    ScopeMask holds = 0, resumes = 0;
  };
  /// Begins the scope and those below it, at full speed and not paused.
  Changed begin(ScopeNumber number, const ScopeMoment& when);
  /// Ends the scope and those below it.
  void end(ScopeNumber number, const ScopeMoment& when);
  Changed pause(ScopeNumber number, const ScopeMoment& when);
  Changed resume(ScopeNumber number, const ScopeMoment& when);
  /// Sets the time scale, in 1/65536, reached over `ramp` frames. 0 puts the scope on hold.
  Changed set_scale(ScopeNumber number, std::int64_t scale, std::int64_t ramp, const ScopeMoment& when);
  /// The commands for the mixer that were not sent yet, in order.
  std::span<const SetScope> changes() const { return changes_; }
  void sent() { changes_.clear(); }
  /// Forgets times before `now`. Each update calls it.
  void settle(MixFrame now) { times_.forget_before(now); }

  /// Returns the scope and all scopes below it.
  ScopeMask below(ScopeNumber number) const;
  /// Returns why nothing starts in a scope that has ended.
  Reason why_ended(ScopeNumber number) const {
    return {
        .code = Reason::Code::scope_ended, .number = seconds({scopes_[number].ended_at.value}, rate_).value, .name = names_.name(number)};
  }
  /// Returns why the scope is on hold.
  Reason why_held(ScopeNumber number) const;

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
