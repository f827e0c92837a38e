#pragma once
/// The journal: what the game asked, what was decided, and why, one entry after the other. `tidewater/journal_file.hpp` writes it
/// to a file; docs/journal.md has the format.
///
///     SoundManager manager({.journal = [](const JournalEntry& entry) {
///       if (const auto* decision = entry.as<noted::Decision>(); decision && refused(decision->outcome)) log(decision->why);
///     }});

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "tidewater/ended.hpp"
#include "tidewater/export.hpp"
#include "tidewater/layout.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/request.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {
namespace noted {

/// First of all: with what the manager was made.
struct Head {
  Hertz rate{48000};
  std::uint64_t seed = 1;
  std::uint32_t voices = 64;
  Quality quality = Quality::standard;
  Layout layout = Layout::stereo;
  bool limiter = true;
  std::uint32_t playbacks = 65536, emitters = 16384;
  bool recorded = false;  ///< a manager wrote the journal: it has every update that was made
  /// The kind of machine that makes the samples: the instruction set that is mixed with, such as "AVX2". Decisions are the same on all.
  std::string machine;
};

/// A request, before what was decided on it.
struct Asked {
  Frames lands;            ///< the end of the block that was being rendered, where it is heard; or else when it was asked
  Frames into;             ///< of a raise: how far into that block it came
  bool meanwhile = false;  ///< it came while an update was under way
  Request request;
  std::shared_ptr<const void> keeps;  ///< the request's texts, as long as a copy of this lives
};

/// One layer of a sound, as it began.
struct Layer {
  static constexpr std::uint32_t no_voice = ~0U;

  std::string name, clip, group;
  Decibels gain;
  Semitones pitch;
  Pan pan;
  Hertz low_pass;              ///< 0 for none
  std::optional<Metres> away;  ///< of one in the world: from the listener that counts, as it begins
  Seconds clip_start;          ///< where in its clip it begins
  Frames starts;               ///< its first frame, after the delay
  Seconds fade_in;
  bool loop = false;
  std::uint32_t voice = no_voice;
  // Of a track.
  Tempo tempo;  ///< 0 for none
  std::uint32_t metre = 0;
  Seconds first_beat;  ///< where in the clip
};

/// What became of a request.
struct Decision {
  Outcome outcome = Outcome::done;
  std::uint64_t raise = 0;  ///< the raise that it is about; 0 for none
  PlaybackId playback;
  std::string event, sound;
  std::optional<Layer> start;  ///< of one that plays: its first layer that is heard
  std::string why;             ///< in words, where something was refused or is worth explaining
};

/// A further layer of the playback that was decided on before.
struct FurtherLayer {
  Outcome outcome = Outcome::started;
  PlaybackId playback;
  std::string event, sound;
  Layer layer;
  std::string why;
};

/// A layer that waited for its delay asked for a voice, a quarter of a second before it is heard from `starts` on.
struct Due {
  Outcome outcome = Outcome::started;  ///< or why it is not heard then: dormant, silent or pool_full
  PlaybackId playback;
  std::string sound, layer;
  std::uint32_t voice = Layer::no_voice;
  Frames starts;
  std::string why;
};

/// A playback was told to go.
struct Fading {
  PlaybackId playback;
  std::string sound;
  std::string layer;  ///< empty for the only layer of a sound
  std::uint32_t voice = 0;
  Seconds fade;
  Ending how = Ending::stopped;
  std::string why;
  Frames from;  ///< the frame on which the fade begins, if that is later; 0 otherwise
};

/// A dormant playback has a voice again, and is heard from `starts` on.
struct Woke {
  PlaybackId playback;
  std::string sound;
  std::string layer;  ///< empty for the only layer of a sound
  std::uint32_t voice = 0;
  Frames starts;
};

/// A playback is over.
struct Ended {
  PlaybackId playback;
  std::string sound;
  Ending how = Ending::finished;
};

/// The game called `update` `times` times, first at `first`. `after` is how many requests of the same frame came before each call.
struct Updates {
  static constexpr std::uint32_t all = ~0U;

  Frames first;
  Frames every;
  std::uint64_t times = 0;
  std::uint32_t after = 0;
  Frames ahead;  ///< from there to the end of the block that was being rendered
};

/// An emitter that matters, as decisions know it from an update on: they go by what is noted here, or came with a raise, and by nothing
/// else that the game says of places.
struct KeptEmitter {
  Emitter emitter;
  bool gone = false;  ///< it was removed
  Place place;
  Vector velocity, facing;
};
/// What an emitter says of a gauge.
struct KeptGauge {
  Emitter emitter;
  std::string gauge;
  double value = 0;
};
struct Kept {
  std::uint64_t update = 0;  ///< of those that are noted, from 1
  std::vector<KeptEmitter> emitters;
  std::vector<KeptGauge> gauges;
};

/// The commands of a request reached the audio thread too late for their frame.
struct Late {
  std::uint64_t request = 0;  ///< requests and updates before it, what was due with them, and itself
  Frames landed;              ///< the frame that they were carried out for
};

/// Once a second: sums over all that was decided before it, each by the room of the library that decided it. A replay that differs
/// names the first second and the room where it does.
struct Sums {
  std::int64_t second = 0;
  std::uint64_t choose = 0;  ///< what was drawn and picked
  std::uint64_t voices = 0;  ///< who had a voice, slept, woke and ended
  std::uint64_t play = 0;    ///< what was refused, held back or stopped
};

/// Something worth knowing that nobody asked.
struct Notice {
  std::string why;
  PlaybackId playback;        ///< of a stream, as are the next two
  std::string sound, stream;  ///< "late" or "back"
};

/// Last of all: the journal is whole up to here.
struct End {};

}  // namespace noted

struct JournalEntry {
  Frames at;  ///< on the mixer's clock: what had been handed out
  std::variant<noted::Head, noted::Asked, noted::Decision, noted::FurtherLayer, noted::Due, noted::Fading, noted::Woke, noted::Ended,
               noted::Updates, noted::Late, noted::Sums, noted::Notice, noted::Kept, noted::End>
      what;

  /// Null where it is something else.
  template <class T>
  const T* as() const {
    return std::get_if<T>(&what);
  }
};

/// Where the manager sends entries, in order: from `update` and the manager's end, on that thread, outside the lock that others
/// wait for. It may call the manager. What it throws comes out of `update`; what it was not given yet comes with the next.
using JournalSink = std::function<void(const JournalEntry&)>;

}  // namespace tidewater
