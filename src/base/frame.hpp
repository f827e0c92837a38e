#pragma once
#include <compare>
#include <cstdint>
#include <limits>

namespace tidewater {

/// A moment on a clock that counts frames from 0. Moments of two clocks do not mix: the compiler refuses it. How far two moments of one
/// clock lie apart is a plain count of frames.
template <class Clock>
struct FrameOn {
  std::int64_t value = 0;

  friend constexpr auto operator<=>(FrameOn, FrameOn) = default;
  friend constexpr FrameOn operator+(FrameOn frame, std::int64_t count) { return {frame.value + count}; }
  friend constexpr FrameOn operator-(FrameOn frame, std::int64_t count) { return {frame.value - count}; }
  friend constexpr std::int64_t operator-(FrameOn later, FrameOn earlier) { return later.value - earlier.value; }
  FrameOn& operator+=(std::int64_t count) { return *this = *this + count; }

  static constexpr FrameOn never() { return {std::numeric_limits<std::int64_t>::max()}; }
};

/// The mixer's clock: frames that it has rendered.
using MixFrame = FrameOn<struct MixClock>;
/// The time of a scope: it stands while the scope is paused. Delays, spacing, cadences and places in clips count in it.
using ScopeFrame = FrameOn<struct ScopeTime>;

}  // namespace tidewater
