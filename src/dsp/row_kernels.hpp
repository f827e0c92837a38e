#pragma once
/// The inner loops that take the weights of a filter from rows, for processors that cannot work with polynomials quickly
/// (dsp/resample_kernels.hpp, which calls them). Rows are the phases of a polyphase filter (J. O. Smith, 'Digital audio resampling').

#include "dsp/resample_kernels.hpp"

namespace tidewater::kernels {

void resample_by_rows(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count);
void resample_by_rows(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count);

/// The twins, for tests.
namespace scalar {
void resample_by_rows(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count);
void resample_by_rows(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count);
}  // namespace scalar

}  // namespace tidewater::kernels
