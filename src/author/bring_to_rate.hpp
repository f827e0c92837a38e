#pragma once
#include "author/loops.hpp"

namespace tidewater {

/// The same sound at another rate (libsoxr, very high quality). A loop stays seamless: what comes after its end is what
/// it goes on with.
LoopedAudio bring_to_rate(LoopedAudio looped, Hertz rate);

}  // namespace tidewater
