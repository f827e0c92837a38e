#pragma once
#include <array>
#include <string_view>

namespace tidewater {

/// How a journal's first line calls layouts, in the order of the enumeration.
inline constexpr std::array<std::string_view, 4> layout_words = {"mono", "stereo", "5.1", "7.1"};

}  // namespace tidewater
