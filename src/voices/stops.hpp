#pragma once
#include <array>
#include <cstdint>

#include "tidewater/ids.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// Marks that end sleeping starts without a walk through them: the numbers of the last raises whose starts are over. A start counts by the
/// last raise that asked for it.
struct ScopeStops {
  std::uint64_t all = 0;         ///< of every start of the scope
  std::uint64_t short_ones = 0;  ///< of the starts that do not stay when the scope restarts
  std::uint64_t left_over = 0;   ///< of the starts that stay only until the grace is over; 0 while there is no grace

  bool ended(const LiveStart& start) const { return start.asked() <= all || (!start.stays && start.asked() <= short_ones); }
};

/// The same for stops of everything, and for each scope.
struct Stops {
  PlaybackId before;        ///< sleeping starts up to this one are over
  std::uint64_t stops = 0;  ///< the number of stops of everything
  std::array<ScopeStops, most_scopes> of_scopes;
};

}  // namespace tidewater
