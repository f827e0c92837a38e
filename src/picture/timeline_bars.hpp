#pragma once
/// The bars of a timeline: one for each playback, with its level, fades, pitch, bars of music and distance.

#include <cstdint>
#include <functional>

#include "picture/canvas.hpp"
#include "picture/timeline_layout.hpp"

namespace tidewater {

/// Bars are at their thinnest from this level on down, in dB.
inline constexpr double quietest_shown = -42;

/// Draws bars onto a canvas.
struct BarDrawing {
  /// Height is level, tapered where it fades; a line in it stands above the middle where the pitch is raised.
  void draw(const Bar& bar, double top, double height, Colour colour);

  Canvas& canvas;
  std::function<double(std::int64_t frame)> x_of;
  double widest_pitch = 1;    ///< pitch, in semitones, whose line is at the bar's edge
  bool any_distance = false;  ///< set when a bar has told how far away it is

 private:
  void draw_music_bars(const Bar& bar, double top, double bottom);
  void draw_distances(const Bar& bar, double from, double to, double y, double height);
  void draw_label(const Bar& bar, double from, double to, double middle, double height);
};

}  // namespace tidewater
