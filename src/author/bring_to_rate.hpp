#pragma once
#include "media/decode.hpp"

namespace tidewater {

/// The audio at another rate, by libsoxr at very high quality. A loop's ends are carried over each other's seam,
/// so that it is as seamless after as before.
Audio bring_to_rate(Audio audio, Hertz rate, bool loop);

}  // namespace tidewater
