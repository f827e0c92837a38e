#pragma once
#include <array>

#include "picture/canvas.hpp"

namespace tidewater {

// Estuary at dusk: neighbours differ in lightness as well as in hue, so that they stay apart without colour.
inline constexpr std::array lane_colours = {rgb(0x24507F), rgb(0xD08A1E), rgb(0x4FA3A5), rgb(0x77355F),
                                            rgb(0x9FB7D9), rgb(0xA8442A), rgb(0x8C9A5B), rgb(0x4A4F63)};
inline constexpr Colour paper = rgb(0xFBFAF6);
inline constexpr Colour ink = rgb(0x1E2A33);
inline constexpr Colour faint_ink = rgb(0x66727A);
inline constexpr Colour grid = rgb(0xDEDBD1);
inline constexpr Colour band = rgb(0xF1EEE5);
inline constexpr Colour water = rgb(0x5E7C93);
inline constexpr Colour alarm = rgb(0xB3261E);

}  // namespace tidewater
