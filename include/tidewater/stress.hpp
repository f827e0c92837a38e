#pragma once
/// How many voices does this machine hold? Adds voices to a mixer until its block's deadline is missed.

#include <algorithm>
#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct StressOptions {
  int block = 256;  ///< frames
  Hertz rate{48000};
  Quality quality = Quality::standard;  ///< of the filtered and the streamed voices
};

/// One measurement: that many voices, and how long a block took. Of streamed voices reading and decoding count, too, and
/// each time is the mean over 32 blocks, since a thread of its own would do that work.
struct StressPoint {
  std::uint32_t voices = 0;
  Seconds median, percentile_99, percentile_999, longest;
};

/// One kind of voice, with ever more of them.
struct StressCurve {
  std::string kind;
  std::vector<StressPoint> points;
  StressPoint at_256 = {};  ///< measured with exactly so many voices, over a few thousand blocks

  /// Most voices whose median block stays within this part of the deadline, between two measured points in a straight
  /// line; the last point's where even that does.
  std::uint32_t voices_within(double part, Seconds deadline) const {
    const double limit = part * deadline.value;
    StressPoint before;
    for (const StressPoint& point : points) {
      if (point.median.value > limit) {
        const double share = (limit - before.median.value) / (point.median.value - before.median.value);
        return before.voices + static_cast<std::uint32_t>(std::max(0.0, share) * (point.voices - before.voices));
      }
      before = point;
    }
    return before.voices;
  }
};

struct StressResult {
  Seconds deadline;  ///< a block's length
  std::vector<StressCurve> curves;
  std::string instructions;  ///< the vector instruction set in use
};

/// Takes up to a minute, on the calling thread. Writes one clip into the system's folder for temporary files, and removes
/// it. Throws Error where it cannot. `progress` hears each measurement.
StressResult stress(const StressOptions& options, const std::function<void(const std::string& kind, const StressPoint&)>& progress);

}  // namespace tidewater
