#pragma once
#include <array>
#include <span>

#include "base/ours.hpp"
#include "terms/bend_curve.hpp"
#include "terms/heard_from.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/layout.hpp"
#include "world/distance.hpp"

namespace TIDEWATER_OURS tidewater {

/// A listener, ready to hear with. Axes are of unit length.
struct Ears {
  Whereabouts at;
  std::array<double, 3> ahead{0, 0, -1}, right{1, 0, 0};
  double gain = 1;  ///< amplitude
};

/// Of what is finite.
Ears ears_of(const Listener& listener);

/// How one sound is heard from anywhere.
struct Hearing {
  /// `tells_gauges` where it has to be told what the ready gauges are for it.
  explicit Hearing(const WorldDesign& its, const std::vector<FollowDesign>& follow = {}, bool tells_gauges = false);

  WorldDesign design;
  DistanceCurve curve;
  /// How its level goes by the ready gauges.
  struct Gain {
    ReadyGauge gauge;
    BendCurve curve;
  };
  std::vector<Gain> gains;
  bool gauges_told;
};

/// Metres between two places.
double distance(const Whereabouts& a, const Whereabouts& b);

/// How loud it is there, as decisions take it.
Level level_from(const Hearing& hearing, const Whereabouts& at, std::span<const Ears> listeners);

/// What the listener that is nearest hears of a sound there; as on the screen where there is none.
HeardFrom heard_from(const Hearing& hearing, const Whereabouts& at, std::span<const Ears> listeners, Layout layout);

}  // namespace tidewater
