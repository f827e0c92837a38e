#pragma once
/// Inner loops over samples, in vector code that is chosen at run time for the processor (Highway), each with a scalar
/// twin that means the same. Any target agrees with its twin to 24-bit rounding; one machine always agrees with itself.
///
/// Thread: any. None allocates or throws.

#include <cstdint>

#include "base/ours.hpp"

namespace tidewater::kernels {

/// out[i] = source[i] / 32768
void widen(const std::int16_t* source, float* out, int count);

/// A gain that moves along a cubic: ((cube * i + square) * i + change) * i + first at frame i.
/// Arrays of them are open until they are filled.
struct Curve {
  float first, change, square, cube;

  Curve() = default;
  Curve(float at_first, float a_frame = 0, float a_square = 0, float a_cube = 0)
      : first(at_first), change(a_frame), square(a_square), cube(a_cube) {}
  bool flat() const { return change == 0 && square == 0 && cube == 0; }
};

/// bus[i] += source[i] * gain(i)
void add(const float* source, Curve gain, float* bus, int count);
/// One source into two buses: each gets its own part of source[i] * gain(i).
void add(const float* source, Curve gain, float left_part, float right_part, float* left, float* right, int count);
/// The same along several curves, each for `curve_length` frames.
inline constexpr int curve_length = 64;
void add_along(const float* source, const Curve* gains, int curves, float* bus);
/// One source into two buses, each along curves of its own.
void add_along(const float* source, const Curve* left_gains, const Curve* right_gains, int curves, float* left, float* right);
void add_along(const float* source, const Curve* gains, int curves, float left_part, float right_part, float* left, float* right);

/// Highest magnitude and sum of squares of what was added; not finite where a sample was not.
struct Level {
  float peak = 0;
  float power = 0;
};
Level add_and_measure(const float* source, Curve gain, float* bus, int count);

/// a[0] * b[0] + a[1] * b[1] + ...; `count` is a multiple of eight.
float dot(const float* a, const float* b, int count);

/// Highest magnitude that any of `phases` filters of `taps` has at each frame: rows of taps, from the oldest sample on;
/// frame i reads samples[i] to samples[i + taps - 1]. `phases` is 8.
TIDEWATER_OURS void peaks(const float* rows, int phases, int taps, const float* samples, float* peaks, int count);

/// Whether all samples are finite.
TIDEWATER_OURS bool finite(const float* samples, int count);

/// A second-order filter, worked out for eight frames at a time: outputs are what the eight inputs and the two states
/// before them add up to, so nothing waits for the frame before.
struct FilterEight {
  float response[8] = {};  ///< to an impulse
  float from_state[2][8] = {};
  float to_state[2][8] = {};
  double carry[2][2] = {};  ///< the states eight frames later
};
/// Filters in place; `count` is a multiple of eight.
TIDEWATER_OURS void filter(const FilterEight& by, double state[2], float* samples, int count);

/// The twins, for tests.
namespace scalar {
void filter(const FilterEight& by, double state[2], float* samples, int count);
void widen(const std::int16_t* source, float* out, int count);
void add(const float* source, Curve gain, float* bus, int count);
void add(const float* source, Curve gain, float left_part, float right_part, float* left, float* right, int count);
void add_along(const float* source, const Curve* gains, int curves, float* bus);
void add_along(const float* source, const Curve* left_gains, const Curve* right_gains, int curves, float* left, float* right);
void add_along(const float* source, const Curve* gains, int curves, float left_part, float right_part, float* left, float* right);
Level add_and_measure(const float* source, Curve gain, float* bus, int count);
float dot(const float* a, const float* b, int count);
void peaks(const float* rows, int phases, int taps, const float* samples, float* peaks, int count);
bool finite(const float* samples, int count);
}  // namespace scalar

/// The instruction set in use: "AVX2", "SSE4", ...
TIDEWATER_OURS const char* target_name();

}  // namespace tidewater::kernels
