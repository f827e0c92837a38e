#pragma once
#include <string>

#include "tidewater/author/score.hpp"
#include "tidewater/export.hpp"
#include "tidewater/picture/timeline.hpp"

namespace TIDEWATER_API tidewater {

/// Draws the bars, parts and stems of a track, and where it can change to each other track of its stand. PNG or SVG by the file's ending.
/// Throws Error where it cannot be written.
void draw_score(const Score& score, const std::string& path, PictureSize size = {});

}  // namespace tidewater
