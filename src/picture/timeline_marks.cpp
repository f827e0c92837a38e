#include "picture/timeline_marks.hpp"

#include <algorithm>
#include <map>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double row_height = 16;
constexpr double gap = 12;
constexpr double not_again_within = 160;  // pixels, of the same label

struct Label {
  double x, y, width;
  const Mark* mark;
};

/// Places labels on rows so that none lies on another.
class Labels {
 public:
  Labels(Canvas& canvas, const Strip& strip) : canvas_(canvas), strip_(strip) {
    rows_.resize(static_cast<std::size_t>(std::max(1.0, (strip.foot - strip.top - 14) / row_height)));
  }

  void place(const Mark& mark, double x) {
    for (const auto& row : rows_)
      for (const Label& other : row)
        if (other.mark->label == mark.label && std::abs(other.x - x) < other.width + not_again_within) return;
    const double width = canvas_.text_width(mark.label, {10});
    if (x + width + 6 > strip_.right) x = strip_.right - width - 6;
    for (std::size_t row = 0; row < rows_.size(); ++row) {
      const bool free = std::none_of(rows_[row].begin(), rows_[row].end(),
                                     [&](const Label& other) { return x < other.x + other.width + gap && other.x < x + width + gap; });
      if (!free) continue;
      rows_[row].push_back({x, strip_.top + 10 + row_height * static_cast<double>(row), width, &mark});
      return;
    }
  }

  /// How far up the stem of a mark goes.
  double stem_top(const Mark& mark, double standard) const {
    for (const auto& row : rows_)
      for (const Label& label : row)
        if (label.mark == &mark) return label.y - 6;
    return standard;
  }

  /// Over the stems, which would strike them out.
  void draw() {
    for (const auto& row : rows_)
      for (const Label& label : row) {
        canvas_.rectangle(label.x + 1.5, label.y - 6, label.width + 3, 13, paper);
        canvas_.text(label.x + 3, label.y, label.mark->label, {10, label.mark->refused ? alarm : ink});
      }
  }

 private:
  Canvas& canvas_;
  const Strip& strip_;
  std::vector<std::vector<Label>> rows_;
};

}  // namespace

void draw_cross(Canvas& canvas, double x, double y) {
  canvas.line(x - 3.5, y - 3.5, x + 3.5, y + 3.5, alarm, 1.8);
  canvas.line(x - 3.5, y + 3.5, x + 3.5, y - 3.5, alarm, 1.8);
}

void draw_lozenge(Canvas& canvas, double x, double y) {
  constexpr double half = 3.2;
  canvas.line(x - half, y, x, y - half, ink, 1);
  canvas.line(x, y - half, x + half, y, ink, 1);
  canvas.line(x + half, y, x, y + half, ink, 1);
  canvas.line(x, y + half, x - half, y, ink, 1);
}

void draw_marks(Canvas& canvas, const std::vector<Mark>& marks, const Strip& strip, const std::function<double(std::int64_t)>& x_of) {
  Labels labels(canvas, strip);
  for (const bool refused : {true, false})
    for (const Mark& mark : marks)
      if (mark.refused == refused) labels.place(mark, x_of(mark.at));
  const double foot = strip.foot - 4;
  for (const Mark& mark : marks) {
    const double x = x_of(mark.at);
    canvas.line(x, labels.stem_top(mark, foot - 8), x, foot, mark.refused ? alarm : ink, mark.refused ? 1.4 : 0.8);
    if (mark.refused)
      draw_cross(canvas, x, foot - 1);
    else if (mark.held)
      draw_lozenge(canvas, x, foot - 1);
  }
  labels.draw();
}

}  // namespace tidewater
