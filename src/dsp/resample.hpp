#pragma once
/// Plays samples at any speed: a windowed sinc, cut into phases that are interpolated
/// (J. O. Smith, 'Digital audio resampling'; J. F. Kaiser's window).
///
/// Positions are fixed point, 32 bits below the point, so that the same steps always land on the same places.

#include <cstdint>

#include "dsp/kernels.hpp"
#include "tidewater/quality.hpp"

namespace tidewater {

inline constexpr int position_bits = 32;
inline constexpr std::uint64_t unity_step = std::uint64_t{1} << position_bits;
inline constexpr double slowest_ratio = 0.125;
inline constexpr double fastest_ratio = 8;

/// Frames on either side of a position that a filter may read.
inline constexpr int most_taps = 256;
inline constexpr int reach = most_taps / 2;

/// The filter for a step: above unity its cutoff follows the ratio and its length with it, so that what would alias is gone.
/// Thread: any. The filters are made by the first call of `prepare_filters`; afterwards this neither allocates nor waits.
kernels::FilterRows filter_for(std::uint64_t step, Quality quality);
void prepare_filters();

std::uint64_t step_for(double ratio);

}  // namespace tidewater
