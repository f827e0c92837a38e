#pragma once
/// The filters that play samples at other speeds, as numbers that were worked out before (scripts/design-filters).

#include <array>
#include <cstddef>

#include "dsp/resample_kernels.hpp"

namespace tidewater {

inline constexpr std::size_t design_count = 20;
using FilterDesigns = std::array<kernels::TapFilter, design_count>;

/// By speed, from the slowest on.
extern const FilterDesigns standard_designs;
extern const FilterDesigns fine_designs;

}  // namespace tidewater
