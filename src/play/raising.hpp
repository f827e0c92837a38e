#pragma once
#include <span>

#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {

/// A raise of a game. `changes` may be null.
inline Raised raise_on(Control& control, Name event, std::span<const Trait> traits, Emitter emitter, const RaiseChanges* changes) {
  StartedSounds started;
  RaiseTraits with_its_own;
  Driving::Values values;
  const Asking asking(control);
  asked::Raise what{.event = event, .emitter = emitter, .place = {}, .velocity = {}, .facing = {}, .traits = traits};
  if (changes != nullptr) what.scope = changes->scope, what.delay = changes->delay;
  if (emitter) control.fill_in(what, with_its_own, values);
  return control.handles_of(control.settle_and_ask(what, {.into = control.noting.link.into_block(), .started = &started}), started);
}

inline Raised raise_at(Control& control, Name event, std::span<const Trait> traits, const Place& place, const RaiseChanges* changes) {
  StartedSounds started;
  const Asking asking(control);
  asked::Raise what{.event = event, .emitter = {}, .place = place, .velocity = {}, .facing = {}, .traits = traits};
  if (changes != nullptr) what.scope = changes->scope, what.delay = changes->delay;
  return control.handles_of(control.settle_and_ask(what, {.into = control.noting.link.into_block(), .started = &started}), started);
}

}  // namespace tidewater
