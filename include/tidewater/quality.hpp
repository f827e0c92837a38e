#pragma once
#include <array>
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// How a pitch-varied voice is interpolated: with 12 to 20 taps, or with 24 and more for about half as much again of the cost and
/// 36 dB less noise (docs/performance.md has both figures). At unity pitch both are the clip's own samples.
enum class Quality : unsigned char { standard, fine };
inline constexpr std::array<std::string_view, 2> quality_words = {"standard", "fine"};  ///< in books and journals

}  // namespace tidewater
