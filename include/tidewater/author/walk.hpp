#pragma once
/// A sound of a book as it is heard in the world: by distance, by angle, and on a walk past it. Link Tidewater::author.
///
///     const WalkPast walk = walk_past(book, "bell-buoy", {}, [&](std::span<const float> block) { file.write(block); });
///     for (const WalkStep& step : walk.steps) draw(step.distance, step.levels);

#include <functional>
#include <span>
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"
#include "tidewater/layout.hpp"

namespace TIDEWATER_API tidewater {

/// A gauge on the walk: held, or taken evenly from one value to another.
struct WalkGauge {
  std::string gauge;
  double from = 0, to = 0;
};
struct WalkOptions {
  Layout layout = Layout::stereo;
  std::vector<WalkGauge> gauges = {};  ///< of the book's; others stay at their default
};

/// How a sound is heard at a distance, in front of it, with the gauges at one end of the walk.
struct HeardAway {
  Metres distance;
  Decibels level;
  Hertz low_pass;         ///< of the air, and of what it follows; 0 where nothing that is heard is taken
  std::string silent_by;  ///< the gauge that makes it silent here; empty where none does
};
/// What its cone leaves, for who stands so far to the side of where it faces.
struct HeardAside {
  Degrees off;
  Decibels level;
};

struct WalkStep {
  Seconds at;
  Metres along;  ///< of the way, from where it is nearest; behind that above zero
  Metres distance;
  std::vector<Decibels> levels;  ///< RMS of each channel, over the step
  bool heard = false;            ///< something of it has a voice, or waits for the next beat of its cadence
  std::vector<double> gauges;    ///< in the order of the options
};

/// A walk in a straight line past a thing that stands on the right, and faces the walker's way.
struct WalkPast {
  std::string sound;
  WorldDesign design;
  WalkOptions options;
  Metres aside, from;                  ///< how near it comes; how far away, along the way, it begins and ends
  double pace = 0;                     ///< metres a second
  std::vector<HeardAway> table;        ///< as the walk begins: a dozen distances in round figures, from inside `near` to `far`
  std::vector<HeardAway> by_distance;  ///< close together
  /// Levels at the same distances, with the gauges as they are when the walk ends. Empty where no gauge moves.
  std::vector<HeardAway> table_at_end, by_distance_at_end;
  std::vector<HeardAside> by_angle;  ///< every 5 degrees
  std::vector<WalkStep> steps;
};

/// Renders the walk, in twenty seconds, at 48 kHz; a sound that ends is started again. `take` gets the samples, interleaved. Throws
/// Error where the book has no such sound or gauge, the sound is not in the world, or a clip cannot be read.
WalkPast walk_past(const Book& book, const std::string& sound, const WalkOptions& options,
                   const std::function<void(std::span<const float>)>& take);

}  // namespace tidewater
