#pragma once
/// Maps frames of the mixer to the time of a scope, in integers, so that the control side and the mixer compute the same values.

#include <algorithm>
#include <cstddef>
#include <cstdint>

#include "base/frame.hpp"

namespace tidewater {

/// The most scopes of a book, and of all loaded banks together: the root and 32 more.
inline constexpr std::size_t most_scopes = 33;

/// Time scales and scope times are counted in 1/65536: of full speed, and of a frame.
inline constexpr int scale_bits = 16;
inline constexpr std::int64_t unity_scale = std::int64_t{1} << scale_bits;

/// The time of a scope as a function of the mixer's frame. At `frame` the time is `time` and runs at the scale `from`. Over the next
/// `quanta` the scale changes evenly to `to`. From `holds_at` on the time stands still. Times are in 1/65536 of a frame.
///
/// The function is exact at multiples of 64 frames and linear between them. A ramp covers 32 * quanta * (from + to). A correction of less
/// than half a frame is spread over the ramp, so that it ends on a whole frame of scope time: a voice that plays its clip at the clip's own
/// rate is then at a whole frame of the clip again.
struct ScopeLaw {
  static constexpr std::int64_t quantum = 64;
  static constexpr std::int64_t shortest_ramp = 4;  ///< quanta

  MixFrame frame;         ///< a multiple of 64
  std::int64_t time = 0;  ///< at `frame`
  std::int64_t from = unity_scale, to = unity_scale;
  std::int64_t quanta = 0;                ///< of the ramp; 0 for none
  std::int64_t correction = 0;            ///< total, in 1/65536 of a frame, that makes the ramp end on a whole frame
  MixFrame holds_at = MixFrame::never();  ///< a multiple of 64

  friend bool operator==(const ScopeLaw&, const ScopeLaw&) = default;

  bool holds() const { return holds_at != MixFrame::never(); }
  bool stands_at(MixFrame at) const { return at >= holds_at; }
  /// Whether, from `at` on, each frame of the mixer is one whole frame of scope time.
  bool is_plain(MixFrame at) const {
    return from == unity_scale && to == unity_scale && quanta == 0 && !holds() && time % unity_scale == 0 && at >= frame;
  }

  /// Returns the time at a frame. Before `frame` the scale is `from`.
  std::int64_t time_at(MixFrame at) const {
    at = std::min(at, holds_at);
    if (at <= frame) return time - (frame - at) * from;
    if (quanta == 0) return time + (at - frame) * to;
    const std::int64_t into = at - frame, whole = into / quantum, rest = into % quantum;
    const std::int64_t begin = on_grid(whole);
    return rest == 0 ? begin : begin + (on_grid(whole + 1) - begin) * rest / quantum;
  }
  std::int64_t scale_at(MixFrame at) const {
    at = std::min(at, holds_at);
    const std::int64_t whole = std::max<std::int64_t>(0, at - frame) / quantum;
    return whole >= quanta ? to : from + floor_of((to - from) * whole, quanta);
  }
  /// Returns the first frame, from `frame` on, at which the time is `wanted` or more. Returns `never` if the time stands still at `wanted`
  /// or before: nothing is due during a hold.
  MixFrame frame_of(std::int64_t wanted) const {
    if (holds() && time_at(holds_at) <= wanted) return MixFrame::never();
    if (time >= wanted) return frame;
    const std::int64_t behind = time + ramp();
    if (wanted >= behind) return frame + quanta * quantum + (wanted - behind + to - 1) / to;
    std::int64_t low = 0, high = quanta;  // quanta of the ramp: one before `wanted`, and one at it or after
    while (high - low > 1) {
      const std::int64_t middle = (low + high) / 2;
      (on_grid(middle) < wanted ? low : high) = middle;
    }
    const std::int64_t begin = on_grid(low), step = on_grid(low + 1) - begin;
    return frame + low * quantum + ((wanted - begin) * quantum + step - 1) / step;
  }

  /// Returns the same function for frames from `at` on, without a ramp that is over by then.
  ScopeLaw without_past(MixFrame at) const {
    const MixFrame end = frame + quanta * quantum;
    if (quanta == 0 || std::min(at, holds_at) < end) return *this;
    ScopeLaw its = *this;
    its.frame = end, its.time = time + ramp(), its.from = to, its.quanta = its.correction = 0;
    return its;
  }

  // Changes from a frame on. `at` is a multiple of 64 and not before `frame`.

  /// Changes the scale over `frames`, rounded up to a whole number of quanta.
  void scale(MixFrame at, std::int64_t scale, std::int64_t frames) {
    const std::int64_t now = time_at(at), present = scale_at(at);
    if (stands_at(at)) holds_at = at;  // the ramp begins after the hold
    frame = at, time = now, from = present, to = scale;
    correction = 0;
    quanta = from == to && time % unity_scale == 0 ? 0 : std::max(shortest_ramp, (frames + quantum - 1) / quantum);
    if (quanta == 0) return;
    const std::int64_t end = time + ramp();
    correction = floor_of(end + unity_scale / 2, unity_scale) * unity_scale - end;
  }
  /// Holds the time after `frames` more, a multiple of 64.
  void hold(MixFrame at, std::int64_t frames) { holds_at = std::min(holds_at, at + frames); }
  /// Ends a hold. The rest of an interrupted ramp follows.
  void resume(MixFrame at) {
    const MixFrame held = holds_at;
    holds_at = MixFrame::never();
    if (at <= held) return;  // the hold had not begun
    const std::int64_t now = time_at(held), present = scale_at(held), end = time + ramp();
    const std::int64_t left = std::max<std::int64_t>(0, quanta - std::max<std::int64_t>(0, held - frame) / quantum);
    frame = at, time = now, quanta = left, correction = 0;
    from = left > 0 ? present : to;
    if (left > 0) correction = end - (time + ramp());
  }

 private:
  static std::int64_t floor_of(std::int64_t value, std::int64_t by) { return value / by - (value % by < 0 ? 1 : 0); }
  /// Returns the time that the whole ramp covers.
  std::int64_t ramp() const { return quanta == 0 ? 0 : quantum / 2 * quanta * (from + to) + correction; }
  /// Returns the time `passed` quanta after `frame`.
  std::int64_t on_grid(std::int64_t passed) const {
    if (passed >= quanta) return time + ramp() + quantum * to * (passed - quanta);
    // (to - from) * passed^2 / quanta, without a product of more than 64 bits.
    const std::int64_t bend = quantum / 2 * (to - from) * passed;
    const std::int64_t whole = floor_of(bend, quanta);
    return time + quantum * passed * from + whole * passed + floor_of((bend - whole * quanta) * passed, quanta) +
           floor_of(correction * passed, quanta);
  }
};

}  // namespace tidewater
