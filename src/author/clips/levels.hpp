#pragma once
#include <optional>

#include "author/clips/clip_facts.hpp"

namespace tidewater {

/// The loudness in LUFS that a sound's clips are brought to: its group's, or the nearest above that has one, or the book's.
std::optional<Decibels> level_for(const Book& book, const BookSound& sound);

/// A level moves a clip by so much at most, either way.
inline constexpr Decibels most_trim{24};

/// What brings a clip there: at most that, and never so much that its peaks pass -1 dBTP. What stands in for a clip is
/// subtle, and stays so: it is only ever turned down.
Decibels trim_for(const ClipFacts& facts, Decibels level);

}  // namespace tidewater
