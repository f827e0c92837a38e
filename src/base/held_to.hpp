#pragma once
#include <algorithm>
#include <cmath>

#include "base/rounded.hpp"
#include "tidewater/gauge.hpp"

namespace tidewater {

/// Values of a gauge as they are kept: within its range, to a few thousandths of it.
class HeldTo {
 public:
  explicit HeldTo(const GaugeDesign& design)
      : from_(design.from),
        to_(design.to),
        unit_(std::ldexp(1.0, to_ > from_ ? std::ilogb(to_ - from_) - fineness : 0)),
        parts_(1 / unit_) {}

  double operator()(double value) const {
    return std::clamp(static_cast<double>(rounded(std::clamp(value, from_, to_) * parts_)) * unit_, from_, to_);
  }

 private:
  static constexpr int fineness = 12;  // bits
  double from_, to_, unit_, parts_;    // a power of two, and its inverse: exact
};

}  // namespace tidewater
