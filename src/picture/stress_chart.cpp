#include "tidewater/picture/stress_chart.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double left = 90;
constexpr double top = 70;
constexpr double right_margin = 190;
constexpr double bottom_margin = 70;

/// Voices and part of the deadline, both on logarithmic scales: a voice's cost is a straight line.
struct Plot {
  double width, height, fewest, most, lowest, highest;

  double x(double voices) const { return left + (width - left - right_margin) * std::log(voices / fewest) / std::log(most / fewest); }
  double y(double part) const {
    const double at = std::log(std::clamp(part, lowest, highest) / lowest) / std::log(highest / lowest);
    return height - bottom_margin - (height - top - bottom_margin) * at;
  }
};

void draw_axes(Canvas& canvas, const Plot& plot, Seconds deadline) {
  for (const double part : {0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 0.9, 1.0}) {
    if (part < plot.lowest) continue;
    const bool marked = part == 0.5 || part == 0.9 || part == 1.0;
    const double y = plot.y(part);
    canvas.line(left, y, plot.width - right_margin, y, part == 1.0 ? alarm : grid, marked ? 1.4 : 0.8);
    if (part != 0.9)
      canvas.text(left - 8, y, fmt::format("{:g} %", part * 100), {11, part == 1.0 ? alarm : ink, marked, Canvas::Align::right});
  }
  canvas.text(left + 6, plot.y(1.0) - 10, fmt::format("the deadline, {:.2f} ms", deadline.value * 1000), {11, alarm});
  for (double voices = 32; voices <= plot.most * 1.001; voices *= 2) {
    const double x = plot.x(voices);
    canvas.line(x, top, x, plot.height - bottom_margin, grid, 0.8);
    canvas.text(x, plot.height - bottom_margin + 14, fmt::format("{:.0f}", voices), {11, ink, false, Canvas::Align::centre});
  }
  canvas.text((left + plot.width - right_margin) / 2, plot.height - 30, "voices", {12, ink, true, Canvas::Align::centre});
  canvas.text(16, 50, "part of the block's time", {12, ink, true});
}

void draw_curve(Canvas& canvas, const Plot& plot, const StressCurve& curve, Seconds deadline, Colour colour, double label_y) {
  cairo_t* cairo = canvas.cairo();
  const auto y = [&](Seconds time) { return plot.y(time.value / deadline.value); };
  for (const StressPoint& p : curve.points) cairo_line_to(cairo, plot.x(p.voices), y(p.median));
  canvas.stroke(colour, 2.4);
  for (const StressPoint& p : curve.points) {
    canvas.line(plot.x(p.voices), y(p.median), plot.x(p.voices), y(p.percentile_99), {colour.red, colour.green, colour.blue, 0.6}, 1.2);
    canvas.rectangle(plot.x(p.voices) - 3, y(p.median) - 3, 6, 6, colour);
  }
  const double x = plot.width - right_margin + 14;
  canvas.rectangle(x, label_y - 5, 12, 10, colour);
  canvas.text(x + 18, label_y, curve.kind, {12, ink, true});
  canvas.text(x + 18, label_y + 17, fmt::format("{} at 50 %", curve.voices_within(0.5, deadline)), {11, ink});
  canvas.text(x + 18, label_y + 33, fmt::format("{} at 90 %", curve.voices_within(0.9, deadline)), {11, ink});
}

}  // namespace

void draw_stress(const StressResult& result, const std::string& path, const std::string& title, PictureSize size) {
  Canvas canvas(path, size.width, size.height, paper);
  canvas.text(16, 22, title, {17, ink, true});
  double most = 64;
  for (const auto& curve : result.curves)
    for (const auto& point : curve.points) most = std::max(most, static_cast<double>(point.voices));
  const Plot plot{size.width, size.height, 32, most, 0.002, 1.6};
  draw_axes(canvas, plot, result.deadline);
  double label_y = top + 20;
  for (std::size_t i = 0; i < result.curves.size(); ++i, label_y += 64)
    draw_curve(canvas, plot, result.curves[i], result.deadline, lane_colours[i % lane_colours.size()], label_y);
  canvas.text(16, size.height - 12, "Squares: median block; the line above reaches to the 99th percentile. Both scales are logarithmic.",
              {10, faint_ink});
  canvas.save();
}

}  // namespace tidewater
