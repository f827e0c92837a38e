#pragma once
/// Taps: what each sound and each group adds to a mix, for tools. In the library `tidewater_journal`.
///
///     tap(manager, {.sound = [&](const TappedSound& its) { meters[its.sound].add(its.left, its.right); }});
///     replay(script, bank, manager, take);
///
/// For a manager with `offline`, before anything renders. The samples of the mix are the same with and without a tap.

#include <functional>
#include <span>
#include <string_view>

#include "tidewater/export.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// A piece of what one layer of a playback has added to its group. Frames count from the first that `render` hands out.
struct TappedSound {
  std::string_view sound, group;
  PlaybackId playback;
  Frames from;
  std::span<const float> left, right;  ///< the front pair
};

/// A piece of what a group has added to the group above it, after its own level; of the master, to the output before the limiter.
struct TappedGroup {
  std::string_view group, parent;  ///< the master has no parent
  double above = 1;                ///< amplitude of all groups above it but the master, as they are set
  double own = 1;                  ///< amplitude of the group's own level as it is set
  Decibels ducked;                 ///< what its ducks take away at the end of the piece
  Frames from;
  std::span<const float> left, right;
};

struct Taps {
  std::function<void(const TappedSound&)> sound = {};
  std::function<void(const TappedGroup&)> group = {};
};

/// The functions are called by `render`, on its thread.
void tap(SoundManager& manager, Taps taps);

}  // namespace tidewater
