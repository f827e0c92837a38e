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
/// of the starts. Starts that are still to come are not here. A start in another scope forgets these frames, because times of two
/// scopes cannot be compared.
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
  /// Returns the frames from the nearest of those starts to `frame`; negative if that start is later. Returns nothing if none of them is
  /// nearer than `spacing`.
  std::optional<std::int64_t> near(std::uint64_t emitter, ScopeNumber scope, ScopeFrame frame, std::int64_t spacing) const {
    const bool each = last_.size() > 1;
    const LastStarts& last = last_[each ? slot_of(emitter) : 0];
    std::optional<std::int64_t> nearest;
    if ((each && last.emitter != emitter) || last.scope != scope) return nearest;
    for (const ScopeFrame other : last.frames)
      if (const std::int64_t after = frame - other; std::abs(after) < std::abs(nearest.value_or(spacing))) nearest = after;
    return nearest;
  }
  /// Returns a frame that is not before any start of the scope. `never` if that is not known.
  ScopeFrame latest(ScopeNumber scope) const { return scope == scope_ ? latest_ : ScopeFrame::never(); }

  template <class State>
  void state(State& s) {
    s.list(last_);
    s(scope_, latest_);
  }

 private:
  std::vector<LastStarts> last_;
  ScopeNumber scope_ = 0;  ///< scope of all starts so far. If there are several, `latest_` is `ScopeFrame::never()`
  ScopeFrame latest_ = LastStarts::never;
};

}  // namespace tidewater
