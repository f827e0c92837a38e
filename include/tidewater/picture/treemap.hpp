#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/picture/timeline.hpp"

namespace TIDEWATER_API tidewater {

/// A clip that takes room, and whose it is.
struct TreemapItem {
  std::string group, sound, name;
  std::uint64_t bytes = 0;
  bool streams = false;  ///< drawn with stripes
  bool marked = false;   ///< drawn with a bold frame: there is something to be said of it
};

/// Draws room as area: a field for each group, in it one for each sound, and in that one for each clip; the largest stand at the top
/// left. `remark` stands below. PNG or SVG by the file's ending. Throws Error where it cannot be written.
void draw_treemap(const std::vector<TreemapItem>& items, const std::string& path, const std::string& title, const std::string& remark,
                  PictureSize size = {});

}  // namespace tidewater
