#pragma once
#include "author/clips/loops.hpp"

namespace tidewater {

/// The same sound at another rate (libsoxr, very high quality). A loop stays seamless: what comes after its end is what
/// it goes on with, and its ratio is bent by up to 0.05 ct, or its rounds unrolled, until its length is whole.
LoopedAudio bring_to_rate(LoopedAudio looped, Hertz rate);

}  // namespace tidewater
