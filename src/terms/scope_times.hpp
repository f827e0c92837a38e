#pragma once
#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>

#include "bank/bank_data.hpp"
#include "base/scope_law.hpp"

namespace tidewater {

using ScopeNumber = std::uint8_t;
/// A bit for each scope.
using ScopeMask = std::uint64_t;
constexpr ScopeMask bit_of(ScopeNumber scope) { return ScopeMask{1} << scope; }

/// The time of each scope on the mixer's clock, as the control side knows it. A change holds from a frame that is still to come, and
/// control asks about frames before it: so the last few laws are kept.
class ScopeTimes {
 public:
  ScopeFrame at(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? ScopeFrame{frame.value - behind_[scope]} : reached(laws_[scope], frame);
  }
  /// The first whole frame of the scope's time that is not before a frame.
  ScopeFrame from(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? ScopeFrame{frame.value - behind_[scope]} : ScopeFrame{-(-time_at(laws_[scope], frame) >> scale_bits)};
  }
  /// The first frame on which the scope's time is there. Returns `never` if the scope is paused by then.
  MixFrame mixed(ScopeNumber scope, ScopeFrame time) const {
    if (time == ScopeFrame::never()) return MixFrame::never();
    return is_shifted(scope) ? MixFrame{time.value + behind_[scope]} : frame_of(laws_[scope], time.value << scale_bits);
  }
  bool stands_at(ScopeNumber scope, MixFrame frame) const { return !is_shifted(scope) && law_at(laws_[scope], frame).stands_at(frame); }
  /// The first whole frame of its time that is not before the one at which it stands or will stand.
  ScopeFrame stood_at(ScopeNumber scope) const { return {-(-latest(scope).time_at(MixFrame::never()) >> scale_bits)}; }
  std::int64_t scale_at(ScopeNumber scope, MixFrame frame) const {
    return is_shifted(scope) ? unity_scale : law_at(laws_[scope], frame).scale_at(frame);
  }
  /// Frames of the mixer's clock that a change takes which begins at `frame` and lasts so long at full speed.
  std::int64_t lasting(ScopeNumber scope, std::int64_t frames, MixFrame frame) const {
    if (is_shifted(scope) || frames == 0) return frames;
    return frames * unity_scale / scale_at(scope, frame);
  }

  /// Scopes that are paused or about to be, or whose time scale is 0.
  ScopeMask held() const { return held_; }
  bool held(ScopeNumber scope) const { return (held_ & bit_of(scope)) != 0; }

  // For src/scopes alone.

  /// The law that holds from a boundary of quanta on, to be changed: as it was before that frame, so that several changes on one frame are
  /// one. `now` is the present frame; nobody asks about those before it.
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
  /// After a change.
  void changed(ScopeNumber scope) {
    bent_ |= bit_of(scope);
    held_ = latest(scope).holds() ? held_ | bit_of(scope) : held_ & ~bit_of(scope);
  }
  const ScopeLaw& latest(ScopeNumber scope) const { return laws_[scope].all[laws_[scope].count - 1].law; }
  /// Forgets laws that nobody asks about any more.
  void forget_before(MixFrame now) {
    for (ScopeMask left = bent_; left != 0; left &= left - 1) forget(static_cast<ScopeNumber>(std::countr_zero(left)), now);
  }

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s(laws_, behind_, bent_, held_);
  }

 private:
  /// Laws of the frames to come lie within the mixer's lead, and each begins a quantum: at most so many of them, and one that holds now.
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

  // Most scopes go at the mixer's speed most of the time: then their time is so many frames behind the mixer's.
  std::array<std::int64_t, most_scopes> behind_{};
  ScopeMask bent_ = 0;  ///< those that do not
  std::array<Laws, most_scopes> laws_;
  ScopeMask held_ = 0;
};

}  // namespace tidewater
