#pragma once
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/picture/timeline.hpp"
#include "tidewater/stress.hpp"

namespace TIDEWATER_API tidewater {

/// Draws block time against voices, with the deadline. PNG or SVG by the file's ending. Throws Error where it cannot be written.
void draw_stress(const StressResult& result, const std::string& path, const std::string& title, PictureSize size = {});

}  // namespace tidewater
