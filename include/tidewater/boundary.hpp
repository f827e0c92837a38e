#pragma once
#include <array>
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// The moment at which a change of music falls: at once, or on the next beat, bar, part or end of the track that plays.
enum class On { now, beat, bar, part, end };
inline constexpr std::array<std::string_view, 5> on_words = {"now", "beat", "bar", "part", "end"};
constexpr std::string_view word_of(On on) { return on_words[static_cast<std::size_t>(on)]; }

}  // namespace tidewater
