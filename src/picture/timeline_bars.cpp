#include "picture/timeline_bars.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double room_for_distances = 26;  // of a bar: below, they are in its label

}  // namespace

/// As high as it is loud, tapered where it fades, with a line that stands above the middle where the pitch is raised.
void BarDrawing::draw(const Bar& bar, double top, double height, Colour colour) {
  const double from = x_of(bar.from);
  const double to = std::max(from + 2, x_of(bar.to));
  const double loud = std::clamp(1 - bar.gain.value / quietest_shown, 0.15, 1.0);
  const double half = (height - 3) / 2 * loud;
  const double middle = top + height / 2;
  const double in = std::min(to, x_of(bar.from + bar.fade_in));
  const double out = bar.fades_from < 0 ? to : std::clamp(x_of(bar.fades_from), in, to);
  cairo_t* cairo = canvas.cairo();
  const auto outline = [&] {
    cairo_move_to(cairo, from, bar.fade_in > 0 ? middle : middle - half);
    cairo_line_to(cairo, in, middle - half);
    cairo_line_to(cairo, out, middle - half);
    cairo_line_to(cairo, to, bar.fades_from >= 0 ? middle : middle - half);
    cairo_line_to(cairo, to, bar.fades_from >= 0 ? middle : middle + half);
    cairo_line_to(cairo, out, middle + half);
    cairo_line_to(cairo, in, middle + half);
    cairo_line_to(cairo, from, bar.fade_in > 0 ? middle : middle + half);
    cairo_close_path(cairo);
  };
  outline();
  canvas.fill({colour.red, colour.green, colour.blue, bar.silent ? 0.15 : 0.62});
  outline();
  canvas.stroke(colour, 1);
  draw_music_bars(bar, middle - half, middle + half);
  for (const auto& [asleep, awake] : bar.dormant) {
    const double x = std::clamp(x_of(asleep), from, to);
    const double width = std::clamp(x_of(awake), from, to) - x;
    canvas.rectangle(x, middle - half - 1, width, 2 * half + 2, band);
    canvas.line(x, middle, x + width, middle, colour, 1);
  }
  const double pitch_y = middle - bar.pitch.value / widest_pitch * (height / 2 - 2);
  canvas.line(from, pitch_y, std::max(from + 3, std::min(to, from + 40)), pitch_y, ink, 1.4);
  draw_label(bar, from, to, middle, height);
  draw_distances(bar, from, to, middle + height / 2 - 6, height);
}

/// The bars of a track: lines through it, or through every fourth bar where they would be too close.
void BarDrawing::draw_music_bars(const Bar& bar, double top, double bottom) {
  if (bar.bar_frames <= 0) return;
  const double apart = x_of(bar.from + static_cast<std::int64_t>(bar.bar_frames)) - x_of(bar.from);
  const int every = apart >= 4 ? 1 : 4;
  for (int n = 0;; n += every) {
    const auto at = bar.from + bar.first_beat + static_cast<std::int64_t>(n * bar.bar_frames);
    if (at > bar.to) return;
    if (at > bar.from) canvas.line(x_of(at), top, x_of(at), bottom, {paper.red, paper.green, paper.blue, 0.75}, 1);
  }
}

/// How far away it is, wherever that has changed enough to be worth a word.
void BarDrawing::draw_distances(const Bar& bar, double from, double to, double y, double height) {
  if (height < room_for_distances) return;
  const Canvas::TextStyle style{8.5, faint_ink};
  double free = from, told = 0;
  for (std::size_t i = 0; i < bar.away.size(); ++i) {
    const auto& [at, metres] = bar.away[i];
    const double x = std::max({free, from, x_of(at)});
    // The last that holds there: between two words it may have moved on.
    if (i + 1 < bar.away.size() && x_of(bar.away[i + 1].first) <= x) continue;
    const std::string text = metres_text(metres);
    const double width = canvas.text_width(text, style);
    if (x + width + 8 > to || (told > 0 && std::abs(metres - told) < 0.2 * told)) continue;
    canvas.rectangle(x + 2, y - 5, width + 4, 10, {paper.red, paper.green, paper.blue, 0.72});
    canvas.text(x + 4, y, text, style);
    free = x + width + 40;
    told = metres;
    any_distance = true;
  }
}

void BarDrawing::draw_label(const Bar& bar, double from, double to, double middle, double height) {
  if (height < 11) return;
  const std::string detail =
      fmt::format("{}{}{}  {:+.1f} st  {}{}", bar.layer, bar.layer.empty() ? "" : ": ", bar.clip, bar.pitch.value,
                  bar.gain == silence ? "silent" : fmt::format("{:.1f} dB", bar.gain.value), bar.silent ? "  (unheard)" : "");
  const Canvas::TextStyle style{9.5, ink};
  const std::string way = height < room_for_distances ? way_of(bar) : std::string();
  const std::string behind = way.empty() ? "" : "  " + way;
  const std::string first = way.empty() ? bar.clip : metres_text(bar.away.front().second);
  for (const std::string& label : {detail + behind, detail, bar.clip + behind, bar.clip, way, first}) {
    const double width = canvas.text_width(label, style);
    if (label.empty() || width + 52 > to - from) continue;
    canvas.rectangle(from + 45, middle - 6, width + 6, 12, {paper.red, paper.green, paper.blue, 0.72});
    canvas.text(from + 48, middle, label, style);
    any_distance = any_distance || (!way.empty() && label != detail && label != bar.clip);
    return;
  }
}

}  // namespace tidewater
