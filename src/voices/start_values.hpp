#pragma once
/// Arguments and results of Voices.

#include <cstdint>

#include "base/clip_position.hpp"
#include "dsp/fade.hpp"
#include "terms/heard_from.hpp"
#include "terms/level.hpp"
#include "terms/scope_times.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/quality.hpp"
#include "voices/live.hpp"

namespace tidewater {

struct VoicesOptions {
  Hertz rate;
  std::uint32_t voices = 64;  ///< layers that sound at once; the mixer has twice as many voices, for layers that still fade
  std::size_t playbacks = 0;
  Quality quality = Quality::standard;
  bool mono = false;
};

/// How much plays.
struct VoicesCount {
  std::uint32_t sounding = 0, most_sounding = 0;  ///< layers with a voice
  std::uint32_t dormant = 0;                      ///< layers without a voice, or about to lose it
  std::uint32_t held = 0;                         ///< layers whose voice stands still with its scope; they are none of the others
  std::uint32_t fading = 0;                       ///< layers that were told to go
  std::uint32_t late = 0;                         ///< times that a stream was late
};

/// A start on an exact frame of its scope.
struct ExactStart {
  ScopeFrame frame;
  bool is_track = false;     ///< then what follows holds, and it claims a voice at once, however late it begins
  ClipPosition source;       ///< where in its clip
  std::int64_t fade_in = 0;  ///< frames of the scope
  FadeLaw law = FadeLaw::equal_loudness;
};

/// A start that is asked for, with what was drawn for all its layers.
struct NewStart {
  PlaybackId id;
  std::uint64_t emitter = 0;
  ScopeNumber scope = 0;
  ScopeFrame base;   ///< the frame that its delays count from
  ScopeFrame heard;  ///< the frame on which it begins
  Pan pan;
  Hertz low_pass = {}, high_pass = {};
  const HeardFrom* from = nullptr;  ///< of a start in the world
  bool follows = false;             ///< gauges
  Part part = Part::whole;
  std::uint64_t renewed = 0;  ///< these three are documented in LiveStart
  std::uint64_t event = 0;
  std::uint64_t action = 0;
  const ExactStart* track = nullptr;  ///< of a track
  // For a step of a cadence: the values that the game has set for the cadence.
  Decibels own_gain = {};
  Semitones own_pitch = {};
};

/// A start that the gates judge: its emitter, its scope, and the frame on which it would be heard.
struct Asker {
  std::uint64_t emitter = 0;
  ScopeNumber scope = 0;
  ScopeFrame heard;
};

/// A layer that has a voice, and its level before its place in the world is counted.
struct VoicedLayer {
  static constexpr std::uint32_t not_heard = ~0U;

  std::uint32_t voice = 0;
  std::uint32_t heard = not_heard;  ///< its number among those that are heard in the world
  StartRef start;
  const PlayedSound* sound = nullptr;
  bool in_world = false;
  bool leaving = false;  ///< it was told to go and claims nothing
  int rank = 0;
  std::uint32_t group = 0;
  Level level;
  bool counts = false;                  ///< it counts for its start in limits; of the layers of a start one does
  const PlayedSound* family = nullptr;  ///< the newest version of its sound
};

/// A start that has no voice and is loud enough for one where it is.
struct HeardStart {
  StartRef start;
  const HeardFrom* from = nullptr;
};

}  // namespace tidewater
