#pragma once
/// Power in bands of a part of an octave, window by window.

#include <array>
#include <cstddef>
#include <memory>
#include <span>
#include <vector>

#include "tidewater/units.hpp"

struct kiss_fftr_state;

namespace tidewater {

struct OctaveBands {
  double lowest = 160;  ///< hertz: middle of the first band
  std::size_t bands = 18;
  int per_octave = 3;
  Seconds window{0.043};  ///< at most
};

/// Bands of a third of an octave, or another part (IEC 61260, base 2). A band that is narrower than a line of the spectrum takes its share
/// of that line.
class Octaves {
 public:
  Octaves(Hertz rate, const OctaveBands& bands);

  std::size_t bands() const { return weights_.size(); }
  std::size_t window() const { return window_.size(); }  ///< frames: a power of two
  std::size_t hop() const { return window_.size() / 2; }

  /// Adds the power of one Hann window of samples, at least `window()`, to each band.
  void add(std::span<const float> samples, std::span<double> powers);

 private:
  struct Weight {
    std::size_t first = 0;
    std::vector<double> lines;
  };
  struct Free {
    void operator()(kiss_fftr_state* plan) const;
  };
  std::vector<float> window_, piece_;
  std::vector<Weight> weights_;  ///< of each band; empty above half the rate
  std::unique_ptr<kiss_fftr_state, Free> plan_;
  std::vector<float> spectrum_;  ///< real and imaginary parts
};

}  // namespace tidewater
