#pragma once
#include "play/starter.hpp"

namespace tidewater {

/// One response that is carried out.
struct Act {
  LiveBank& bank;
  const BankResponse& response;  ///< of the bank, whose texts stay
  const ResponseDesign& how;     ///< the same, or as it was when it was asked for
  Seconds delay;                 ///< of a start
  PlaybackId id;
  PlaybackId before;  ///< it acts on what began before this
  const Happening& happening;
  StartedSounds& started;
};

/// What a verb does. Returns the outcome of its response.
using Effect = Outcome (*)(Starter&, const Act&);
Effect effect_of(Verb verb);

}  // namespace tidewater
