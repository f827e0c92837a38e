#pragma once
#include <cmath>

#include "tidewater/gauge.hpp"

namespace tidewater {

/// Values of a gauge as they are kept: within its range, to a few thousandths of it. Without a branch, so that many are held at once.
template <class Number>
class HeldTo {
 public:
  explicit HeldTo(const GaugeDesign& design) : from_(static_cast<Number>(design.from)), to_(static_cast<Number>(design.to)) {
    const double range = design.to - design.from;
    const double unit = std::ldexp(1.0, range > 0 ? std::ilogb(range) - fineness : 0);
    unit_ = static_cast<Number>(unit);
    parts_ = static_cast<Number>(1 / unit);
  }

  /// What is not a number stays so.
  Number operator()(Number value) const {
    // What is added and taken away again leaves no bits below the point.
    constexpr Number shift = sizeof(Number) == 4 ? Number(0x1.8p23) : Number(0x1.8p52);
    const Number above = value < from_ ? from_ : value;
    const Number within = above > to_ ? to_ : above;
    const Number whole = ((within - from_) * parts_ + shift) - shift;
    const Number held = from_ + whole * unit_;
    return held > to_ ? to_ : held;
  }

 private:
  static constexpr int fineness = 12;        // bits
  Number from_, to_, unit_ = 1, parts_ = 1;  // a power of two, and its inverse: exact
};

}  // namespace tidewater
