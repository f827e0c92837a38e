#pragma once
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/author/walk.hpp"

namespace tidewater {

/// Throws Error where a book has no such gauge, with the nearest name; also of a gauge that comes from a sound's place.
void check_gauges(const Book& book, const std::vector<WalkGauge>& gauges);

}  // namespace tidewater
