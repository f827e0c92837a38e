#pragma once
#include <array>
#include <string_view>

namespace tidewater {

/// What becomes of that which plays from a bank when it is unloaded.
enum class WhatPlays {
  fades,     ///< over 5 ms
  finishes,  ///< what is heard goes on to its end, loops fade over their own fade-out, and what sleeps or waits is over
};
inline constexpr std::array<std::string_view, 2> what_plays_words = {"fades", "finishes"};

}  // namespace tidewater
