#pragma once
#include <cstddef>

#include "bank/bank_data.hpp"
#include "choose/draws.hpp"

namespace tidewater {

/// How a start is shaped by its draws: values of the sound's ranges, which all of its layers share.
struct StartShape {
  Pan pan;
  Hertz low_pass;
  Decibels gain;
  Semitones pitch;
  Seconds delay;  ///< before the response's own
};

/// The same of one of its layers, the sound's put together with its own.
struct LayerShape {
  Decibels gain;
  Semitones pitch;
  Seconds start_at;     ///< in the clip
  double anywhere = 0;  ///< share of the clip to begin at, where it may begin anywhere
};

/// From one start to the next, of what has a cadence.
Seconds draw_cadence(const BankSound& design, const Draws& draws);
StartShape draw_shape(const BankSound& design, const Draws& draws);

// Of the layer with this number in its sound; each may be asked for by itself.

/// By its chance.
bool draw_there(const BankLayer& layer, std::size_t number, const Draws& draws);
/// The sound's and its own.
Seconds draw_delay(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws);
LayerShape draw_layer(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws);

}  // namespace tidewater
