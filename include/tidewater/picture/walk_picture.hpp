#pragma once
#include <string>

#include "tidewater/author/walk.hpp"
#include "tidewater/export.hpp"
#include "tidewater/picture/timeline.hpp"

namespace TIDEWATER_API tidewater {

/// Draws level and treble by distance, level by angle, and a walk past it: the way, coloured by level, and what is heard over time. PNG or
/// SVG by the file's ending. Throws Error where it cannot be written.
void draw_walk(const WalkPast& walk, const std::string& path, PictureSize size = {});

}  // namespace tidewater
