#pragma once
#include "author/clips/loops.hpp"

namespace tidewater {

/// The places of frames at another rate: frame f of the first pass at (offset + f * to) / per, and on through the rounds of a loop.
struct RateMap {
  std::int64_t offset = 0, to = 1, per = 1;
};
RateMap rate_map(std::int64_t loop_from, std::int64_t frames, bool loops, Hertz from, Hertz to);

/// The same sound at another rate (libsoxr, very high quality). A loop stays seamless: what comes after its end is what
/// it goes on with, and its ratio is bent by up to 0.05 ct, or its rounds unrolled, until its length is whole.
LoopedAudio bring_to_rate(LoopedAudio looped, Hertz rate);

}  // namespace tidewater
