#pragma once
/// Plays samples at any speed: a windowed sinc, cut into phases that are interpolated
/// (J. O. Smith, 'Digital audio resampling'; J. F. Kaiser's window).
///
/// Positions are fixed point, 32 bits below the point, so that the same steps always land on the same places.

#include <cstdint>
#include <vector>

namespace tidewater {

inline constexpr int position_bits = 32;
inline constexpr std::uint64_t unity_step = std::uint64_t{1} << position_bits;
inline constexpr double slowest_ratio = 0.125;
inline constexpr double fastest_ratio = 8;

/// One low-pass filter, ready for use: `phases + 1` rows of `taps` weights.
struct ResampleFilter {
  int taps = 0;
  int phases = 0;
  std::vector<float> rows;
};

/// The filter for a step: above unity its cutoff follows the ratio, so that what would alias is gone.
/// Thread: any. The filters are made at the first call of `prepare_filters`; afterwards this neither allocates nor waits.
const ResampleFilter& filter_for(std::uint64_t step);
void prepare_filters();

/// Frames on either side of a position that a filter may read.
inline constexpr int most_taps = 128;
inline constexpr int reach = most_taps / 2;

std::uint64_t step_for(double ratio);

/// Writes `count` frames. `source` points at the sample of position 0; samples from -reach to
/// reach beyond the last position must be readable. The step grows by `step_change` each frame.
void resample(const ResampleFilter& filter, const float* source, std::uint64_t position, std::uint64_t step, std::int64_t step_change,
              float* out, int count);

}  // namespace tidewater
