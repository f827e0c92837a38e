#pragma once
#include <algorithm>
#include <compare>
#include <cstdint>
#include <limits>
#include <vector>

#include "base/rounded.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// A level as decisions use it: in whole hundredths of a decibel, so that every machine decides alike. Below -120 dB it is inaudible and
/// counts for nothing.
class Level {
 public:
  constexpr Level() = default;
  explicit Level(Decibels level) : hundredths_(level.value > least ? static_cast<int>(rounded(std::min(level.value, most) * 100)) : none) {}

  static constexpr int faintest = -12000;  ///< hundredths of a decibel
  bool audible() const { return hundredths_ > faintest; }
  int hundredths() const { return hundredths_; }
  /// Above all that sounds.
  static Level out_of_reach() { return Level(Decibels{1000}); }

  /// Hundredths of a decibel.
  struct Step {
    int value = 0;
  };
  friend constexpr Level operator+(Level a, Step step) {
    if (a.hundredths_ != none) a.hundredths_ += step.value;
    return a;
  }
  friend constexpr auto operator<=>(Level, Level) = default;
  friend constexpr Level operator+(Level a, Level b) {
    Level sum;
    sum.hundredths_ = a.hundredths_ == none || b.hundredths_ == none ? none : a.hundredths_ + b.hundredths_;
    return sum;
  }

 private:
  static constexpr int none = std::numeric_limits<int>::min();
  static constexpr double least = -10000, most = 10000;  // dB: sums of a dozen fit

  int hundredths_ = none;
};

/// The level at which something is heard. Decisions add its parts up here and nowhere else.
/// `own` is its level with all that was drawn, turned and bent; `group` what its volume group lets through; `from` what its place in the
/// world leaves of it: 0 dB on the screen.
inline Level heard_level(Level own, Level group, Level from = Level(Decibels{})) { return own + group + from; }

/// The level of each volume group with all groups above it, by the group's number.
struct GroupLevels {
  std::vector<Level> heard;
  std::uint64_t changes = 0;  ///< how often one of them changed
};

}  // namespace tidewater
