#pragma once
/// What plays, as the control side knows it: starts of sounds, and the layers of each.

#include <algorithm>
#include <cstdint>

#include "bank/bank_data.hpp"
#include "base/clip_position.hpp"
#include "mix/stream_ring.hpp"
#include "terms/agenda.hpp"
#include "terms/bent.hpp"
#include "terms/heard_from.hpp"
#include "terms/level.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/ended.hpp"
#include "voices/live_clips.hpp"

namespace tidewater {

struct Stream;
struct LiveStart;
struct LiveSound;
struct LiveBank;

/// A bank that something may play from.
struct PlayedBank {
  LiveClips clips;
  bool unloaded = false;       ///< kept until nothing plays from it; its sleeping layers are over
  bool replaced = false;       ///< the same, and what plays goes on
  std::size_t playing = 0;     ///< starts from it that are not over
  std::size_t asleep = 0;      ///< their layers that sleep; holds only while `stops` is the present count
  std::uint64_t stops = 0;     ///< the count of stop-alls when `asleep` was counted: a stop-all empties all counts by raising it
  LiveBank* loaded = nullptr;  ///< the whole bank as `play` keeps it; nothing here reads it
};

/// What is to be known of a loaded sound while it plays.
struct PlayedSound {
  LiveSound* loaded = nullptr;  ///< the whole sound as `play` keeps it; nothing here reads it
  PlayedBank* home = nullptr;
  const BankData* bank = nullptr;
  const BankSound* design = nullptr;
  std::uint32_t group = 0;
  PlaybackId stopped;                                             ///< what began before and sleeps is gone
  std::size_t asleep = 0;                                         ///< its layers that sleep, as in PlayedBank
  std::uint64_t stops = 0;                                        ///< as in PlayedBank
  LiveStart* latest = nullptr;                                    ///< its starts that are not over hang together, the latest first
  PlayedSound *next_playing = nullptr, **from_playing = nullptr;  ///< among the sounds of its group that play
  /// Sounds of the same name in other versions of its bank: those that were replaced and still play, and those of patches.
  PlayedSound *older = nullptr, *newer = nullptr;
};

/// The version that leads to all others by `older`: it stands for the sound, whatever its version.
inline PlayedSound& newest_version(PlayedSound& sound) {
  PlayedSound* newest = &sound;
  while (newest->newer != nullptr) newest = newest->newer;
  return *newest;
}
inline const PlayedSound& newest_version(const PlayedSound& sound) { return newest_version(const_cast<PlayedSound&>(sound)); }

/// Where a layer stands with its voice.
enum class Stage {
  none,      ///< it is over
  sounding,  ///< has a voice
  held,      ///< has a voice, and its scope is on hold
  settling,  ///< its voice fades; then it is dormant
  dormant,   ///< keeps its place in time without a voice
  leaving,   ///< its voice fades; then it is over
};

/// Where a layer is in its clip: at `position` on frame `since`, going on by `step` each frame.
struct Progress {
  ClipPosition position;
  ScopeFrame since;
  std::uint64_t step = 0;
};

/// How a layer sounds: what was drawn for it, and what the game turned since.
struct Turned {
  Decibels drawn_gain, own_gain;
  Semitones drawn_pitch, own_pitch;
  Pan pan;
  Hertz low_pass, high_pass;
};

/// What was last told of a stream.
struct StreamTold {
  MixFrame late = StreamRing::never, back = StreamRing::never;
};

/// One layer of a start.
struct LiveLayer {
  LiveStart* start = nullptr;
  LiveLayer* next = nullptr;  ///< of the same start
  const BankLayer* design = nullptr;
  const BankClip* clip = nullptr;
  std::size_t bed = 0;                      ///< of a dormant one
  Agenda::Ticket turn = Agenda::no_ticket;  ///< of a dormant one that waits for its delay: its turn on the agenda
  std::uint32_t voice = 0;                  ///< but for dormant ones
  std::uint32_t slot = 0;
  Stage stage = Stage::none;
  bool unread = false;  ///< its clip is not in memory yet: it waits for that
  Turned its;
  Level level;             ///< of the clip at its own gain, before the groups
  Bent bent;               ///< by gauges
  Level lift{Decibels{}};  ///< what that makes of its level
  MixFrame lifted_at{-1};  ///< the update in which gauges last raised it from silence
  Progress progress;
  Stream* stream = nullptr;  ///< of a streamed clip, while it has a voice
  StreamTold told;
  Ending how = Ending::finished;  ///< it will have ended

  bool over() const { return stage == Stage::none; }
  bool waits() const { return turn != Agenda::no_ticket; }
  LiveClip& live_clip() const;
};

/// What a start is of a sound that starts again and again.
enum class Part : std::uint8_t {
  whole,    ///< of one that does not: it is heard itself
  cadence,  ///< what was raised: it sleeps, and others are heard for it
  beat      ///< one of those
};

/// A sound that was started, until all of its layers are over.
struct LiveStart {
  PlayedSound* sound = nullptr;
  PlaybackId id;
  LiveLayer* layers = nullptr;
  std::uint32_t drawn;                                                ///< how often its sound had been asked for: its draws come from this
  std::uint32_t alive = 0;                                            ///< layers that are not over; none where the slot is free
  LiveStart *earlier = nullptr, *later = nullptr;                     ///< of the same sound
  LiveStart *next_of_emitter = nullptr, **from_of_emitter = nullptr;  ///< among those that may be of one sound and one emitter
  std::uint64_t emitter = 0;
  std::uint64_t renewed = 0;  ///< number of the raise that asked for it again after a restart of its scope; for a step of a cadence, the
                              ///< last raise before the step
  std::uint64_t event = 0;    ///< hash of the event that started it
  std::uint64_t action = 0;   ///< number of the raise that began its action
  ScopeFrame paused_at = ScopeFrame::never();  ///< the frame at which a response paused it; never if it is not paused
  ScopeFrame base;                             ///< the frame that its delays count from
  ScopeFrame heard;                            ///< the frame on which it begins
  std::uint32_t slot = 0;
  bool in_world = false;
  bool follows = false;  ///< gauges
  Part part = Part::whole;
  ScopeNumber scope = 0;
  bool stays = false;         ///< a restart of its scope does not stop it before the grace is over
  HeardFrom* from = nullptr;  ///< of one in the world; beside the start, because few look at it

  StartRef ref() const { return {slot, id}; }
  bool paused() const { return paused_at != ScopeFrame::never(); }
  /// Returns the number of the last raise that asked for it.
  std::uint64_t asked() const { return std::max(id.raise, renewed); }
};

inline LiveClip& LiveLayer::live_clip() const {
  const PlayedSound& sound = *start->sound;
  return sound.home->clips[static_cast<std::size_t>(clip - sound.bank->clips.data())];
}

}  // namespace tidewater
