#pragma once
/// What can be asked of a running manager, each as a small value. A call such as `playback.stop()` makes one; the journal keeps
/// it, and a replay asks for it again.
///
///     if (const auto* raise = std::get_if<asked::Raise>(&request)) log(raise->event.text());
///
/// Texts and traits are views: they live as long as whoever made the request says.

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>
#include <variant>

#include "tidewater/gauge.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/loading.hpp"
#include "tidewater/name.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

/// Whose level or filter: one playback's, or a group's.
using Target = std::variant<PlaybackId, Name>;

namespace asked {

/// A bank is loaded.
struct Load {
  std::string_view bank;
  ContentHash content;
  Preload preload = Preload::all;
  std::string_view language = {};  ///< of its speech, for whoever reads the journal
};

/// A new version of a loaded bank takes its place: what plays goes on with the old one.
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

/// Something happened. The manager counts raises from 1; `id` is that count where it is known.
struct Raise {
  std::uint64_t id = 0;
  Name event{""};
  Emitter emitter;
  std::optional<Place> place;  ///< in the world: the emitter's, or where it happened; none for nowhere, and for an emitter that is gone
  Vector velocity, facing;     ///< of the emitter
  std::span<const Trait> traits;
  std::span<const GaugeValue> gauges = {};  ///< what the emitter says of those that the event's sounds follow
};

/// A gauge is somewhere, for all whose emitter does not say otherwise.
struct SetGauge {
  Name gauge{""};
  double value = 0;
};

/// A listener is somewhere, from the next update on, and for what is raised from now on.
struct SetListener {
  std::uint64_t listener = 0;  ///< its number, from 0 to 7
  Place place;
  Vector facing{0, 0, -1};
  Vector up{0, 1, 0};
  Vector velocity;
  Decibels gain;
};

/// A listener is gone.
struct RemoveListener {
  std::uint64_t listener = 0;
};

/// What the event may play is to be in memory soon.
struct Prefetch {
  Name event{""};
};

/// One playback fades out.
struct Stop {
  PlaybackId playback;
  Seconds fade;
};

/// A level, reached over `time`.
struct SetGain {
  Target of;
  Decibels gain;
  Seconds time{0.02};
};

/// The pitch of one playback, from the one that was drawn.
struct Bend {
  PlaybackId playback;
  Semitones pitch;
  Seconds time{0.02};
};

/// The place of one playback.
struct SetPan {
  PlaybackId playback;
  Pan pan;
  Seconds time{0.02};
};

/// 0 Hz takes the filter out.
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

/// A group on or off.
struct SetMute {
  Name group{""};
  bool mute = false;
};

/// All that plays fades out.
struct StopAll {
  Seconds fade;
};

/// The file of a playback that streams could not be read any further. No game asks for it: it happens, and is played again.
struct Unreadable {
  PlaybackId playback;
  std::string_view why;
};

/// A clip has come into memory from its bank, and what waited for it begins; or it cannot be read, and `why` says so. No game asks for
/// it, nor for the next.
struct ClipRead {
  std::string_view bank, clip;
  std::uint64_t number = 0;  ///< of the clip in its bank
  std::uint64_t load = 0;    ///< which load or reload the bank came with, from 1: a version of it may have been replaced
  std::string_view why;
};

/// A clip that nobody used for long made room for others.
struct ClipDropped {
  std::string_view bank, clip;
  std::uint64_t number = 0;
  std::uint64_t load = 0;
};

}  // namespace asked

using Request =
    std::variant<asked::Load, asked::Unload, asked::Raise, asked::Stop, asked::SetGain, asked::Bend, asked::SetPan, asked::SetLowPass,
                 asked::SetHighPass, asked::SetMute, asked::StopAll, asked::Unreadable, asked::Prefetch, asked::Reload, asked::ClipRead,
                 asked::ClipDropped, asked::SetListener, asked::RemoveListener, asked::SetGauge>;

}  // namespace tidewater
