#pragma once
/// Numbers that name a playback and the content of a bank.

#include <compare>
#include <cstdint>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// Names one playback for ever. Zero names none.
struct PlaybackId {
  std::uint64_t raise = 0;     ///< number of the raise that began it, from 1
  std::uint32_t response = 0;  ///< number of the response in its event, from 1
  std::uint32_t beat = 0;      ///< number of the step if a cadence started it, from 1; 0 if the raise did
  friend constexpr auto operator<=>(const PlaybackId&, const PlaybackId&) = default;
};

/// A hash of all that is in a bank: equal for the same book and clips. 0 means unknown.
struct ContentHash {
  std::uint64_t value = 0;
  friend constexpr bool operator==(ContentHash, ContentHash) = default;
};

}  // namespace tidewater
