#include "tidewater/picture/walk_picture.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double faintest = -72, lowest_hertz = 500, highest_hertz = 20000;  // of what is drawn

/// A rectangle with scales from 0 to 1 in it.
struct Panel {
  double left, top, width, height;

  double x(double part) const { return left + width * std::clamp(part, 0.0, 1.0); }
  double y(double part) const { return top + height * (1 - std::clamp(part, 0.0, 1.0)); }
};

double of_level(Decibels level) { return 1 - level.value / faintest; }
double of_hertz(double hertz) { return std::log(hertz / lowest_hertz) / std::log(highest_hertz / lowest_hertz); }

std::string metres(double length) { return length < 10 ? fmt::format("{:.1f} m", length) : fmt::format("{:.0f} m", length); }

void draw_levels(Canvas& canvas, const Panel& panel, std::string_view title) {
  canvas.text(panel.left, panel.top - 16, title, {13, ink, true});
  for (int level = 0; level >= faintest; level -= 12) {
    const double y = panel.y(of_level({static_cast<double>(level)}));
    canvas.line(panel.left, y, panel.left + panel.width, y, grid, 0.8);
    canvas.text(panel.left - 8, y, fmt::format("{} dB", level), {11, ink, false, Canvas::Align::right});
  }
}

class Line {
 public:
  Line(Canvas& canvas, Colour colour, double width = 2.2) : canvas_(canvas), colour_(colour), width_(width) {}
  ~Line() { canvas_.stroke(colour_, width_); }
  Line(const Line&) = delete;
  Line& operator=(const Line&) = delete;
  void to(double x, double y) { cairo_line_to(canvas_.cairo(), x, y); }

 private:
  Canvas& canvas_;
  Colour colour_;
  double width_;
};

/// Where it is loud, and where faint.
Colour colour_of(Decibels level) {
  const double part = std::clamp(of_level(level), 0.0, 1.0);
  const Colour loud = lane_colours[5], quiet = grid;
  return {quiet.red + (loud.red - quiet.red) * part, quiet.green + (loud.green - quiet.green) * part,
          quiet.blue + (loud.blue - quiet.blue) * part};
}

void draw_by_distance(Canvas& canvas, const Panel& panel, const WalkPast& walk) {
  draw_levels(canvas, panel,
              walk.by_distance_at_end.empty() ? "Level and treble by distance"
                                              : "Level and treble by distance as the walk begins; thin: as it ends");
  const double first = walk.by_distance.front().distance.value, last = walk.by_distance.back().distance.value;
  const auto x = [&](double distance) { return panel.x(std::log(distance / first) / std::log(last / first)); };
  for (double power = 0.01; power < 1e6; power *= 10)
    for (const double digit : {1.0, 2.0, 5.0}) {
      const double distance = digit * power;
      if (distance < first || distance > last * 1.0001) continue;
      canvas.line(x(distance), panel.top, x(distance), panel.top + panel.height, grid, 0.8);
      canvas.text(x(distance), panel.top + panel.height + 14, metres(distance), {11, ink, false, Canvas::Align::centre});
    }
  const auto draw = [&](const std::vector<HeardAway>& heard, double width) {
    {
      Line line(canvas, lane_colours[0], width);
      for (const HeardAway& its : heard) line.to(x(its.distance.value), panel.y(of_level(its.level)));
    }
    Line line(canvas, lane_colours[1], width);
    for (const HeardAway& its : heard)
      if (its.level.value >= faintest)
        line.to(x(its.distance.value), panel.y(of_hertz(its.low_pass.value == 0 ? highest_hertz : its.low_pass.value)));
  };
  draw(walk.by_distance, 2.2);
  draw(walk.by_distance_at_end, 1);
  std::string silent;
  for (const auto& [when, heard] : {std::pair{"begins", &walk.by_distance}, {"ends", &walk.by_distance_at_end}})
    if (!heard->empty() && !heard->front().silent_by.empty())
      silent += fmt::format("{}silent by {} as the walk {}", silent.empty() ? "" : "; ", heard->front().silent_by, when);
  canvas.text(panel.left + panel.width / 2, panel.top + panel.height - 32, silent, {12, faint_ink, false, Canvas::Align::centre});
  for (const double hertz : {500.0, 1000.0, 2000.0, 5000.0, 10000.0, 20000.0})
    canvas.text(panel.left + panel.width + 8, panel.y(of_hertz(hertz)),
                hertz < 1000 ? fmt::format("{:.0f} Hz", hertz) : fmt::format("{:.0f} kHz", hertz / 1000), {11, lane_colours[1]});
  for (const auto& [what, distance] : {std::pair{"near", walk.design.full_within.value}, {"far", walk.design.silent_from.value}}) {
    canvas.line(x(distance), panel.top, x(distance), panel.top + panel.height, faint_ink, 1.2);
    canvas.text(x(distance) - 5, panel.top + panel.height - 10, what, {11, faint_ink, false, Canvas::Align::right});
  }
}

void draw_by_angle(Canvas& canvas, const Panel& panel, const WalkPast& walk) {
  draw_levels(canvas, panel, "Level by angle from where it faces");
  for (int degrees = 0; degrees <= 180; degrees += 30) {
    const double x = panel.x(degrees / 180.0);
    canvas.line(x, panel.top, x, panel.top + panel.height, grid, 0.8);
    canvas.text(x, panel.top + panel.height + 14, fmt::format("{}\u00b0", degrees), {11, ink, false, Canvas::Align::centre});
  }
  {
    Line line(canvas, lane_colours[0]);
    for (const HeardAside& its : walk.by_angle) line.to(panel.x(its.off.value / 180), panel.y(of_level(its.level)));
  }
  if (walk.design.cone == ConeDesign{})
    canvas.text(panel.left + panel.width / 2, panel.top + 30, "no cone: the same from all sides",
                {12, faint_ink, false, Canvas::Align::centre});
}

Decibels of_all(const WalkStep& step) {
  double power = 0;
  for (const Decibels level : step.levels) power += std::pow(10, level.value / 10);
  return power > 0 ? Decibels{10 * std::log10(power)} : silence;
}

/// From above: the way from left to right, the thing below it.
void draw_plan(Canvas& canvas, const Panel& panel, const WalkPast& walk) {
  canvas.text(panel.left, panel.top - 16,
              fmt::format("A walk past it, {} to its left, {:.1f} m/s: the way from above, redder where it is louder",
                          metres(walk.aside.value), walk.pace),
              {13, ink, true});
  const auto x = [&](double along) { return panel.x((along + walk.from.value) / (2 * walk.from.value)); };
  const double way = panel.top + panel.height * 0.35, thing = panel.top + panel.height * 0.75;
  for (std::size_t i = 0; i + 1 < walk.steps.size(); ++i)
    canvas.line(x(walk.steps[i].along.value), way, x(walk.steps[i + 1].along.value) + 0.7, way, colour_of(of_all(walk.steps[i])), 9);
  cairo_arc(canvas.cairo(), x(0), thing, 6, 0, 2 * std::numbers::pi);
  canvas.fill(ink);
  canvas.text(x(0) + 12, thing, walk.sound, {12, ink, true});
  const double far =
      std::sqrt(std::max(0.0, walk.design.silent_from.value * walk.design.silent_from.value - walk.aside.value * walk.aside.value));
  for (const double along : {-far, far}) {
    canvas.line(x(along), way - 14, x(along), way + 14, faint_ink, 1.2);
    canvas.text(x(along) + (along < 0 ? 6 : -6), way + 20, "far",
                {11, faint_ink, false, along < 0 ? Canvas::Align::left : Canvas::Align::right});
  }
  canvas.text(panel.left, thing, metres(walk.from.value) + " before", {11, ink});
  canvas.text(panel.left + panel.width, thing, metres(walk.from.value) + " behind", {11, ink, false, Canvas::Align::right});
}

void draw_over_time(Canvas& canvas, const Panel& panel, const WalkPast& walk) {
  constexpr std::array<std::string_view, 8> surround = {"left",      "right",      "centre",    "low",
                                                        "back left", "back right", "side left", "side right"};
  std::string title = "What is heard of it on the way";
  for (const WalkGauge& its : walk.options.gauges)
    title += its.from == its.to ? fmt::format(", {} at {}", its.gauge, its.from)
                                : fmt::format(", {} from {} to {}", its.gauge, its.from, its.to);
  draw_levels(canvas, panel, title);
  const double lasts = walk.steps.back().at.value;
  const auto x = [&](Seconds at) { return panel.x(at.value / lasts); };
  for (int second = 0; second <= lasts; second += 2) {
    canvas.line(x({static_cast<double>(second)}), panel.top, x({static_cast<double>(second)}), panel.top + panel.height, grid, 0.8);
    canvas.text(x({static_cast<double>(second)}), panel.top + panel.height + 14, fmt::format("{} s", second),
                {11, ink, false, Canvas::Align::centre});
  }
  for (std::size_t i = 0; i + 1 < walk.steps.size(); ++i)
    if (!walk.steps[i].heard)
      canvas.rectangle(x(walk.steps[i].at), panel.top, x(walk.steps[i + 1].at) - x(walk.steps[i].at) + 0.5, panel.height,
                       {0.87, 0.86, 0.82, 0.6});
  double label = panel.top + 8;
  const std::size_t count = walk.options.layout == Layout::mono ? 1 : walk.steps.front().levels.size();
  for (std::size_t c = 0; c < count; ++c) {
    if (c == 3) continue;  // nothing comes from the low one
    const Colour colour = lane_colours[c % lane_colours.size()];
    {
      Line line(canvas, colour);
      for (const WalkStep& step : walk.steps) line.to(x(step.at), panel.y(of_level(step.levels[c])));
    }
    canvas.rectangle(panel.left + panel.width + 10, label - 5, 12, 10, colour);
    canvas.text(panel.left + panel.width + 28, label, count == 1 ? "all" : surround[c], {11, ink});
    label += 18;
  }
  canvas.text(panel.left + panel.width + 10, panel.top + panel.height - 8, "grey: asleep", {10, faint_ink});
}

}  // namespace

void draw_walk(const WalkPast& walk, const std::string& path, PictureSize size) {
  Canvas canvas(path, size.width, size.height, paper);
  canvas.text(16, 22, fmt::format("Where '{}' is heard", walk.sound), {17, ink, true});
  const double middle = size.width / 2, half = size.height / 2;
  draw_by_distance(canvas, {80, 84, middle - 160, half - 150}, walk);
  draw_by_angle(canvas, {middle + 90, 84, size.width - middle - 180, half - 150}, walk);
  draw_plan(canvas, {80, half + 40, size.width - 220, 80}, walk);
  draw_over_time(canvas, {80, half + 160, size.width - 220, half - 210}, walk);
  canvas.text(16, size.height - 12, "Levels are RMS, of the sound as the book has it; treble is where the way through air has taken 3 dB.",
              {10, faint_ink});
  canvas.save();
}

}  // namespace tidewater
