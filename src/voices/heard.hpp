#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <cstdlib>
#include <limits>
#include <vector>

#include "base/frame.hpp"
#include "terms/emitters.hpp"

namespace tidewater {

/// The last frames on which a sound was heard to begin, for one emitter or for all. Delays differ, so the frames need not be in the order
/// of the starts. Starts that are still to come are not here.
struct LastStarts {
  static constexpr ScopeFrame never{std::numeric_limits<std::int64_t>::min() / 2};
  std::uint64_t emitter = 0;
  std::array<ScopeFrame, 4> frames = {never, never, never, never};

  void add(std::uint64_t whose, ScopeFrame frame) {
    if (whose != emitter) *this = {whose};
    *std::min_element(frames.begin(), frames.end()) = frame;
  }
};

/// When a sound was heard to begin: its spacing goes by that. It outlives the sound's bank.
class HeardBefore {
 public:
  /// For a sound that has a spacing: one entry for all emitters, or `emitters_apart` of them.
  void fit(bool each_emitter) { last_.resize(each_emitter ? emitters_apart : 1); }

  void add(std::uint64_t emitter, ScopeFrame frame) {
    latest_ = std::max(latest_, frame);
    if (last_.empty()) return;  // the sound has no spacing
    const bool each = last_.size() > 1;
    last_[each ? slot_of(emitter) : 0].add(each ? emitter : 0, frame);
  }
  /// Whether a frame is less than `spacing` from one of those frames.
  bool near(std::uint64_t emitter, ScopeFrame frame, std::int64_t spacing) const {
    const bool each = last_.size() > 1;
    const LastStarts& last = last_[each ? slot_of(emitter) : 0];
    return (!each || last.emitter == emitter) &&
           std::any_of(last.frames.begin(), last.frames.end(), [&](ScopeFrame other) { return std::abs(frame - other) < spacing; });
  }
  /// The latest frame of all.
  ScopeFrame latest() const { return latest_; }

  template <class State>
  void state(State& s) {
    s.list(last_);
    s(latest_);
  }

 private:
  std::vector<LastStarts> last_;
  ScopeFrame latest_ = LastStarts::never;
};

}  // namespace tidewater
