#pragma once
#include <array>
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// Channels of the output, interleaved in the order of WAVE files: left, right, centre, low, then the surrounds.
/// Sounds on the screen stand between the front pair, those in the world wherever they are; mono folds at equal power.
enum class Layout { mono, stereo, surround_5_1, surround_7_1 };

/// How a journal and the tool call them, in their order.
inline constexpr std::array<std::string_view, 4> layout_words = {"mono", "stereo", "5.1", "7.1"};

constexpr int channels(Layout layout) {
  switch (layout) {
    case Layout::mono: return 1;
    case Layout::stereo: return 2;
    case Layout::surround_5_1: return 6;
    case Layout::surround_7_1: return 8;
  }
  return 2;
}

}  // namespace tidewater
