#pragma once
/// Gauges: numbers from the game, such as a throttle or the wind, that bend sounds while they play, each along curves of the book's.
///
///     manager.set_gauge("wind", 0.7);                       // for all that sounds
///     manager.set_gauge("throttle", boats, throttles);      // of thousands of emitters, each its own
///
/// Distance, angle, speed and height need no code: where things are says them.

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/boundary.hpp"
#include "tidewater/export.hpp"
#include "tidewater/name.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// A gauge's value, in the game's own unit.
struct GaugeValue {
  Name gauge;
  double value = 0;
};

/// Gauges that are there without being told.
enum class ReadyGauge {
  distance,  ///< metres from the listener that counts
  angle,     ///< degrees by which the listener faces away from it: 0 ahead, 180 behind
  speed,     ///< metres a second of the emitter, as its velocity says
  height     ///< metres of the emitter above the world's origin
};
/// As books write them. Of a sound on the screen, speed and height are the first listener's, and the others 0.
inline constexpr std::array<std::string_view, 4> ready_gauge_words = {"distance", "angle", "speed", "height"};
inline constexpr std::size_t ready_gauges = ready_gauge_words.size();

/// The properties that a gauge can bend.
enum class Bends { gain, pitch, low_pass, high_pass, cadence };
inline constexpr std::array<std::string_view, 5> bends_words = {"gain", "pitch", "low-pass", "high-pass", "cadence"};

/// How a curve goes from one of its points to the next.
enum class Between {
  linear,
  smooth,  ///< without a corner, and never beyond its points
  step     ///< as the last point says
};
inline constexpr std::array<std::string_view, 3> between_words = {"linear", "smooth", "step"};

struct CurvePoint {
  double gauge = 0;
  double value = 0;  ///< decibels, semitones, hertz with 0 for no filter, or of a cadence how many times as often
  friend bool operator==(const CurvePoint&, const CurvePoint&) = default;
};

/// Outside its points a curve keeps the value of the nearest point.
struct CurveDesign {
  Bends bends = Bends::gain;
  std::vector<CurvePoint> points;
  friend bool operator==(const CurveDesign&, const CurveDesign&) = default;
};

/// How a sound goes by one gauge.
struct FollowDesign {
  std::string gauge;
  Between between = Between::linear;
  std::vector<CurveDesign> curves;
  std::optional<On> on = {};  ///< of a stem: a new value counts from the next boundary of its track on
  friend bool operator==(const FollowDesign&, const FollowDesign&) = default;
};

/// The design of a gauge.
struct GaugeDesign {
  double from = 0, to = 1;  ///< values outside are clamped
  double initial = 0;       ///< the value until the game sets one
  Seconds smoothing{0.06};  ///< about how long a playback takes to reach a new value
  friend bool operator==(const GaugeDesign&, const GaugeDesign&) = default;
};

}  // namespace tidewater
