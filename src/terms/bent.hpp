#pragma once
#include <algorithm>

#include "tidewater/units.hpp"

namespace tidewater {

/// The changes that gauges make to a layer.
struct Bent {
  Decibels gain;
  Semitones pitch;
  Hertz low_pass, high_pass;  ///< 0 for none
  friend bool operator==(const Bent&, const Bent&) = default;

  /// The lower of two low-passes, or the one that there is.
  static Hertz lower(Hertz a, Hertz b) { return a.value == 0 || b.value == 0 ? std::max(a, b) : std::min(a, b); }
};

}  // namespace tidewater
