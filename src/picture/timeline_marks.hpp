#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "picture/canvas.hpp"
#include "picture/timeline_layout.hpp"

namespace tidewater {

struct Strip {
  double left, right, top, foot;
};

/// A stem for every mark and labels where there is room: first for what was refused, and not twice for a run of the same.
void draw_marks(Canvas& canvas, const std::vector<Mark>& marks, const Strip& strip, const std::function<double(std::int64_t)>& x_of);

/// Of what was refused.
void draw_cross(Canvas& canvas, double x, double y);
/// A small square on its corner: of what the book held back.
void draw_lozenge(Canvas& canvas, double x, double y);

}  // namespace tidewater
