#include "tidewater/picture/score_picture.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double score_left = 150, score_right = 24, score_top = 64, ruler = 22, part_height = 30, below_part = 14, change_height = 30;
constexpr double most_stem = 150, least_stem = 34;

class ScoreDrawing {
 public:
  ScoreDrawing(const Score& score, const std::string& path, PictureSize size)
      : score_(score), size_(size), canvas_(path, size.width, size.height, paper) {}

  void draw() {
    title();
    draw_ruler();
    draw_parts();
    draw_stems();
    draw_changes();
    canvas_.save();
  }

 private:
  double x(Seconds at) const {
    return score_left + (size_.width - score_left - score_right) * std::clamp(at.value / std::max(1e-9, score_.length.value), 0.0, 1.0);
  }
  bool every_bar_fits() const { return score_.bars.size() < 2 || x(score_.bars[1]) - x(score_.bars[0]) > 22; }

  void title() {
    canvas_.text(score_left, 22, score_.track, {.size = 18, .colour = ink, .bold = true});
    std::string about =
        score_.tempo.value > 0 ? fmt::format("{:g} bpm, {}/{}, ", score_.tempo.value, score_.metre, score_.unit) : "no tempo, ";
    about += fmt::format("{:.2f} s; stand '{}', group '{}'", score_.length.value, score_.stand, score_.group);
    canvas_.text(score_left, 44, about, {.size = 12, .colour = faint_ink});
  }

  void draw_ruler() {
    y_ = score_top;
    canvas_.text(score_left - 10, y_ + ruler / 2, score_.bars.empty() ? "seconds" : "bar",
                 {.colour = faint_ink, .align = Canvas::Align::right});
    if (score_.bars.empty()) {
      const double step = std::max(1.0, std::ceil(score_.length.value / 16));
      for (double at = 0; at <= score_.length.value; at += step)
        canvas_.text(x({at}), y_ + ruler / 2, fmt::format("{:g}", at), {.colour = faint_ink, .align = Canvas::Align::centre});
    }
    for (std::size_t bar = 0; bar + 1 < score_.bars.size(); ++bar)
      if (every_bar_fits() || bar % 4 == 0)
        canvas_.text(x(score_.bars[bar]) + 3, y_ + ruler / 2, fmt::format("{}", bar + 1), {.colour = faint_ink});
    y_ += ruler;
  }

  /// The colour of a part: neighbours differ.
  Colour colour_of(std::size_t part) const { return lane_colours[part % lane_colours.size()]; }

  void draw_parts() {
    if (score_.parts.empty()) return;
    canvas_.text(score_left - 10, y_ + part_height / 2, "parts", {.colour = faint_ink, .align = Canvas::Align::right});
    if (score_.first_beat > Seconds{}) {
      canvas_.rectangle(x({}), y_, x(score_.first_beat) - x({}), part_height, band);
      canvas_.text(x({}) + 4, y_ + part_height / 2, "pick-up", {.colour = faint_ink, .most_width = x(score_.first_beat) - x({}) - 6});
    }
    for (std::size_t i = 0; i < score_.parts.size(); ++i) {
      const ScorePart& part = score_.parts[i];
      const double from = x(part.from), to = x(part.to);
      canvas_.rectangle(from, y_, to - from - 1, part_height, colour_of(i));
      const std::string text = fmt::format("{}: {} bar{}{}", part.name, part.bars, part.bars == 1 ? "" : "s",
                                           part.loop     ? ", goes round"
                                           : part.ending ? ", the ending"
                                                         : "");
      const Colour its = i % 2 == 0 ? paper : ink;
      canvas_.text(from + 6, y_ + part_height / 2, text, {.size = 12, .colour = its, .bold = true, .most_width = to - from - 12});
    }
    y_ += part_height + below_part;
  }

  void draw_bars(double from, double to) {
    for (std::size_t bar = 0; bar < score_.bars.size(); ++bar)
      if (every_bar_fits() || bar % 4 == 0) canvas_.line(x(score_.bars[bar]), from, x(score_.bars[bar]), to, grid, 1);
    for (const ScorePart& part : score_.parts) canvas_.line(x(part.from), from, x(part.from), to, faint_ink, 1);
  }

  void draw_stems() {
    const double changes = static_cast<double>(score_.changes.size()) * change_height + 60;
    const double room = (size_.height - y_ - changes) / static_cast<double>(std::max<std::size_t>(1, score_.stems.size())) - below_part;
    const double height = std::clamp(room, least_stem, most_stem);
    float peak = 1e-3F;
    for (const ScoreStem& stem : score_.stems)
      peak = std::max(
          {peak, -*std::min_element(stem.lowest.begin(), stem.lowest.end()), *std::max_element(stem.highest.begin(), stem.highest.end())});
    for (const ScoreStem& stem : score_.stems) {
      canvas_.rectangle(score_left, y_, size_.width - score_left - score_right, height, band);
      draw_bars(y_, y_ + height);
      const bool named = !stem.name.empty();
      canvas_.text(score_left - 10, y_ + height / 2 - (stem.follows.empty() ? 0 : 8), named ? stem.name : stem.clip,
                   {.size = 12, .colour = ink, .bold = named, .align = Canvas::Align::right, .most_width = score_left - 20});
      if (!stem.follows.empty())
        canvas_.text(score_left - 10, y_ + height / 2 + 10, fmt::format("follows {}", fmt::join(stem.follows, ", ")),
                     {.colour = faint_ink, .align = Canvas::Align::right, .most_width = score_left - 20});
      const double middle = y_ + height / 2, scale = (height / 2 - 2) / static_cast<double>(peak);
      const double width = (size_.width - score_left - score_right) / static_cast<double>(stem.lowest.size());
      for (std::size_t i = 0; i < stem.lowest.size(); ++i) {
        const double at = score_left + width * (static_cast<double>(i) + 0.5);
        cairo_move_to(canvas_.cairo(), at, middle - static_cast<double>(stem.highest[i]) * scale - 0.4);
        cairo_line_to(canvas_.cairo(), at, middle - static_cast<double>(stem.lowest[i]) * scale + 0.4);
      }
      canvas_.stroke(water, std::max(1.0, width));
      for (const ScorePart& part : score_.parts) canvas_.line(x(part.from), y_, x(part.from), y_ + height, ink, 1);
      y_ += height + below_part;
    }
  }

  /// Returns the end of the last part that is heard before the track is left.
  Seconds last_place() const {
    Seconds last = score_.parts.empty() ? score_.length : Seconds{};
    for (const ScorePart& part : score_.parts)
      if (!part.ending) last = part.to;
    return last;
  }

  void draw_changes() {
    if (score_.changes.empty()) {
      canvas_.text(score_left, y_ + 14, "no other track has this stand", {.size = 12, .colour = faint_ink});
      return;
    }
    for (std::size_t i = 0; i < score_.changes.size() && y_ + change_height < size_.height; ++i) {
      const ScoreChange& change = score_.changes[i];
      const bool leaves = change.from == score_.track;
      const double middle = y_ + 10;
      canvas_.text(score_left - 10, middle, fmt::format("{} {}", leaves ? "to" : "from", leaves ? change.to : change.from),
                   {.size = 12, .colour = ink, .bold = true, .align = Canvas::Align::right, .most_width = score_left - 20});
      if (leaves) {
        canvas_.line(score_left, middle, x(last_place()), middle, change.on == On::now ? water : grid, change.on == On::now ? 3 : 1);
        for (const Seconds at : change.at) canvas_.rectangle(x(at) - 1.5, middle - 6, 3, 12, lane_colours[1]);
        canvas_.text(score_left, middle + 13, change.how, {.colour = faint_ink});
      } else {
        canvas_.text(score_left, middle, change.how, {.size = 12, .colour = faint_ink});
      }
      y_ += leaves ? change_height : 20;
    }
  }

  const Score& score_;
  PictureSize size_;
  Canvas canvas_;
  double y_ = 0;
};

}  // namespace

void draw_score(const Score& score, const std::string& path, PictureSize size) { ScoreDrawing(score, path, size).draw(); }

}  // namespace tidewater
