#include "terms/bend_curve.hpp"

#include <algorithm>
#include <cmath>

#include "base/exact.hpp"

namespace tidewater {
namespace {

/// What a filter that is to be none is on the way there.
constexpr double open_low_pass = 20'000, open_high_pass = 10;  // hertz

bool filters(Bends bends) { return bends == Bends::low_pass || bends == Bends::high_pass; }
double when_none(Bends bends) { return exact::log2(bends == Bends::low_pass ? open_low_pass : open_high_pass); }

}  // namespace

BendCurve::BendCurve(const CurveDesign& design, Between between) : bends_(design.bends), between_(between) {
  for (const CurvePoint& point : design.points) {
    const bool none = filters(bends_) && point.value <= 0;
    const double value = !filters(bends_) ? point.value : none ? when_none(bends_) : exact::log2(point.value);
    points_.push_back({point.gauge, value, 0});
  }
  if (points_.empty()) points_.push_back({0, filters(bends_) ? when_none(bends_) : 0, 0});
  // Of neighbours that rise alike, the weighted harmonic mean of their slopes; flat at a summit and at the ends.
  for (std::size_t i = 1; i + 1 < points_.size(); ++i) {
    const Point &before = points_[i - 1], &its = points_[i], &after = points_[i + 1];
    const double h = its.at - before.at, k = after.at - its.at;
    const double left = (its.value - before.value) / h, right = (after.value - its.value) / k;
    if (left * right > 0 && std::isfinite(left) && std::isfinite(right))
      points_[i].slope = 3 * (h + k) / ((2 * k + h) / left + (2 * h + k) / right);
  }
}

double BendCurve::between(const Point& a, const Point& b, double gauge) const {
  const double width = b.at - a.at, part = width > 0 ? (gauge - a.at) / width : 1;
  const double eased = between_ == Between::smooth ? part * part * (3 - 2 * part) : part;
  if (bends_ == Bends::gain && (std::isinf(a.value) || std::isinf(b.value)))
    return decibels(amplitude({a.value}) * (1 - eased) + amplitude({b.value}) * eased).value;
  if (between_ == Between::linear) return a.value + (b.value - a.value) * part;
  const double left = 1 - part;
  return a.value * left * left * (1 + 2 * part) + b.value * eased + width * part * left * (a.slope * left - b.slope * part);
}

double BendCurve::out(double value) const {
  if (!filters(bends_)) return value;
  const bool none = bends_ == Bends::low_pass ? value >= when_none(bends_) : value <= when_none(bends_);
  return none ? 0 : exact::exp2(value);
}

double BendCurve::at(double gauge) const {
  const auto after = std::find_if(points_.begin(), points_.end(), [&](const Point& point) { return point.at > gauge; });
  if (after == points_.begin()) return out(after->value);
  if (after == points_.end() || between_ == Between::step) return out((after - 1)->value);
  return out(between(*(after - 1), *after, gauge));
}

double BendCurve::most() const {
  return out(std::max_element(points_.begin(), points_.end(), [](const Point& a, const Point& b) { return a.value < b.value; })->value);
}

}  // namespace tidewater
