#pragma once
#include <array>
#include <cstddef>

#include "tidewater/layout.hpp"

namespace tidewater {

/// Amplitudes for the channels of a layout of what comes from one direction: of the two speakers on either side of it, at equal power
/// (V. Pulkki, 'Virtual sound source positioning using vector base amplitude panning', 1997, in two dimensions). Speakers stand at the
/// angles of ITU-R BS.775 (5.1) and BS.2051 (7.1); the two of stereo count as standing fully to the left and right, as in the W3C's Web
/// Audio, since many hear them in headphones. The low channel gets nothing.
///
/// `azimuth` is in radians from the front, positive to the right. `all_round`, from 0 to 1, is how much of its power comes from
/// everywhere: evenly from all speakers but the centre. Where all of it does, its power is 0.8 dB (5.1) or 2 dB (7.1) less: a
/// player that folds the channels to two then gets 0.9 dB more than from a single direction.
std::array<float, 8> towards(Layout layout, double azimuth, double all_round);

}  // namespace tidewater
