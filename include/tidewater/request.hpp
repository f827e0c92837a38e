#pragma once
/// Requests: everything that can be asked of a running manager, each as a small value. A call such as `playback.stop()` makes one, the
/// journal records it, and a replay asks for it again.
///
///     if (const auto* raise = std::get_if<asked::Raise>(&request)) log(raise->event.text());
///
/// Texts and traits are views. They live as long as the maker of the request says.

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>
#include <variant>

#include "tidewater/design.hpp"
#include "tidewater/export.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/loading.hpp"
#include "tidewater/name.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace TIDEWATER_API tidewater {

/// The playback or the group whose level or filter changes.
using Target = std::variant<PlaybackId, Name>;

namespace asked {

/// Loads a bank.
struct Load {
  std::string_view bank;
  ContentHash content;
  Preload preload = Preload::all;
  std::string_view language = {};  ///< of the bank's speech; only readers of the journal use it
};

/// Replaces a loaded bank by a new version. Playbacks go on with the old version.
struct Reload {
  std::string_view bank;
  ContentHash content;
  Preload preload = Preload::all;
  std::string_view language = {};
};

struct Unload {
  std::string_view bank;
  WhatPlays what_plays = WhatPlays::fades;
};

/// Raises an event. The manager counts raises from 1; `id` is that count, 0 if it is not known.
struct Raise {
  std::uint64_t id = 0;
  Name event{""};
  Emitter emitter = {};
  std::optional<Place> place = {};    ///< the emitter's, or where it happened; none for an emitter that is gone
  Vector velocity = {}, facing = {};  ///< of the emitter
  std::span<const Trait> traits = {};
  std::span<const GaugeValue> gauges = {};  ///< the emitter's values of gauges that the event's sounds follow
  Name scope{"", 0};                        ///< overrides the scopes of the sounds; empty for none
  Seconds delay = {};                       ///< added to the delay of each response
  std::uint64_t action = 0;                 ///< number of the raise that began the action; 0 if this raise begins one
};

/// Sets a gauge for every sound. An emitter with a value of its own keeps it.
struct SetGauge {
  Name gauge{""};
  double value = 0;
};

/// Sets a listener, for raises at once and for what plays from the next update on.
struct SetListener {
  std::uint64_t listener = 0;  ///< number from 0 to 7
  Place place;
  Vector facing{0, 0, -1};
  Vector up{0, 1, 0};
  Vector velocity;
  Decibels gain;
};

/// Removes a listener.
struct RemoveListener {
  std::uint64_t listener = 0;
};

/// Reads the clips that an event may play.
struct Prefetch {
  Name event{""};
};

/// Stops one playback. Without `fade` it stops over the sound's own fade-out.
struct Stop {
  PlaybackId playback;
  std::optional<Seconds> fade;
};

/// Sets a level, reached over `time`.
struct SetGain {
  Target of;
  Decibels gain;
  Seconds time{0.02};
};

/// Bends the pitch of one playback, relative to the pitch that was drawn.
struct Bend {
  PlaybackId playback;
  Semitones pitch;
  Seconds time{0.02};
};

/// Pans one playback.
struct SetPan {
  PlaybackId playback;
  Pan pan;
  Seconds time{0.02};
};

/// 0 Hz removes the filter.
struct SetLowPass {
  Target of;
  Hertz frequency;
  Seconds time{0.02};
};

struct SetHighPass {
  Target of;
  Hertz frequency;
  Seconds time{0.02};
};

/// Mutes a group, or ends that.
struct SetMute {
  Name group{""};
  bool mute = false;
};

/// Plays a track. The track that plays on its stand gives way to it.
struct Play {
  Name track{""};
};

/// Ends the music on a stand: where the track that plays says, or on the next boundary `on`.
struct Leave {
  Name stand{""};
  std::optional<On> on;
  std::optional<Seconds> fade;  ///< without it, the track's own fade-out
};

/// Begins a scope and the scopes below it, or restarts them.
struct BeginScope {
  Name scope{""};
};

/// Ends a scope and the scopes below it. Without `fade`, playbacks stop over the scope's own fade-out.
struct EndScope {
  Name scope{""};
  std::optional<Seconds> fade;
};

/// Pauses a scope and the scopes below it.
struct PauseScope {
  Name scope{""};
};

/// Ends the pause of a scope.
struct ResumeScope {
  Name scope{""};
};

/// Sets the speed of a scope's time, reached over `time`.
struct SetTimeScale {
  Name scope{""};
  TimeScale scale;
  Seconds time{0.3};
};

/// Stops all playbacks.
struct StopAll {
  Seconds fade;
};

// The manager itself makes the last three, when something has happened that a replay must repeat.

/// The file of a streamed playback could not be read any further.
struct Unreadable {
  PlaybackId playback;
  std::string_view why;
};

/// A clip was read into memory, and the starts that waited for it begin. If it could not be read, `why` says so.
struct ClipRead {
  std::string_view bank, clip;
  std::uint64_t number = 0;  ///< of the clip in its bank
  std::uint64_t load = 0;    ///< number of the load or reload that brought the bank, from 1: its version may have been replaced
  std::string_view why;
};

/// A clip that was unused for long was dropped from memory.
struct ClipDropped {
  std::string_view bank, clip;
  std::uint64_t number = 0;
  std::uint64_t load = 0;
};

/// Begins or ends a mood.
struct SetMood {
  Name mood{""};
  bool on = true;
};

/// Sets a group's level for the player, as a share of its loudness. Kept by name if no bank has the group yet.
struct SetPlayerLevel {
  Name group{""};
  Share level;
};

/// Switches a group off for the player, or on again.
struct SetPlayerSwitch {
  Name group{""};
  bool on = true;
};

/// Replaces the values of one sound of a loaded bank; what plays of it moves to the new values. For tools that change a running game.
struct Turn {
  std::string_view bank;
  Name sound{""};
  std::string_view design;  ///< a bank file with this sound alone, in base64; docs/bank-format.md has its parts
};

}  // namespace asked

using Request = std::variant<asked::Load, asked::Unload, asked::Raise, asked::Stop, asked::SetGain, asked::Bend, asked::SetPan,
                             asked::SetLowPass, asked::SetHighPass, asked::SetMute, asked::StopAll, asked::Unreadable, asked::Prefetch,
                             asked::Reload, asked::ClipRead, asked::ClipDropped, asked::SetListener, asked::RemoveListener, asked::SetGauge,
                             asked::BeginScope, asked::EndScope, asked::PauseScope, asked::ResumeScope, asked::SetTimeScale, asked::Play,
                             asked::Leave, asked::SetMood, asked::SetPlayerLevel, asked::SetPlayerSwitch, asked::Turn>;

}  // namespace tidewater
