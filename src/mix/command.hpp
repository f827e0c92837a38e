#pragma once
/// Commands from the control side to the audio thread, and its reports. Small, of fixed size, copied as bytes.

#include <array>
#include <cstdint>
#include <type_traits>
#include <variant>

#include "base/clip_position.hpp"
#include "base/scope_law.hpp"
#include "dsp/channel_gains.hpp"
#include "dsp/fade.hpp"
#include "dsp/resample.hpp"
#include "dsp/state_filter.hpp"
#include "mix/duck.hpp"

namespace tidewater {

class StreamRing;

/// Samples of one clip, as the mixer reads them. `reach` zeros may be read before and after each channel.
/// Whoever starts a voice keeps the samples alive until the voice is reported finished.
struct ClipSamples {
  std::array<const float*, 2> floats{};         ///< the second is null for mono; both where the clip has 16 bits
  std::array<const std::int16_t*, 2> shorts{};  ///< the same
  std::int64_t frames = 0;
  std::int64_t loop_from = 0;    ///< where a loop goes on after its end
  std::int64_t kept = 0;         ///< frames that are in memory, from the head on
  StreamRing* stream = nullptr;  ///< where the rest comes from, if not all are

  bool mono() const { return floats[1] == nullptr && shorts[1] == nullptr; }
  /// Where in the clip a loop is that has gone so far.
  std::int64_t folded(std::int64_t frame) const { return frame < frames ? frame : loop_from + (frame - loop_from) % (frames - loop_from); }
};

struct StartVoice {
  std::uint32_t voice = 0;
  std::uint32_t group = 0;
  std::uint32_t scope = 0;
  ClipSamples clip;
  ScopeFrame start_frame;
  ScopeFrame base;                        ///< the first frame of all that start together: what comes after it moves them all alike
  std::uint64_t step = 0;                 ///< source frames per output frame, 32 bits below the point
  std::int64_t fade_in = 0;               ///< frames
  FadeLaw law = FadeLaw::equal_loudness;  ///< of the fade-in
  ClipPosition position;                  ///< place in the clip to begin at; beyond the end of a loop it goes round
  float gain = 1;                         ///< amplitude
  float lift = 1;                         ///< amplitude, on top of it
  float fold = 1;                         ///< amplitude of a stereo clip, where the layout makes one channel of its two
  float side = 0;                         ///< of a mono clip: from -1, left, to 1, right; of a stereo clip its balance
  float low_pass = 0;                     ///< hertz; 0 for none
  float high_pass = 0;
  Quality quality = Quality::standard;
  bool loop = false;
  bool in_world = false;  ///< it has amplitudes for each channel, in place of a side
  Amplitudes channels{};
};

/// Changes take their `ramp` or `fade` in frames, and at least the shortest change (dsp/smooth.hpp): nothing clicks.

/// Fades a voice out and finishes it. The fade begins on frame `at` of the scope's time. Until then another stop replaces this one. A voice
/// whose stop is on its first frame, or before it, is never heard.
struct StopVoice {
  std::uint32_t voice = 0;
  std::int64_t fade = 0;
  ScopeFrame at = {};  ///< if it lies in the past, the fade begins at once
  FadeLaw law = FadeLaw::equal_loudness;
};

struct SetVoiceGain {
  std::uint32_t voice = 0;
  float gain = 1;
  std::int64_t ramp = 0;
};

/// On top of its gain, with a ramp of its own. The ramp begins on frame `at` of the scope's time, or at once if that lies in the past.
/// Another lift replaces one that lies ahead.
struct SetVoiceLift {
  std::uint32_t voice = 0;
  float lift = 1;
  std::int64_t ramp = 0;
  ScopeFrame at = {};
};

struct SetVoiceStep {
  std::uint32_t voice = 0;
  std::uint64_t step = 0;
  std::int64_t ramp = 0;
};

struct SetVoiceSide {
  std::uint32_t voice = 0;
  float side = 0;
  std::int64_t ramp = 0;
};

/// The channel gains of a voice in the world, on top of its gain.
struct SetVoiceChannels {
  std::uint32_t voice = 0;
  Amplitudes channels{};
  std::int64_t ramp = 0;
};

/// Sets a filter of a voice or a group. 0 Hz removes the filter.
struct SetFilter {
  std::uint32_t index = 0;
  bool group = false;
  StateFilter::Kind kind = StateFilter::Kind::low_pass;
  float hertz = 0;
  std::int64_t ramp = 0;
};

/// Groups are numbered so that a parent comes before its children; 0 is the master.
struct DefineGroup {
  std::uint32_t group = 0;
  std::uint32_t parent = 0;
  float gain = 1;
};

/// Sets the own factor of a group's level, or its moods' factor.
struct SetGroupGain {
  std::uint32_t group = 0;
  float gain = 1;
  std::int64_t ramp = 0;
  bool of_moods = false;
};

/// Sets one of a group's ducks. A duck by 0 dB ends: what it has lowered comes up again within its release.
inline constexpr std::size_t most_ducks = 4;  ///< of a group
struct SetDuck {
  std::uint32_t group = 0;
  std::uint32_t number = 0;
  DuckLaw law;
};

/// Sets the time of a scope. If the law begins a hold, the scope's voices fade out over the `fade` frames before it. If the law ends a
/// hold, they fade in over `fade` frames.
struct SetScope {
  std::uint32_t scope = 0;
  std::int64_t fade = 0;
  ScopeLaw law;
};

using Command = std::variant<StartVoice, StopVoice, SetVoiceGain, SetVoiceLift, SetVoiceStep, SetVoiceSide, SetVoiceChannels, SetFilter,
                             DefineGroup, SetGroupGain, SetDuck, SetScope>;
static_assert(std::is_trivially_copyable_v<Command>);

struct VoiceFinished {
  std::uint32_t voice = 0;
  MixFrame frame;         ///< the first frame without it
  ClipPosition position;  ///< the place in the clip that it had reached
  MixFrame known;         ///< control may act on it once the clock has reached this: the end of the `render` that found it
};

/// The commands of a request that came too late for their frame.
struct CameLate {
  std::uint64_t request = 0;
  MixFrame landed;  ///< the frame that they were carried out for
};

}  // namespace tidewater
