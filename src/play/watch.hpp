#pragma once
#include <cmath>
#include <cstdint>
#include <utility>

#include "tidewater/units.hpp"

namespace tidewater {

/// Looks whether anything renders while the game's time passes.
class Watch {
 public:
  /// In each update. True once where a second of game time passed without a frame though something plays.
  bool stands_still(std::int64_t clock, Seconds elapsed, bool plays) {
    constexpr Seconds patience{1};
    if (std::isnan(elapsed.value)) elapsed = {};  // a game's own clock that is broken stops no sound
    unrendered_ = clock == last_clock_ ? unrendered_ + elapsed : Seconds{};
    if (clock != last_clock_) told_ = false;
    last_clock_ = clock;
    if (unrendered_ < patience || !plays || told_) return false;
    return told_ = true;
  }
  /// Once: whatever made samples that are no numbers will make more.
  bool is_first_broken() { return !std::exchange(told_broken_, true); }

 private:
  std::int64_t last_clock_ = 0;
  Seconds unrendered_;
  bool told_ = false;
  bool told_broken_ = false;
};

}  // namespace tidewater
