#pragma once
#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>

#include "base/scope_law.hpp"

namespace tidewater {

using ScopeNumber = std::uint8_t;
/// A set of scopes, with one bit for each.
using ScopeMask = std::uint64_t;
constexpr ScopeMask bit_of(ScopeNumber scope) { return ScopeMask{1} << scope; }
/// Calls `act(scope)` for each scope in a mask, in the order of their numbers.
template <class Act>
void each_scope(ScopeMask scopes, Act act) {
  for (; scopes != 0; scopes &= scopes - 1) act(static_cast<ScopeNumber>(std::countr_zero(scopes)));
}

/// The time of each scope for the control side. The mixer carries a change out on a later frame, and the control side asks about frames
/// before that one, too. Each scope therefore keeps its last few laws.
class ScopeTimes {
 public:
  ScopeFrame at(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? ScopeFrame{frame.value - behind_[scope]} : reached(laws_[scope], frame);
  }
  /// Returns the scope's time at a frame, rounded up to a whole frame.
  ScopeFrame from(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? ScopeFrame{frame.value - behind_[scope]} : ScopeFrame{-(-time_at(laws_[scope], frame) >> scale_bits)};
  }
  /// Returns the first frame of the mixer at which the scope's time is `time` or more. Returns `never` if a hold begins before that.
  MixFrame mixed(ScopeNumber scope, ScopeFrame time) const {
    if (time == ScopeFrame::never()) return MixFrame::never();
    return is_shifted(scope) ? MixFrame{time.value + behind_[scope]} : frame_of(laws_[scope], time.value << scale_bits);
  }
  bool stands_at(ScopeNumber scope, MixFrame frame) const { return !is_shifted(scope) && law_at(laws_[scope], frame).stands_at(frame); }
  /// Returns the time at which a scope on hold stands, rounded up to a whole frame.
  ScopeFrame stood_at(ScopeNumber scope) const { return {-(-latest(scope).time_at(MixFrame::never()) >> scale_bits)}; }
  std::int64_t scale_at(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? unity_scale : law_at(laws_[scope], frame).scale_at(frame);
  }
  /// Returns how many frames of the mixer a change takes that begins at `frame` and takes `frames` of scope time, by the scale at `frame`.
  std::int64_t lasting(ScopeNumber scope, std::int64_t frames, MixFrame frame) const {
    if (is_shifted(scope) || frames == 0) return frames;
    return frames * unity_scale / scale_at(scope, frame);
  }

  /// Returns the scopes on hold, including those whose fade before the hold is under way.
  ScopeMask held() const { return held_; }
  bool held(ScopeNumber scope) const { return (held_ & bit_of(scope)) != 0; }

  // Only src/scopes calls these.

  /// Returns the law for frames from `from` on, for the caller to change; `changed` must follow. The law is returned as it was before
  /// `from`, so that several changes on one frame are applied together. `now` is the present frame: older laws are forgotten.
  ScopeLaw& change(ScopeNumber scope, MixFrame from, MixFrame now) {
    Laws& its = laws_[scope];
    forget(scope, now);
    if (its.count > 1 && its.all[its.count - 1].since == from) --its.count;
    if (its.count == its.all.size()) drop_first(its);
    Since& next = its.all[its.count];
    next = {from, its.all[its.count - 1].law};
    ++its.count;
    return next.law;
  }
  /// Completes a change that `change` began.
  void changed(ScopeNumber scope) {
    bent_ |= bit_of(scope);
    held_ = latest(scope).holds() ? held_ | bit_of(scope) : held_ & ~bit_of(scope);
  }
  const ScopeLaw& latest(ScopeNumber scope) const { return laws_[scope].all[laws_[scope].count - 1].law; }
  /// Forgets laws that ended before `now`.
  void forget_before(MixFrame now) {
    each_scope(bent_, [&](ScopeNumber scope) { forget(scope, now); });
  }

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s(laws_, behind_, bent_, held_);
  }

 private:
  /// Upper bound of the laws at one time: the present one, and one for each quantum within the mixer's lead.
  static constexpr std::size_t most_laws = 8;
  struct Since {
    MixFrame since;
    ScopeLaw law;
  };
  struct Laws {
    std::size_t count = 1;
    std::array<Since, most_laws> all;
  };

  bool is_shifted(ScopeNumber scope) const { return (bent_ & bit_of(scope)) == 0; }
  static const ScopeLaw& law_at(const Laws& its, MixFrame frame) {
    std::size_t which = its.count - 1;
    while (which > 0 && its.all[which].since > frame) --which;
    return its.all[which].law;
  }
  static std::int64_t time_at(const Laws& its, MixFrame frame) { return law_at(its, frame).time_at(frame); }
  static ScopeFrame reached(const Laws& its, MixFrame frame) { return {time_at(its, frame) >> scale_bits}; }
  static MixFrame frame_of(const Laws& its, std::int64_t time) {
    for (std::size_t which = 0; which + 1 < its.count; ++which) {
      const MixFrame found = its.all[which].law.frame_of(time), next = its.all[which + 1].since;
      if (found < next) return found;
    }
    return its.all[its.count - 1].law.frame_of(time);
  }
  static void drop_first(Laws& its) {
    --its.count;
    for (std::size_t i = 0; i < its.count; ++i) its.all[i] = its.all[i + 1];
  }
  void forget(ScopeNumber scope, MixFrame now) {
    Laws& its = laws_[scope];
    while (its.count > 1 && its.all[1].since <= now) drop_first(its);
    ScopeLaw& law = its.all[0].law;
    law = law.without_past(now);
    if (its.count > 1 || !law.is_plain(now)) return;
    behind_[scope] = law.frame.value - law.time / unity_scale;
    bent_ &= ~bit_of(scope);
  }

  // Fast path for a scope at full speed: its time is the mixer's frame less `behind_` frames.
  std::array<std::int64_t, most_scopes> behind_{};
  ScopeMask bent_ = 0;  ///< scopes that are not at full speed, and go by `laws_`
  std::array<Laws, most_scopes> laws_;
  ScopeMask held_ = 0;
};

}  // namespace tidewater
