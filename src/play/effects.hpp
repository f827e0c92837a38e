#pragma once
#include "play/starter.hpp"

namespace tidewater {

/// One response that is carried out.
struct Act {
  LiveBank& bank;
  const BankResponse& response;  ///< in the bank, so that views of its texts stay valid
  const ResponseDesign& how;     ///< its values; for a delayed response, those from when it was put off
  Seconds delay;                 ///< of a start
  PlaybackId id;
  PlaybackId before;  ///< it acts on playbacks that began before this one
  const Happening& happening;
  StartedSounds& started;
};

/// Carries out a verb. Returns the outcome of the response.
using Effect = Outcome (*)(Starter&, const Act&);
Effect effect_of(Verb verb);

}  // namespace tidewater
