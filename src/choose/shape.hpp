#pragma once
#include <cstddef>

#include "bank/bank_data.hpp"
#include "choose/draws.hpp"

namespace tidewater {

/// The drawn values of a start, from the sound's ranges. All of its layers share them.
struct StartShape {
  Pan pan;
  Hertz low_pass;
  Decibels gain;
  Semitones pitch;
  Seconds delay;  ///< without the response's own delay
};

/// The drawn values of a layer, with the sound's values added.
struct LayerShape {
  Decibels gain;
  Semitones pitch;
  Seconds start_at;     ///< in the clip
  double anywhere = 0;  ///< where it begins as a share of the clip, if it may begin anywhere
};

/// The time from one step of a cadence to the next.
Seconds draw_cadence(const BankSound& design, const Draws& draws);
StartShape draw_shape(const BankSound& design, const Draws& draws);

// For the layer with this number in its sound. Each may be called by itself.

/// Whether the layer is there, by its chance.
bool draw_there(const BankLayer& layer, std::size_t number, const Draws& draws);
/// The sound's delay and the layer's own.
Seconds draw_delay(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws);
LayerShape draw_layer(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws);

}  // namespace tidewater
