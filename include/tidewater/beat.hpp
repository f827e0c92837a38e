#pragma once
/// The bar and the beat that are heard: for a game whose pictures and rules go by the beat.
///
///     if (const auto beat = manager.beat("main", device.latency())) lamp.set_brightness(1 - beat->into);
///     for (const PassedBeat& passed : manager.beats()) if (passed.beat == 1) pump.stroke();

#include <cstdint>
#include <optional>

#include "tidewater/export.hpp"
#include "tidewater/name.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// The place in a track, as a player hears it. Texts are valid as long as the track's bank is loaded.
struct Beat {
  TrackName track{"", 0};
  Name part{"", 0};
  std::int64_t bar = 0;    ///< from 1, counted through every round of the loop; 0 in the pick-up
  std::uint32_t beat = 0;  ///< of the bar, from 1; 0 in the pick-up
  double into = 0;         ///< how much of the beat has passed, from 0 to 1
  Frames to_beat, to_bar;  ///< frames of the manager's clock until the next beat and the next bar; less than 0 if the music stands
};

/// A beat that has passed.
struct PassedBeat {
  StandName stand{"", 0};
  TrackName track{"", 0};
  Name part{"", 0};
  std::int64_t bar = 0;    ///< from 1
  std::uint32_t beat = 0;  ///< from 1
  Frames at;               ///< the frame of the manager's clock on which it was handed to the output
};

}  // namespace tidewater
