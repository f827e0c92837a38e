#pragma once
#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {

/// Carries out a raise that a game asks for. On an emitter it gets the emitter's place, traits, gauges and scope.
inline Raised raise_for_game(Control& control, asked::Raise& what) {
  StartedSounds started;
  RaiseTraits traits;
  Driving::Values gauges;
  const Asking asking(control);
  if (what.emitter) control.fill_in(what, traits, gauges);
  return control.handles_of(control.settle_and_ask(what, {.into = control.noting.link.into_block(), .started = &started}), started);
}

}  // namespace tidewater
