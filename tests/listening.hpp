#pragma once
/// Measures what is heard. Samples are interleaved stereo; results are of the left channel unless said otherwise.

#include <functional>
#include <initializer_list>
#include <span>
#include <vector>

#include "tidewater/units.hpp"

namespace tidewater::testing {

/// How often a test tries what it draws at random: less often under sanitizers, which make everything some ten times as slow.
constexpr int times([[maybe_unused]] int usual, [[maybe_unused]] int sanitized) {
#ifdef TIDEWATER_SANITIZED
  return sanitized;
#else
  return usual;
#endif
}

/// All of a list of cases; under sanitizers every third.
template <class T>
std::vector<T> most_of(std::initializer_list<T> cases) {
  std::vector<T> chosen;
  for (std::size_t i = 0; i < cases.size(); i += static_cast<std::size_t>(times(1, 3))) chosen.push_back(cases.begin()[i]);
  return chosen;
}

inline constexpr Hertz test_rate{48000};

struct Take {
  std::vector<float> samples;
  Hertz rate = test_rate;

  std::size_t frames() const { return samples.size() / 2; }
  double seconds() const { return static_cast<double>(frames()) / rate.value; }
  float left(std::size_t frame) const { return samples[2 * frame]; }
  float right(std::size_t frame) const { return samples[2 * frame + 1]; }
  /// From `begin` on, `length` long, in seconds.
  Take part(double begin, double length) const;

  void append(std::span<const float> more) { samples.insert(samples.end(), more.begin(), more.end()); }

  double peak() const;  ///< of both channels
  double rms(int channel = 0) const;
  double pitch() const;     ///< Hz of a steady tone, from where it rises through zero
  double onset() const;     ///< seconds until the first sample above -60 dB; negative where there is none
  double steepest() const;  ///< largest jump from one frame to the next
};

/// The highest sample of what lies above 4 kHz, in dB: clicks. The first and last 300 frames do not count.
double clicks(std::span<const float> mono);

/// Signal to noise in dB of a sine: what is left when the best fit at `hertz` is taken away.
double sine_snr(std::span<const float> mono, double hertz, double rate);

/// The level of a sine, as it fits best, in dB of one that peaks at 1.
double sine_level(std::span<const float> mono, double hertz, double rate);

/// The strongest line beside a tone that changes, in dB below the tone: farther from it than 25 Hz, nearer than 500 Hz.
double line_beside(std::span<const float> mono, double hertz, double rate);

/// What is left when the best fit at `hertz`, and what does not move, are taken away.
std::vector<float> without_sine(std::span<const float> mono, double hertz, double rate);

/// What lies below a frequency, 100 dB down 600 Hz above it; without the first and last 300 frames.
std::vector<float> below(std::span<const float> mono, double hertz, double rate);

/// In dB of a sine that peaks at 1.
double power(std::span<const float> mono);

/// Interleaved samples of a sine; peak 1.
std::vector<float> sine(double hertz, double seconds, int channels = 1, double level = 1, double rate = test_rate.value);

}  // namespace tidewater::testing
