#pragma once
#include <compare>
#include <cstdint>

#include "tidewater/ids.hpp"

namespace tidewater {

/// Refers to one start of a sound, which may have ended since. The slot finds it at once; the id tells whether a later start has taken the
/// slot.
struct StartRef {
  /// The slot is not known: the start is looked for by its id.
  static constexpr std::uint32_t any_slot = ~0U;

  std::uint32_t slot = 0;
  PlaybackId id;
  friend constexpr bool operator==(const StartRef&, const StartRef&) = default;
  /// Whether it refers to a start at all.
  explicit operator bool() const { return id != PlaybackId{}; }
};

}  // namespace tidewater
