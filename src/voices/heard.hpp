#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <cstdlib>
#include <limits>
#include <optional>
#include <vector>

#include "base/frame.hpp"
#include "terms/emitters.hpp"
#include "terms/scope_times.hpp"

namespace tidewater {

/// The last frames on which a sound was heard to begin, for one emitter or for all. Delays differ, so the frames need not be in the order
/// of the starts. Starts that are still to come are not here. Frames of another scope say nothing, and are forgotten.
struct LastStarts {
  static constexpr ScopeFrame never{std::numeric_limits<std::int64_t>::min() / 2};
  std::uint64_t emitter = 0;
  ScopeNumber scope = 0;
  std::array<ScopeFrame, 4> frames = {never, never, never, never};

  void add(std::uint64_t whose, ScopeNumber in, ScopeFrame frame) {
    if (whose != emitter || in != scope) *this = {whose, in};
    *std::min_element(frames.begin(), frames.end()) = frame;
  }
};

/// When a sound was heard to begin: its spacing goes by that. It outlives the sound's bank.
class HeardBefore {
 public:
  /// For a sound that has a spacing: one entry for all emitters, or `emitters_apart` of them.
  void fit(bool each_emitter) { last_.resize(each_emitter ? emitters_apart : 1); }

  void add(std::uint64_t emitter, ScopeNumber scope, ScopeFrame frame) {
    if (latest_ == LastStarts::never) scope_ = scope;
    latest_ = scope == scope_ ? std::max(latest_, frame) : ScopeFrame::never();
    if (last_.empty()) return;  // the sound has no spacing
    const bool each = last_.size() > 1;
    last_[each ? slot_of(emitter) : 0].add(each ? emitter : 0, scope, frame);
  }
  /// How many frames after the nearest of those frames a frame is, or before it if negative. None if that is `spacing` or more.
  std::optional<std::int64_t> near(std::uint64_t emitter, ScopeNumber scope, ScopeFrame frame, std::int64_t spacing) const {
    const bool each = last_.size() > 1;
    const LastStarts& last = last_[each ? slot_of(emitter) : 0];
    std::optional<std::int64_t> nearest;
    if ((each && last.emitter != emitter) || last.scope != scope) return nearest;
    for (const ScopeFrame other : last.frames)
      if (const std::int64_t after = frame - other; std::abs(after) < std::abs(nearest.value_or(spacing))) nearest = after;
    return nearest;
  }
  /// Nothing was heard to begin after this frame.
  ScopeFrame latest(ScopeNumber scope) const { return scope == scope_ ? latest_ : ScopeFrame::never(); }

  template <class State>
  void state(State& s) {
    s.list(last_);
    s(scope_, latest_);
  }

 private:
  std::vector<LastStarts> last_;
  ScopeNumber scope_ = 0;  ///< of all starts so far, unless `latest_` is unknown: `ScopeFrame::never()`
  ScopeFrame latest_ = LastStarts::never;
};

}  // namespace tidewater
