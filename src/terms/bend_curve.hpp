#pragma once
#include <vector>

#include "terms/level.hpp"
#include "tidewater/gauge.hpp"

namespace tidewater {

/// A curve of the book's, ready to be asked. The same on every machine.
///
/// Levels go evenly in decibels, and to and from silence in amplitude; frequencies go evenly in octaves. Smooth ones are cubic, with the
/// slopes of Fritsch and Carlson (SIAM J. Numer. Anal. 17, 1980): between two points a curve never leaves what they say.
class BendCurve {
 public:
  BendCurve(const CurveDesign& design, Between between);

  Bends bends() const { return bends_; }
  /// In the unit of what it bends.
  double at(double gauge) const;
  /// The most that it ever is.
  double most() const;

 private:
  struct Point {
    double at, value, slope;
  };
  double between(const Point& a, const Point& b, double gauge) const;
  double out(double value) const;

  Bends bends_;
  Between between_;
  std::vector<Point> points_;
};

}  // namespace tidewater
