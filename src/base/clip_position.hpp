#pragma once
#include <cstdint>

namespace tidewater {

/// A place between two frames of a clip, exact to 2^-32 of a frame: where a voice would be that had gone on all the time.
struct ClipPosition {
  std::int64_t whole = 0;
  std::uint32_t part = 0;

  /// Goes on for `frames` at `step` clip frames each, with 32 bits below the point; both not negative, frames below 2^40.
  void advance(std::uint64_t step, std::int64_t frames) {
    constexpr std::uint64_t low_bits = 0xffffffffU;
    constexpr int half = 31;
    const auto count = static_cast<std::uint64_t>(frames);
    const std::uint64_t fraction = step & low_bits;
    // Of the product of count and fraction in two halves, since it may take more than 64 bits.
    const std::uint64_t high = (count >> half) * fraction;
    const std::uint64_t low = (count & ((std::uint64_t{1} << half) - 1)) * fraction + part + ((high & 1) << half);
    whole += static_cast<std::int64_t>(count * (step >> 32) + (high >> 1) + (low >> 32));
    part = static_cast<std::uint32_t>(low & low_bits);
  }

  /// The frames that it takes to come to `end`, at `step` each; `step` must not be zero.
  std::int64_t frames_to(std::int64_t end, std::uint64_t step) const {
    if (whole >= end) return 0;
    const std::uint64_t left = (static_cast<std::uint64_t>(end - whole) << 32) - part;
    return static_cast<std::int64_t>((left + step - 1) / step);
  }

  /// In a loop that goes on at `from` when it comes to `end`.
  void fold(std::int64_t from, std::int64_t end) {
    if (whole >= end) whole = from + (whole - from) % (end - from);
  }
};

}  // namespace tidewater
