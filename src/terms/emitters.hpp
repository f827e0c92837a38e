#pragma once
#include <cstddef>
#include <cstdint>

#include "base/random.hpp"

namespace tidewater {

/// Emitters that are told apart; beyond that two may share one's picks, or forget each other's last start.
inline constexpr std::size_t emitters_apart = 64;

/// Which of those an emitter is.
inline std::size_t slot_of(std::uint64_t emitter) { return static_cast<std::size_t>(Random(emitter).bits() % emitters_apart); }

}  // namespace tidewater
