#pragma once
#include <optional>

#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Samples that play to their end once, and from there on go round from `loop_from`; -1 where they do not loop.
struct LoopedAudio {
  Audio audio;
  std::int64_t loop_from = -1;
};

/// All that a loop's points depend on.
struct ClipShape {
  std::int64_t frames = 0;
  Hertz rate;
  std::optional<Range<Frames>> loop;  ///< the file's own points
};
ClipShape shape_of(const Audio& audio);

/// The frames [low, high) that a loop goes round in. Throws Error where the clip is too short for it or says nothing of a loop.
Range<Frames> loop_of(const ClipShape& clip, const BookLoop& loop);

/// A clip may be so much shorter than its bars.
inline constexpr Seconds short_of_bars{0.01};
/// The frames [low, high) of a part of a track.
Range<Frames> region_of_beats(Hertz rate, const BookLoop& loop);
/// How alike the stretches are that a crossfade of so many frames blends: 1 the same, 0 nothing in common, -1 opposed.
double ends_alike(const Audio& audio, Range<Frames> region, std::int64_t blended);
/// Ends that are more opposed than this cancel each other: no crossfade keeps their level.
inline constexpr double opposed = -0.8;

/// Cuts what comes after the loop and blends its seam. Without a loop the samples stay as they are.
LoopedAudio cut_loop(Audio audio, const BookLoop& loop);

}  // namespace tidewater
