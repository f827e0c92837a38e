#pragma once
/// What plays: who may start and who has to yield for it, who has a voice, who waits, sleeps and wakes. Starts, layers, pool, agenda and
/// sleepers are its parts; it sends commands through the link, and notes what it decides.

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "base/level.hpp"
#include "notebook/notebook.hpp"
#include "tidewater/ended.hpp"
#include "voices/agenda.hpp"
#include "voices/heard.hpp"
#include "voices/link.hpp"
#include "voices/sleepers.hpp"
#include "voices/starts.hpp"
#include "voices/streams.hpp"
#include "voices/verdict.hpp"
#include "voices/voice_pool.hpp"

namespace tidewater {

struct VoicesOptions {
  Hertz rate;
  std::uint32_t voices = 64;  ///< that may sound at once; the mixer has twice as many, for what still fades
  std::size_t playbacks = 0;
  Quality quality = Quality::standard;
  bool mono = false;
};

/// How much plays.
struct VoicesCount {
  std::uint32_t sounding = 0, most_sounding = 0;  ///< layers with a voice
  std::uint32_t dormant = 0;                      ///< layers without one, or about to lose it
  std::uint32_t fading = 0;                       ///< layers that were told to go
  std::uint32_t late = 0;                         ///< times that a stream was
};

/// A start as it is asked for, with what was drawn for all its layers.
struct NewStart {
  PlaybackId id;
  std::uint64_t emitter = 0;
  std::int64_t base = 0;   ///< the frame that its delays count from
  std::int64_t heard = 0;  ///< the frame on which it begins
  Pan pan;
  Hertz low_pass;
};

class Voices {
 public:
  Voices(const VoicesOptions& options, Link& link, Notebook& notebook, const GroupLevels& levels, Reader& reader);

  // Whether a start may be. The asking has no effect; the verdict holds until the next is asked for.

  /// The gates of the book, in this order: retrigger, spacing, limit. Nothing where the sound may start.
  std::optional<std::pair<Outcome, Reason>> hold_back(const PlayedSound& sound, const HeardBefore& before, std::uint64_t emitter,
                                                      std::int64_t heard);
  /// Who of the layers gets a voice, and whose. Those that make room by the book are gone already, as far as this is asked.
  void share(const PlayedSound& sound, PlaybackId id, std::span<Candidate> wanted);
  bool has_room(std::size_t layers) const { return starts_.has_room(layers); }

  /// Carries the verdict out: others make room, and all layers begin that do not come too late. Each is told its voice.
  LiveStart& begin(PlayedSound& sound, const NewStart& start, std::span<Candidate> wanted);

  // What is done to starts and layers.

  /// Null where nothing of it plays.
  LiveStart* find(PlaybackId id, std::uint32_t slot);
  std::uint32_t slot_of(PlaybackId id) const { return starts_.slot_of(id); }
  /// Calls `act(layer)` for each that is not over; it may end it.
  template <class Act>
  static void each_layer(LiveStart& start, Act act) {
    // The next is looked up before: with the last layer that ends all slots are free.
    for (LiveLayer *layer = start.layers, *next = nullptr; layer != nullptr; layer = next) {
      next = layer->next;
      if (!layer->over()) act(*layer);
    }
  }
  void leave(LiveLayer& layer, Seconds fade, Ending how, const Reason& why = {});
  void set_gain(LiveLayer& layer, Decibels gain, Seconds time);
  void set_pan(LiveLayer& layer, Pan pan, Seconds time);
  void set_filter(LiveLayer& layer, StateFilter::Kind kind, Hertz frequency, Seconds time);
  void bend(LiveLayer& layer, Semitones pitch, Seconds time);
  /// False where nothing of it plays. `by` is what asked for it: what began before.
  bool stop(PlayedSound& sound, Seconds fade, PlaybackId by);
  void stop_all(Seconds fade, PlaybackId by);
  /// All that plays from a bank: at its end nobody has it any more.
  void unload(PlayedBank& bank, WhatPlays what_plays);
  /// A clip is in memory: what waited for it, and for no other, goes on as if it had been asked for now.
  void clip_came(PlayedBank& bank, LiveClip& clip);
  /// It cannot be read: the layers that waited for it are over.
  void clip_failed(PlayedBank& bank, const LiveClip& clip);

  // The way of time.

  /// What the audio thread has told.
  void take(std::span<const VoiceFinished> reports);
  /// Whether a delay is nearly over.
  bool any_due() const { return agenda_.due_by(link_.now().at) != nullptr; }
  /// Of the next layer whose delay is nearly over: whether it got a voice. One that is too late for that has to be told to leave.
  /// Nothing where it was told to go meanwhile.
  std::optional<std::pair<LiveLayer*, Candidate>> claim_due();
  /// Once for each step of the clock, in an update and nowhere else: then it makes no difference which request comes first.
  void tend();
  /// Says which streams were late or are back. `failed(id, trouble)` is told of those that cannot go on.
  void watch_streams(const std::function<void(PlaybackId, std::string_view)>& failed);
  Streams& streams() { return streams_; }

  const VoicesCount& count() const { return count_; }
  std::size_t playbacks() const { return starts_.count(); }
  /// What ended between the last two calls of `hand_out_ended`.
  std::span<const EndedPlayback> ended() const { return ended_.told; }
  void hand_out_ended();

  /// See base/state.hpp. `sound(pointer)` keeps which sound one is.
  template <class State, class Sound>
  void state(State& s, Sound sound) {
    s(all_, tended_, count_, idle_count_);
    starts_.state(s, sound);
    const auto layer = [&](LiveLayer*& its) { s.place(its, starts_.layers()); };
    pool_.state(s, layer);
    sleepers_.state(s, layer);
    agenda_.state(s, layer);
    s.each(unread_, [&](Unread& its) {
      s(its.id);
      s.place(its.start, starts_.starts());
    });
    streams_.state(s, layer);
  }
  /// The start of a sound that was the latest, for whoever keeps sounds.
  template <class State>
  void keep_latest(State& s, PlayedSound& sound) {
    s.place(sound.latest, starts_.starts());
  }
  /// What a voice plays.
  ClipSamples clip_on(std::uint32_t voice) const;

  std::int64_t frames_of(Seconds time) const { return frames(time, options_.rate).value; }
  std::uint64_t step_of(const PlayedSound& sound, Semitones pitch) const;

 private:
  // Claims.
  Level level_of(const LiveLayer& layer) const { return layer.level + levels_.heard[layer.start->sound->group]; }
  /// Who waits for a delay claims nothing yet.
  Claim claim_of(const LiveLayer& layer) const {
    return {layer.start->sound->design->rank, layer.waits() ? Level() : level_of(layer), layer.start->id.raise};
  }
  /// The frame on which what starts at another asks for a voice.
  std::int64_t due_for(std::int64_t starts) const;
  void turned(LiveLayer& layer);
  void freshen_claims();

  // Verdicts.
  void list_starts(const PlayedSound& sound, std::optional<std::uint64_t> emitter);
  bool heard_near(const PlayedSound& sound, const HeardBefore& before, std::uint64_t emitter, std::int64_t frame) const;
  bool leaving(const LiveStart& start) const;
  bool worth_waiting(const BankLayer& design, const BankClip& clip, ClipPosition position, std::uint64_t step) const;
  Reason why_limited(const PlayedSound& sound) const;
  void make_room(const PlayedSound& sound);
  void give_way(LiveLayer& layer, const PlayedSound& to);

  // Voices.
  ClipPosition position_at(const LiveLayer& layer, std::int64_t frame) const;
  void give_voice(LiveLayer& layer, std::int64_t base, std::int64_t first, std::int64_t fade_in);
  void put_to_sleep(LiveLayer& layer, const Reason& why);
  void send(const LiveLayer& layer, const Command& command);
  void end(LiveLayer& layer, std::int64_t frame, Ending how);

  // Sleep.
  bool gone(const LiveLayer& layer) const;
  bool gone(const LiveStart& start) const;
  std::size_t asleep(const PlayedBank& bank) const { return bank.stops == all_.stops ? bank.asleep : 0; }
  std::size_t asleep(const PlayedSound& sound) const { return sound.stops == all_.stops && !sound.home->unloaded ? sound.asleep : 0; }
  void forget_sleepers(PlayedSound& sound);
  std::int64_t end_of(const LiveLayer& layer) const;
  void fall_asleep(LiveLayer& layer, ClipPosition position, std::int64_t since);
  void wait_for(LiveLayer& layer, std::int64_t frame);
  static bool waits_for_clips(const LiveStart& start);
  void go_on(LiveStart& start);
  template <class Act>
  void each_unread(const PlayedBank& bank, const LiveClip& clip, Act act);
  void get_up(LiveLayer& layer);
  std::int64_t earliest(const LiveLayer& layer) const;
  void wake(LiveLayer& layer);
  void end_slept_out();
  void sweep();

  /// Stops of everything.
  struct Stopped {
    PlaybackId before;        ///< what began before and sleeps is gone
    std::uint64_t stops = 0;  ///< so many there were
  };

  VoicesOptions options_;
  Link& link_;
  Notebook& notebook_;
  const GroupLevels& levels_;
  Starts starts_;
  VoicePool pool_;
  Sleepers sleepers_;
  Agenda agenda_;
  Streams streams_;
  Verdict verdict_;
  std::vector<LiveStart*> in_order_;  ///< starts of one sound, the oldest first: what was last asked for
  Stopped all_;
  /// Up to where what is done in updates has been done.
  struct Tended {
    std::int64_t at = 0;
    std::uint64_t levels = 0;  ///< the change of groups that all claims go by
    std::size_t to_sweep = 0;  ///< so many beds, the first, may have somebody in them who is gone
  };
  Tended tended_;
  /// A start that waits for its clips; another one may have its place since.
  struct Unread {
    LiveStart* start = nullptr;
    PlaybackId id;
  };
  std::vector<Unread> unread_;
  std::uint64_t idle_count_ = 0;  ///< times that a clip fell idle
  VoicesCount count_;
  /// As many as may play: a game that does not update is told of the first.
  struct EndedOnes {
    std::vector<EndedPlayback> fresh, told;
  };
  EndedOnes ended_;
};

}  // namespace tidewater
