#pragma once
/// The inner loops that play samples at other speeds, in vector code that is chosen at run time for the processor (Highway),
/// each with a scalar twin. See dsp/resample.hpp for which filter is used when.
///
/// Thread: any. None allocates or throws.

#include <cstdint>

namespace tidewater::kernels {

/// Weights of a filter at evenly spaced fractions, for processors that cannot work with polynomials quickly.
struct Rows {
  const float* values = nullptr;  ///< a row for each phase, and one for the phase after the last
  int taps = 0;                   ///< a multiple of 8; beyond the filter's own they are zero
  int phase_bits = 0;
  bool between = false;  ///< behind the weights of a row lies by how much each changes to the next one; else the nearest row is used
};

/// A filter between two samples, symmetric, whose weights are polynomials of where between them it is asked for (C. W. Farrow,
/// 'A continuously variable digital delay element', ISCAS 1988).
struct TapFilter {
  float top = 1;   ///< for speeds up to this
  int taps = 0;    ///< 12, 20, 28, or a multiple of 8
  int degree = 0;  ///< 5 or 7
  /// Of each pair of taps, from the outside in, the coefficients of u^0, u^1, ..., where u goes from -1/2 at one sample to 1/2 at the
  /// next. The other tap of a pair has the same ones with u turned round.
  const float* coefficients = nullptr;
  Rows rows{};  ///< if there are any, weights are taken from them

  /// Frames before and behind a position that are read.
  int reach() const { return (taps + 7) / 8 * 4; }
};

/// Where to read and how fast: 32 bits below the point; `step` grows by `step_change` each frame.
struct Walk {
  std::uint64_t position = 0;
  std::uint64_t step = 0;
  std::int64_t step_change = 0;
};

/// Whether this processor can pick any samples out of two vectors at once. Then working out weights from polynomials, for many
/// frames together, is the quickest; else rows are.
bool looks_up();

/// `count` frames of `source` at another speed, no step above the filter's top. `source` points at the sample of position 0;
/// `reach()` samples must be readable before the first and after the last position. The more may be read before `end`, the better:
/// what they are makes no difference. 16-bit samples count as x / 32768. Each frame comes from its place alone: in which pieces
/// they are asked for makes no difference.
void resample(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* out, int count);
void resample(const TapFilter& filter, const std::int16_t* source, const std::int16_t* end, const Walk& walk, float* out, int count);

/// The twins, for tests: from the polynomials, whatever rows there are.
namespace scalar {
void resample(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count);
void resample(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count);
}  // namespace scalar

}  // namespace tidewater::kernels
