#pragma once
#include <array>

namespace tidewater::bench {

/// As voices that vary by a few semitones have them.
inline constexpr std::array ten_speeds = {0.81, 0.87, 0.93, 0.97, 1.03, 1.06, 1.11, 1.17, 1.26, 1.38};

}  // namespace tidewater::bench
