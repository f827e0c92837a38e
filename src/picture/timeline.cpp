#include "tidewater/picture/timeline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "picture/palette.hpp"
#include "picture/timeline_bars.hpp"
#include "picture/timeline_layout.hpp"
#include "picture/timeline_marks.hpp"

namespace tidewater {
namespace {

constexpr double margin = 16;
constexpr double names_width = 178;
constexpr double title_height = 44;
constexpr double marks_height = 62;
constexpr double least_wave_height = 96;
constexpr double most_wave_height = 440;
constexpr double most_slot = 36;
constexpr double lane_gap = 5;
constexpr double axis_height = 22;
constexpr double scope_height = 15;
constexpr double reason_line = 16;
constexpr double legend_height = 22;
constexpr std::size_t most_reasons = 6;

/// The output's extremes over a few frames: all that a waveform needs, however long it is.
struct Column {
  float low = 0;
  float high = 0;

  void take(const Column& other) {
    low = std::min(low, other.low);
    high = std::max(high, other.high);
  }
};
constexpr std::int64_t frames_per_column = 8;

double nice_step(double length, double most) {
  for (const double step : {0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0})
    if (length / step <= most) return step;
  return length;
}

std::string time_text(double at, double step) {
  return step < 1    ? fmt::format("{:.2f} s", at)
         : at >= 120 ? fmt::format("{}:{:02}", static_cast<int>(at) / 60, static_cast<int>(at) % 60)
                     : fmt::format("{:.0f} s", at);
}

/// Draws one timeline; every member draws one strip and moves `y_` below it.
class Drawing {
 public:
  Drawing(Canvas& canvas, PictureSize size, TimelineFacts facts, const std::vector<Column>& output, std::int64_t end, Hertz rate,
          bool brief = false)
      : canvas_(canvas),
        size_(size),
        facts_(std::move(facts)),
        output_(output),
        rate_(rate),
        end_(end),
        lanes_(facts_.lanes(end_)),
        left_(margin + names_width),
        right_(size.width - margin),
        brief_(brief),
        bars_{canvas, [this](std::int64_t frame) { return x_of(frame); }} {
    if (brief) facts_.unheard.clear();
    for (const Lane& lane : lanes_)
      for (const Row& row : lane.rows)
        for (const Bar* bar : row.bars) bars_.widest_pitch = std::max(bars_.widest_pitch, std::abs(bar->pitch.value));
  }

  void draw(const std::string& title) {
    draw_title(title);
    const double marks_top = y_;
    y_ += marks_height + changes_height();
    const double below = axis_height + (brief_ ? 0 : legend_height) + unheard_height() + margin;
    const double lanes_bottom = size_.height - below;
    draw_grid(marks_top, lanes_bottom);
    draw_strip("events", facts_.marks, marks_top, marks_height);
    if (!facts_.changes.empty()) draw_strip("levels", facts_.changes, marks_top + marks_height, changes_height());
    draw_scopes();
    // What few rows leave free goes to the waveform.
    const double lanes_height = most_slot * slots() + lane_gap * static_cast<double>(lanes_.size());
    draw_wave(std::clamp(lanes_bottom - y_ - lanes_height, least_wave_height, most_wave_height));
    draw_lanes(lanes_bottom);
    y_ = lanes_bottom;
    draw_axis();
    draw_unheard();
    if (!brief_) draw_legend();
  }

 private:
  double x_of(std::int64_t frame) const {
    return left_ + (right_ - left_) * static_cast<double>(std::clamp<std::int64_t>(frame, 0, end_)) /
                       static_cast<double>(std::max<std::int64_t>(1, end_));
  }
  double changes_height() const { return facts_.changes.empty() ? 0 : marks_height; }
  void draw_strip(const char* title, const std::vector<Mark>& marks, double top, double height) {
    canvas_.text(margin, top + 12, title, {11, ink, true});
    draw_marks(canvas_, marks, {left_, right_ + margin, top, top + height}, [&](std::int64_t frame) { return x_of(frame); });
  }
  double length() const { return static_cast<double>(end_) / rate_.value; }
  double unheard_height() const {
    if (facts_.unheard.empty()) return 0;
    return 8 + reason_line * static_cast<double>(std::min(most_reasons, facts_.unheard.size()) + remaining().size());
  }

  void draw_title(const std::string& title) {
    canvas_.text(margin, 22, title, {17, ink, true});
    Column whole;
    for (const Column& column : output_) whole.take(column);
    const float peak = std::max(whole.high, -whole.low);
    const std::string level = peak > 0 ? fmt::format("{:.1f} dBFS", decibels(static_cast<double>(peak)).value) : "silence";
    canvas_.text(
        right_, 22,
        fmt::format("{:.1f} s at {:.0f} Hz, seed {}, {} voices, peak {}", length(), rate_.value, facts_.seed, facts_.voices, level),
        {11, faint_ink, false, Canvas::Align::right});
    y_ = title_height;
  }

  void draw_grid(double top, double bottom) {
    const double step = nice_step(length(), 14);
    for (int i = 0; i * step <= length(); ++i) {
      const double x = std::round(x_of(frames({i * step}, rate_).value)) + 0.5;
      canvas_.line(x, top, x, bottom, grid);
    }
  }

  int slots() const {
    int sum = 0;
    for (const Lane& lane : lanes_) sum += lane.slots;
    return sum;
  }

  /// One line for each scope that was paused or changed its speed.
  void draw_scopes() {
    if (facts_.scopes.empty()) return;
    canvas_.text(margin, y_ + scope_height / 2, "scopes", {11, ink, true});
    for (const auto& [scope, spans] : facts_.scopes) {
      const double middle = y_ + scope_height / 2;
      canvas_.text(left_ - 6, middle, scope, {10, ink, false, Canvas::Align::right, 90});
      canvas_.line(left_, middle, right_, middle, grid);
      for (const ScopeSpan& its : spans) {
        const double from = x_of(its.from), width = std::max(2.0, x_of(its.to) - from);
        const Colour colour = its.paused ? ink : water;
        canvas_.rectangle(from, y_ + 1, width, scope_height - 2, {colour.red, colour.green, colour.blue, its.paused ? 0.85 : 0.55});
        const Canvas::TextStyle inside{9, its.paused ? paper : ink}, beside{9, ink};
        if (canvas_.text_width(its.text, inside) + 4 < width)
          canvas_.text(from + 3, middle, its.text, inside);
        else
          canvas_.text(from + width + 3, middle, its.text, beside);
      }
      y_ += scope_height;
    }
    y_ += 4;
  }

  void draw_wave(double wave_height) {
    const double middle = y_ + wave_height / 2;
    canvas_.text(margin, middle, "output", {11, ink, true});
    // The strip's edge is the next level of 6 dB steps above the peak.
    Column whole;
    for (const Column& column : output_) whole.take(column);
    const double peak = static_cast<double>(std::max(whole.high, -whole.low));
    const double edge = std::clamp(std::ceil(decibels(peak).value / 6) * 6, -36.0, 0.0) + 0.0;  // never -0
    const double half = (wave_height / 2 - 4) / amplitude({edge});
    for (const double level : {edge, edge - 6}) {
      const double reach = half * amplitude({level});
      for (const double sign : {-1.0, 1.0}) canvas_.line(left_, middle + sign * reach, right_, middle + sign * reach, grid, 0.8);
      canvas_.text(left_ - 6, middle - reach, fmt::format("{:.0f} dB", level), {9, faint_ink, false, Canvas::Align::right});
    }
    const auto columns = static_cast<std::int64_t>(right_ - left_);
    for (std::int64_t c = 0; c < columns && end_ > 0; ++c) {
      const Column column = column_of(c * end_ / columns, std::max((c + 1) * end_ / columns, c * end_ / columns + 1));
      const double x = left_ + static_cast<double>(c) + 0.5;
      const bool over = column.high > 1 || column.low < -1;
      const double most = 1.05 * amplitude({edge});
      const double high = std::min(most, static_cast<double>(column.high));
      const double low = std::max(-most, static_cast<double>(column.low));
      canvas_.line(x, middle - half * high - 0.4, x, middle - half * low + 0.4, over ? alarm : water);
    }
    y_ += wave_height + 6;
  }

  Column column_of(std::int64_t from, std::int64_t to) const {
    Column column;
    const std::int64_t last = std::min(static_cast<std::int64_t>(output_.size()) - 1, (to - 1) / frames_per_column);
    for (std::int64_t i = from / frames_per_column; i <= last; ++i) column.take(output_[static_cast<std::size_t>(i)]);
    return column;
  }

  void draw_lanes(double bottom) {
    if (lanes_.empty()) {
      canvas_.text((left_ + right_) / 2, (y_ + bottom) / 2, "no sound was started", {13, faint_ink, false, Canvas::Align::centre});
      return;
    }
    const double room = bottom - y_ - lane_gap * static_cast<double>(lanes_.size());
    const double slot = std::min(most_slot, room / slots());
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
      const Lane& lane = lanes_[i];
      const Colour colour = lane_colours[i % lane_colours.size()];
      const double height = slot * lane.slots;
      canvas_.rectangle(margin, y_, right_ - margin, height, {band.red, band.green, band.blue, 0.75});
      canvas_.rectangle(margin, y_, 4, height, colour);
      canvas_.text(margin + 10, y_ + std::min(slot, height) / 2, lane.group, {11, ink, true, Canvas::Align::left, 74});
      for (const Row& row : lane.rows) {
        canvas_.text(left_ - 6, y_ + slot * row.slots / 2, row.sound, {std::min(11.0, slot * 0.9), ink, false, Canvas::Align::right, 90});
        for (const Bar* bar : row.bars) bars_.draw(*bar, y_ + slot * bar->slot, slot, colour);
        y_ += slot * row.slots;
      }
      draw_ducked(lane.group, y_ - height, height);
      for (const auto* group : {"master", lane.group.c_str()})
        if (lane.group != "master" || group == lane.group.c_str()) draw_muted(group, y_ - height, height);
      y_ += lane_gap;
    }
  }

  /// A line through the lane: at its top where nothing ducks the group, at its foot where a duck takes 12 dB away.
  void draw_ducked(std::string_view group, double top, double height) {
    const auto points = facts_.ducked.find(group);
    if (points == facts_.ducked.end()) return;
    constexpr double foot = 12;
    cairo_t* cairo = canvas_.cairo();
    double y = top + 1;
    cairo_move_to(cairo, x_of(0), y);
    for (const auto& [at, depth] : points->second) {
      const double x = x_of(at);
      cairo_line_to(cairo, x, y);
      y = top + 1 + (height - 2) * std::min(1.0, -depth / foot);
      cairo_line_to(cairo, x, y);
    }
    cairo_line_to(cairo, right_, y);
    canvas_.stroke({ink.red, ink.green, ink.blue, 0.55}, 1.2);
    any_duck_ = true;
  }

  /// Over what nobody hears.
  void draw_muted(const std::string& group, double top, double height) {
    const auto spans = facts_.muted.find(group);
    if (spans == facts_.muted.end()) return;
    for (const auto& [from, to] : spans->second) {
      const double x = x_of(from);
      canvas_.rectangle(x, top, x_of(to) - x, height, {paper.red, paper.green, paper.blue, 0.7});
      if (x_of(to) - x > 60) canvas_.text(x + 6, top + height / 2, "muted", {10, faint_ink});
    }
  }

  void draw_axis() {
    const double step = nice_step(length(), 14);
    canvas_.line(left_, y_, right_, y_, ink);
    for (int i = 0; i * step <= length() + 1e-9; ++i) {
      const double x = x_of(frames({i * step}, rate_).value);
      canvas_.line(x, y_, x, y_ + 4, ink);
      canvas_.text(x, y_ + 12, time_text(i * step, step),
                   {10, ink, false,
                    i == 0            ? Canvas::Align::left
                    : x > right_ - 20 ? Canvas::Align::right
                                      : Canvas::Align::centre});
    }
    y_ += axis_height;
  }

  /// The events behind the reasons that have no line of their own, by name, in up to three lines.
  std::vector<std::string> remaining() const {
    constexpr std::size_t most_lines = 3;
    if (facts_.unheard.size() <= most_reasons) return {};
    const std::size_t reasons = facts_.unheard.size() - most_reasons;
    std::vector<std::string> events, lines = {fmt::format("and for {} more reason{}: ", reasons, reasons == 1 ? "" : "s")};
    for (std::size_t i = most_reasons; i < facts_.unheard.size(); ++i)
      if (std::find(events.begin(), events.end(), facts_.unheard[i].event) == events.end()) events.push_back(facts_.unheard[i].event);
    for (std::size_t i = 0; i < events.size(); ++i) {
      const std::string word = (events[i].empty() ? "requests" : events[i]) + (i + 1 < events.size() ? ", " : "");
      if (canvas_.text_width(lines.back() + word, {10}) > right_ - left_ - 150) {
        if (lines.size() == most_lines) {
          lines.back() += fmt::format("and {} more; the journal has them all", events.size() - i);
          break;
        }
        lines.emplace_back();
      }
      lines.back() += word;
    }
    return lines;
  }

  void draw_unheard() {
    if (facts_.unheard.empty()) return;
    y_ += 4;
    canvas_.text(margin, y_ + reason_line / 2, "not heard", {11, facts_.unheard.front().held ? ink : alarm, true});
    for (std::size_t i = 0; i < facts_.unheard.size(); ++i) {
      const double middle = y_ + reason_line / 2;
      if (i == most_reasons) {
        for (const std::string& line : remaining()) {
          canvas_.text(left_, y_ + reason_line / 2, line, {10, ink});
          y_ += reason_line;
        }
        break;
      }
      const Unheard& reason = facts_.unheard[i];
      std::string when;
      for (std::size_t k = 0; k < std::min<std::size_t>(3, reason.at.size()); ++k)
        when += fmt::format("{}{:.2f} s", k == 0 ? "" : ", ", seconds({reason.at[k]}, rate_).value);
      if (reason.at.size() > 3) when += fmt::format(" and {} more", reason.at.size() - 3);
      if (reason.held)
        draw_lozenge(canvas_, left_ - 10, middle);
      else
        draw_cross(canvas_, left_ - 10, middle);
      canvas_.text(left_, middle, fmt::format("{}   {}", when, reason.text), {10.5, ink, false, Canvas::Align::left, right_ - left_});
      y_ += reason_line;
    }
    y_ += 4;
  }

  void draw_legend() {
    const double middle = size_.height - margin;
    std::string text = fmt::format(
        "Bars: height is level (0 to {:.0f} dB), tapered where they fade, a bare line while dormant; light lines are bars of music. The "
        "line in a bar is its pitch, {:+.1f} to {:+.1f} st.",
        quietest_shown, -bars_.widest_pitch, bars_.widest_pitch);
    if (any_duck_) text += " Across a lane: ducked, 12 dB at its foot.";
    if (bars_.any_distance) text += " Metres: to the listener.";
    canvas_.text(margin, middle, text, {10, faint_ink});
  }

  Canvas& canvas_;
  PictureSize size_;
  TimelineFacts facts_;
  const std::vector<Column>& output_;
  Hertz rate_;
  std::int64_t end_;
  std::vector<Lane> lanes_;
  double left_;
  double right_;
  bool brief_;  ///< without reasons and legend
  BarDrawing bars_;
  double y_ = 0;
  bool any_duck_ = false;
};

}  // namespace

struct Timeline::State {
  Hertz rate;
  TimelineFacts facts;
  std::vector<Column> output;
  std::int64_t frames = 0;
};

Timeline::Timeline(Hertz rate) : state_(new State{rate, TimelineFacts(rate), {}, 0}) {}
Timeline::~Timeline() = default;

void Timeline::take(const JournalEntry& entry) { state_->facts.take(entry); }

void Timeline::take_duck(std::string_view group, Frames at, Decibels depth) {
  auto known = state_->facts.ducked.find(group);
  if (known == state_->facts.ducked.end()) {
    if (depth == Decibels{}) return;
    known = state_->facts.ducked.emplace(std::string(group), std::vector<std::pair<std::int64_t, double>>{{0, 0.0}}).first;
  }
  auto& points = known->second;
  if (points.back().second != depth.value) points.emplace_back(at.value, depth.value);
}

void Timeline::take(std::span<const float> samples) {
  for (std::size_t i = 0; i + 1 < samples.size(); i += 2, ++state_->frames) {
    if (state_->frames % frames_per_column == 0) state_->output.emplace_back();
    state_->output.back().take({std::min(samples[i], samples[i + 1]), std::max(samples[i], samples[i + 1])});
  }
}

void Timeline::draw(const std::string& path, const std::string& title, PictureSize size) const {
  Canvas canvas(path, size.width, size.height, paper);
  Drawing(canvas, size, state_->facts, state_->output, state_->frames, state_->rate).draw(title);
  canvas.save();
}

void draw_both(const std::string& path, const std::array<std::string, 2>& titles, const std::array<const Timeline*, 2>& timelines,
               const std::vector<std::string>& differences, PictureSize size) {
  constexpr double line = 16, column = 300;
  constexpr std::size_t most_lines = 6;
  const auto columns = static_cast<std::size_t>(std::max(1.0, (size.width - 2 * margin) / column));
  const std::size_t shown = std::min(differences.size(), most_lines * columns), lines = std::min(shown, most_lines);
  const double foot = 24 + line * static_cast<double>(lines), half = (size.height - foot) / 2;
  Canvas canvas(path, size.width, size.height, paper);
  for (std::size_t v = 0; v < 2; ++v) {
    cairo_save(canvas.cairo());
    cairo_translate(canvas.cairo(), 0, static_cast<double>(v) * half);
    const Timeline::State& its = *timelines[v]->state_;
    Drawing(canvas, {size.width, half}, its.facts, its.output, its.frames, its.rate, true).draw(titles[v]);
    cairo_restore(canvas.cairo());
    canvas.line(0, half * static_cast<double>(v + 1), size.width, half * static_cast<double>(v + 1), ink);
  }
  for (std::size_t i = 0; i < shown; ++i) {
    const std::string text =
        i + 1 == shown && shown < differences.size() ? fmt::format("and {} more", differences.size() - i) : differences[i];
    const std::size_t across = i / most_lines;
    canvas.text(margin + column * static_cast<double>(across), 2 * half + 14 + line * static_cast<double>(i % most_lines), text,
                {11, ink, false, Canvas::Align::left, column - 12});
  }
  canvas.save();
}

}  // namespace tidewater
