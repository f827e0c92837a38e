#pragma once
#include <array>

#include "bank/bank_data.hpp"
#include "choose/draws.hpp"

namespace tidewater {

/// How a start is shaped by its draws: values of the sound's ranges and of its layers', put together.
struct LayerShape {
  bool there = true;  ///< by its chance
  Decibels gain;
  Semitones pitch;
  Seconds delay;        ///< before the response's own
  Seconds start_at;     ///< in the clip
  double anywhere = 0;  ///< share of the clip to begin at, where it may begin anywhere
};

struct StartShape {
  Pan pan;
  Hertz low_pass;
  std::array<LayerShape, most_layers> layers;
};

/// From one start to the next, of what has a cadence.
Seconds draw_cadence(const BankSound& design, const Draws& draws);
StartShape draw_shape(const BankSound& design, const Draws& draws);

}  // namespace tidewater
