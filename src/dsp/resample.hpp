#pragma once
/// Plays samples at any speed. Above x1 what would be turned over to below 16 kHz is filtered away, at any speed the images that
/// would be heard there.
///
/// Positions are fixed point, 32 bits below the point, so that the same steps always land on the same places.

#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "base/ours.hpp"
#include "dsp/filter_designs.hpp"
#include "dsp/resample_kernels.hpp"
#include "tidewater/quality.hpp"

namespace TIDEWATER_OURS tidewater {

inline constexpr int position_bits = 32;
inline constexpr std::uint64_t unity_step = std::uint64_t{1} << position_bits;
inline constexpr double slowest_ratio = 0.125;
inline constexpr double fastest_ratio = 8;

/// Zeros before and after the samples of a clip: no filter reads further.
inline constexpr int reach = 128;

/// All filters, with rows, or for processors that need none.
class Filters {
 public:
  explicit Filters(bool with_rows);
  /// As the kind of processor needs them that this process mixes as.
  Filters() : Filters(!kernels::looks_up()) {}
  /// The filter for steps up to this one.
  kernels::TapFilter at(std::uint64_t step, Quality quality) const;
  /// Bytes of all of them.
  std::size_t memory() const;

 private:
  std::array<FilterDesigns, 2> filters_;
  std::vector<std::vector<float>> rows_;
};

/// The rows of a filter at 2^phase_bits fractions, and one more. `between`: what lies between two is mixed of both.
std::vector<float> rows_of(const kernels::TapFilter& filter, int phase_bits, bool between);

/// Those of this process, as the kind of processor needs them that it mixes as.
/// Thread: any. After `prepare_filters` as that kind of processor this neither allocates nor waits.
kernels::TapFilter filter_for(std::uint64_t step, Quality quality);
void prepare_filters();

std::uint64_t step_for(double ratio);

}  // namespace tidewater
