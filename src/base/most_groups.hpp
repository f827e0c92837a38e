#pragma once
#include <cstdint>

namespace tidewater {

/// The most volume groups of a manager, the master included.
inline constexpr std::uint32_t most_groups = 64;

}  // namespace tidewater
