#pragma once
/// What a manager knows of gauges: where they are, and who follows them.

#include <cstdint>
#include <utility>
#include <vector>

#include "drive/cadences.hpp"
#include "drive/followers.hpp"
#include "drive/gauges.hpp"
#include "notebook/notebook.hpp"

namespace tidewater {

struct DriveSide {
  explicit DriveSide(std::size_t starts) : cadences(starts) {
    said.reserve(most_gauges);
    step_traits.reserve(Cadence::most_traits);
  }

  Gauges gauges;
  Followers followers;
  Cadences cadences;
  std::vector<Trait> step_traits;  ///< of the step that starts
  std::vector<GaugeValue> said;    ///< of the raise that is being asked, what its emitter says

  // Of the update that goes on.
  std::vector<StartRef> voiced;
  std::vector<KeptGauge> kept;
  std::vector<Cadence*> on_screen;

  std::vector<std::uint64_t> told;  ///< hashes of unknown ones that were told of
};

}  // namespace tidewater
