#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <utility>

#include "base/frame.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// Looks whether a game renders, updates, and tells its time in the right unit. Each fault is told once.
class Watch {
 public:
  /// In each update. True once where a second of game time passed without a frame though something plays.
  bool stands_still(MixFrame clock, Seconds elapsed, bool plays) {
    // A game that passes milliseconds as seconds gets its own notice, not the one about a game that does not render.
    const Seconds its{std::isnan(elapsed.value) ? 0 : std::clamp(elapsed.value, 0.0, longest_frame.value)};
    unrendered_ = clock == last_clock_ ? unrendered_ + its : Seconds{};
    if (clock != last_clock_) told_ = false;
    last_clock_ = clock;
    if (unrendered_ < patience || !plays || told_) return false;
    return told_ = true;
  }

  struct Fast {
    Seconds game, rendered;
  };
  /// In each update, after `stands_still`. Once, if a second was rendered in which game time ran more than ten times as fast.
  /// Updates between which nothing was rendered do not count: a device may stand still.
  std::optional<Fast> runs_fast(MixFrame clock, Seconds elapsed, Hertz rate) {
    constexpr double times = 10;
    if (clock == fast_clock_ || std::isnan(elapsed.value)) return std::nullopt;
    const Fast now{fast_.game + elapsed, fast_.rendered + seconds({clock - std::exchange(fast_clock_, clock)}, rate)};
    fast_ = now.rendered < patience ? now : Fast{};
    if (now.rendered < patience || now.game.value <= times * now.rendered.value || told_fast_) return std::nullopt;
    told_fast_ = true;
    return now;
  }

  /// An update came.
  void updates(MixFrame clock) { updated_ = clock; }
  /// With each request. Once, for how long nothing has called `update`, if a second was rendered meanwhile.
  std::optional<Seconds> goes_without_updates(MixFrame clock, Hertz rate) {
    if (told_unupdated_ || clock - updated_ < static_cast<std::int64_t>(rate.value * patience.value)) return std::nullopt;
    const Seconds without = seconds({clock - updated_}, rate);
    if (without < patience) return std::nullopt;
    told_unupdated_ = true;
    return without;
  }

  /// Once: whatever made samples that are no numbers will make more.
  bool is_first_broken() { return !std::exchange(told_broken_, true); }

 private:
  static constexpr Seconds patience{1}, longest_frame{0.25};

  MixFrame last_clock_, fast_clock_, updated_;
  Seconds unrendered_;
  Fast fast_;
  bool told_ = false, told_fast_ = false, told_unupdated_ = false, told_broken_ = false;
};

}  // namespace tidewater
