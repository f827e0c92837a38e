#pragma once
/// All that plays. Decides which sounds may start and which yield, gives voices, puts layers to sleep and wakes them. Its parts are the
/// starts and layers, the pool of voices and the sleepers. It sends commands through the link and notes its decisions.

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "notebook/notebook.hpp"
#include "terms/level.hpp"
#include "tidewater/ended.hpp"
#include "tidewater/playback.hpp"
#include "voices/heard.hpp"
#include "voices/link.hpp"
#include "voices/sleepers.hpp"
#include "voices/start_values.hpp"
#include "voices/starts.hpp"
#include "voices/stops.hpp"
#include "voices/streams.hpp"
#include "voices/verdict.hpp"
#include "voices/voice_pool.hpp"

namespace tidewater {

class Voices {
 public:
  Voices(const VoicesOptions& options, Link& link, Notebook& notebook, const GroupLevels& levels, const GroupLimits& limits, Reader& reader,
         Agenda& agenda);

  // Whether a start may be. Asking changes nothing; a verdict holds until something begins, ends or is turned.

  /// Before asking: claims go by the groups as they are now.
  void freshen_claims();
  /// The gates of the book, in this order: retrigger, spacing, limit.
  /// A sound with a cadence is held back if its cadence plays already, each of its steps by other steps.
  /// `from` is where it is heard from, if it is in the world: a sound that is too far to be heard holds nobody back.
  Gated gate(const PlayedSound& sound, const HeardBefore& before, const Asker& asker, const HeardFrom* from = nullptr,
             Part part = Part::whole) const;
  /// The latest start that a sound with retrigger "ignore" is held back by. Null if there is none.
  const LiveStart* what_plays(const Verdict& verdict) const;
  /// Decides for each layer whether it gets a voice, and notes in the verdict who loses one for it. Starts that leave by the verdict count
  /// as gone.
  void share(PlaybackId id, std::span<Candidate> wanted, Verdict& verdict) const;
  /// Whether a layer is worth keeping without a voice.
  bool worth_waiting(const Candidate& its) const { return worth_waiting(*its.layer, *its.clip, its.position, its.step); }
  /// Which gate holds a start back; one must.
  static Reason why_held(const Gated& gated);
  /// That as many play as may.
  static Reason why_limited(const Verdict& verdict);
  bool has_room(std::size_t layers) const { return starts_.has_room(layers); }
  /// A start may be asked for soon.
  void fetch_next() const {
    starts_.fetch_next();
    pool_.fetch_next();
  }

  /// Carries the verdict out: others make room, and all layers begin that do not come too late. Each is told its voice.
  LiveStart& begin(PlayedSound& sound, const NewStart& start, std::span<Candidate> wanted, const Verdict& verdict);

  // What is done to starts and layers.

  /// Calls `act(start)` for the starts of a sound and an emitter that have not ended or been told to go.
  template <class Act>
  void each_of_emitter(const PlayedSound& sound, std::uint64_t emitter, Act act) const {
    starts_.any_of(sound, emitter, [&](LiveStart& start) {
      if (!gone(start)) act(start);
      return false;
    });
  }
  /// Returns null if the start has ended or was told to go.
  LiveStart* find(StartRef start);
  std::uint32_t slot_of(PlaybackId id) const { return starts_.slot_of(id); }
  /// Calls `act(layer)` for each layer that is not over. `act` may end the layer.
  template <class Act>
  static void each_layer(LiveStart& start, Act act) {
    // The next is looked up before: with the last layer that ends all slots are free.
    for (LiveLayer *layer = start.layers, *next = nullptr; layer != nullptr; layer = next) {
      next = layer->next;
      if (!layer->over()) act(*layer);
    }
  }
  void leave(LiveLayer& layer, Seconds fade, Ending how, const Reason& why = {});
  /// A stop of a start on a frame of its scope, with a fade.
  struct StopAt {
    std::int64_t fade = 0;   ///< frames of the scope
    ScopeFrame frame = {0};  ///< at once if it lies in the past
    FadeLaw law = FadeLaw::equal_loudness;
  };
  void leave_at(LiveStart& start, const StopAt& stop, const Reason& why);
  /// Returns whether a start plays and was not told to stop.
  bool plays_on(StartRef start);
  void set_gain(LiveLayer& layer, Decibels gain, Seconds time);
  void set_pan(LiveLayer& layer, Pan pan, Seconds time);
  void set_filter(LiveLayer& layer, StateFilter::Kind kind, Hertz frequency, Seconds time);
  void bend(LiveLayer& layer, Semitones pitch, Seconds time);
  /// Bends a layer by gauges from here on.
  void bend_to(LiveLayer& layer, const Bent& bent);
  /// Moves the level of a layer from a frame of its scope on, over a ramp in frames.
  void lift_on(LiveLayer& layer, const Bent& bent, ScopeFrame frame, std::int64_t ramp);
  /// Stops all starts of a sound that began before `by`. Returns whether there was any.
  bool stop(PlayedSound& sound, Seconds fade, PlaybackId by);
  void stop_all(Seconds fade, PlaybackId by);
  /// Ends all that plays from a bank, or lets it finish. When nothing plays from the bank any more, it can be destroyed.
  void unload(PlayedBank& bank, WhatPlays what_plays);
  /// A clip was read: starts that waited for it, and for no other, begin now.
  void clip_came(PlayedBank& bank, LiveClip& clip);
  /// A clip cannot be read: the layers that waited for it are over.
  void clip_failed(PlayedBank& bank, const LiveClip& clip);

  // Pauses of single starts.

  /// Fades a start out over `fade` and keeps its position until `resume`. Its layers give up their voices.
  void pause(LiveStart& start, Seconds fade, const Reason& why);
  /// Resumes a paused start at its position. Its layers ask for voices as dormant layers do.
  void resume(LiveStart& start);

  /// Calls `act(start)`, which may end the start, for all starts of this version of the sound that have not ended or been told to go.
  template <class Act>
  void each_start(PlayedSound& sound, Act act) {
    for (LiveStart *start = sound.latest, *next = nullptr; start != nullptr; start = next) {
      next = start->earlier;
      if (!gone(*start)) act(*start);
    }
  }
  /// Stops the starts for which `is(start)` holds and that are not heard yet. Returns how many there were.
  std::size_t stop_unheard(const std::function<bool(const LiveStart&)>& is, const Reason& why);

  /// Whether a start of this version of the sound, on the emitter if one is given, plays and was not told to stop.
  bool plays(const PlayedSound& sound, Emitter emitter) const;
  PlaybackState state_of(const LiveStart& start) const;
  /// Returns the place of the first layer in its clip.
  Seconds position_of(const LiveStart& start) const;

  // The world.

  /// Lists the layers that have a voice.
  void list_voiced(std::vector<VoicedLayer>& voiced) const;
  /// The start in a slot. Null if the slot is free, or its start was told to go.
  LiveStart* start_at(std::uint32_t slot);
  /// The sound of the start in a slot. Null if the slot is free.
  const PlayedSound* sound_of(std::uint32_t slot) const { return starts_.sound_of(slot); }
  /// Null if it has lost its voice.
  LiveLayer* layer_on(const VoicedLayer& voiced);
  /// A start is heard like this from here on.
  void hear(LiveStart& start, const HeardFrom& from);
  /// The same for a layer that had a voice, if it still has it.
  void hear(const VoicedLayer& voiced, const HeardFrom& from);
  /// Lets these sleepers in the world wake if they get a voice, and no others.
  void bring_near(std::span<const HeardStart> starts);
  /// Puts layers to sleep that have a voice and are too far to be heard, or that a gauge silences. `why(layer, from)` returns the reason.
  void hush(const std::function<Reason(const LiveLayer&, const HeardFrom&)>& why);
  /// The emitter was removed: does what the book says for that.
  void leave_behind(LiveStart& start);
  /// Starts that have ended since this list was last cleared.
  std::vector<StartRef>& over() { return ended_.over; }
  static bool any_asleep(const LiveStart& start);
  /// The level of the loudest layer, before groups and distance.
  static Level own_level(const LiveStart& start);
  /// The level of the loudest layer, with groups and distance.
  Level heard_level_of(const LiveStart& start) const;
  /// From the listener that counts.
  float metres_to(const LiveStart& start) const;

  // Scopes.

  using FadeOf = std::function<Seconds(const LiveStart&)>;
  /// Puts scopes on hold. Their sounding layers keep their voices, and do not count against the voices that may sound.
  void hold_scopes(ScopeMask scopes);
  /// Ends the hold. If more layers would sound than may, the weakest layers of these scopes go to sleep.
  void resume_scopes(ScopeMask scopes);
  /// Stops the playbacks of the scopes that raise `by` or an earlier raise asked for.
  void end_scopes(ScopeMask scopes, std::uint64_t by, const FadeOf& fade_of, const Reason& why);
  /// Stops the same, but lets loops and cadences play on. Each of them stops at `end_left_over`, unless a raise has renewed it by then.
  void restart_scopes(ScopeMask scopes, std::uint64_t by, const FadeOf& fade_of, const Reason& why);
  /// Returns the oldest start of a sound that plays on after a restart, is not renewed yet, and for which `is(start)` holds. Null if there
  /// is none. The caller renews it by setting `renewed`.
  template <class Is>
  LiveStart* left_over(const PlayedSound& sound, ScopeNumber scope, std::uint64_t emitter, Is is) const;
  /// Stops the starts of the scope that were not renewed since its restart.
  void end_left_over(ScopeNumber scope, const Reason& why);

  // Time.

  const ScopeTimes& times() const { return agenda_.times(); }
  /// Takes over a report of the audio thread.
  void take(const VoiceFinished& report);
  /// The layer on the agenda that is due.
  LiveLayer& due_layer(const Due& due) { return starts_.layers()[due.number]; }
  /// A layer that was due has asked for a voice.
  struct Claimed {
    Candidate candidate;
    Verdict verdict;
  };
  /// The delay of a layer is nearly over: it leaves the agenda and asks for a voice. If it comes too late for one, the caller has to tell
  /// it to leave. Returns nothing if the layer was told to go meanwhile, or if it waits on because its scope is on hold.
  std::optional<Claimed> claim_due(LiveLayer& layer);
  /// Wakes sleepers and ends those that slept past their end. Only updates call it, so that the order of requests makes no difference.
  void tend();
  /// Comes before `tend`, and before places are heard anew.
  void begin_tending();
  /// The time between the last two updates.
  Seconds since_before() const { return seconds({tended_.since_before}, options_.rate); }
  /// Notes which streams were late or are back. Calls `failed(id, trouble)` for those that cannot go on.
  void watch_streams(const std::function<void(PlaybackId, std::string_view)>& failed);
  Streams& streams() { return streams_; }

  const VoicesCount& count() const { return count_; }
  std::size_t playbacks() const { return starts_.count(); }
  /// The playbacks that ended between the last two calls of `hand_out_ended`.
  std::span<const EndedPlayback> ended() const { return ended_.told; }
  void hand_out_ended();

  /// See base/state.hpp; the agenda comes before it. `sound(pointer)` keeps which sound it is.
  template <class State, class Sound>
  void state(State& s, Sound sound) {
    s(all_, tended_, count_, of_clips_.idle);
    s.list(ended_.over);
    starts_.state(s, sound);
    if (!s.ok()) return;
    const auto layer = [&](LiveLayer*& its) { s.place(its, starts_.layers()); };
    pool_.state(s, layer);
    if (!s.ok()) return;
    sleepers_.state(s, layer);
    s.list(of_clips_.waiting);
    streams_.state(s, layer);
    agenda_.each([&](Agenda::Ticket ticket, const Due& due) {
      if (due.kind == Due::Kind::layer && (due.number >= starts_.layers().size() || due_layer(due).turn != ticket)) s.damage();
    });
  }
  /// Keeps a sound's latest start.
  template <class State>
  void keep_latest(State& s, PlayedSound& sound) {
    s.place(sound.latest, starts_.starts());
    if constexpr (State::reading)
      if (sound.latest != nullptr && s.ok()) starts_.join_group(sound);
  }
  /// The clip that a voice plays.
  ClipSamples clip_on(std::uint32_t voice) const;
  /// Returns the layer that has a voice; null if none has.
  const LiveLayer* layer_on(std::uint32_t voice) const { return voice < pool_.owners().size() ? pool_.owners()[voice] : nullptr; }

  std::int64_t frames_of(Seconds time) const { return time.value == 0 ? 0 : frames(time, options_.rate).value; }
  std::uint64_t step_of(const PlayedSound& sound, Semitones pitch) const;

 private:
  // Claims.
  static Level own_of(const LiveLayer& layer) { return layer.level + layer.lift; }
  Level level_of(const LiveLayer& layer) const {
    const Level group = levels_.heard[layer.start->sound->group];
    return layer.start->in_world ? heard_level(own_of(layer), group, from_of(layer).level) : heard_level(own_of(layer), group);
  }
  /// How a layer in the world is heard.
  const HeardFrom& from_of(const LiveLayer& layer) const {
    return layer.stage == Stage::dormant || layer.stage == Stage::none ? *layer.start->from : pool_.on()[layer.voice].from;
  }
  /// A layer that waits for its delay claims nothing yet.
  Claim claim_of(const LiveLayer& layer) const {
    return {layer.start->sound->design->rank, layer.waits() ? Level() : claimed_level(layer), layer.start->id.raise};
  }
  /// A stem that is heard claims as the strongest stem of its track does.
  Level claimed_level(const LiveLayer& layer) const {
    Level level = level_of(layer);
    if (layer.start->sound->design->as_track() == nullptr || !level.audible()) return level;
    for (const LiveLayer* stem = layer.start->layers; stem != nullptr; stem = stem->next)
      if (!stem->over()) level = std::max(level, level_of(*stem));
    return level;
  }
  /// The frame on which a layer that starts at `starts` asks for a voice.
  ScopeFrame due_for(ScopeFrame starts) const { return starts - ahead_of_delay_; }
  /// Whether a layer that starts at `starts` waits without a voice: for its delay, or for the end of a hold.
  bool is_to_wait(ScopeNumber scope, ScopeFrame starts) const {
    return times().held(scope) || due_for(starts) > times().at(scope, link_.now().at);
  }
  /// Returns the frame on which a waiting layer is due. In a scope on hold that is not before the frame at which its time stands.
  ScopeFrame waits_until(ScopeNumber scope, ScopeFrame starts) const {
    return times().held(scope) ? std::max(due_for(starts), times().stood_at(scope)) : due_for(starts);
  }
  ScopeFrame base_of(ScopeNumber scope) const { return times().from(scope, link_.base()); }
  /// Returns how many frames of the mixer a change of a layer takes. `time` is counted in the time of the layer's scope.
  std::int64_t frames_of(Seconds time, const LiveLayer& layer) const {
    return time.value == 0 ? 0 : times().lasting(layer.start->scope, frames_of(time), link_.changes_from());
  }
  void spare_voices();
  template <class Is>
  void stop_in(ScopeMask scopes, const FadeOf& fade_of, const Reason& why, Is is);
  std::int64_t way_to_next() const;
  void tell_of_stream(LiveLayer& layer);
  void turned(LiveLayer& layer);

  // Verdicts.
  template <class Is>
  bool any_start(const PlayedSound& sound, std::optional<std::uint64_t> emitter, Is is) const;
  static std::optional<std::uint64_t> whose(const Verdict& verdict);
  template <class Act>
  void each_that_plays(const Verdict& verdict, Act act) const;
  bool plays_already(const Verdict& verdict) const;
  bool restarts(const Verdict& verdict, const LiveStart& start) const;
  LiveStart* oldest_that_restarts(const Verdict& verdict) const;
  bool matters(const Verdict& verdict, const LiveStart& start) const;
  std::optional<std::int64_t> heard_near(const PlayedSound& sound, const HeardBefore& before, const Asker& asker) const;
  struct Counted;
  void obey_limit(Gated& gated, const HeardFrom* from) const;
  void obey_group(Gated& gated, std::uint32_t limited, const HeardFrom* from) const;
  void obey_limits(Gated& gated, const HeardFrom* from) const;
  void settle(Gated& gated, const Counted& counted, std::uint32_t limit, const HeardFrom* from) const;
  bool leaves_by(const Verdict& verdict, const LiveStart& start) const;
  template <class Act>
  void each_in_group(std::uint32_t limited, ScopeNumber scope, Act act) const;
  static Reason why_limited(const PlayedSound& sound, std::size_t playing, const GroupLimits::Group* of_group);
  Verdict verdict_on_due(const LiveStart& start) const;
  bool loses_voice(const Verdict& verdict, const LiveLayer& layer) const;
  /// Voices that nobody has been given yet.
  struct VoicesLeft {
    std::size_t free = 0;    ///< of those that may sound
    std::size_t silent = 0;  ///< of all: a layer that yields still fades on its own voice
  };
  Candidate::Fate fate_of(Candidate& candidate, VoicesLeft& left, Verdict& verdict) const;
  bool leaving(const LiveStart& start) const;
  std::uint32_t heard_of(const LiveStart& start) const;
  /// Starts that give up their voices.
  using Yielding = Few<std::reference_wrapper<LiveStart>, most_limits>;
  bool has_to_yield(LiveStart* weakest, Claim to, Yielding& yielding) const;
  bool may_wake(const LiveStart& start, Claim claim, Yielding& yielding) const;
  LiveStart* weakest_heard(const LiveStart& start) const;
  /// The starts that count against the limit of a group, `but` and those that yield excluded, and the weakest of them in the world.
  struct InGroup {
    std::size_t count = 0;
    LiveStart* weakest = nullptr;
  };
  InGroup heard_in_group(std::uint32_t limited, const LiveStart& but, const Yielding& yielding) const;
  Claim loudest_claim(const LiveStart& start) const;
  /// Whether a layer stands for its start where starts that are heard are counted: of the layers that have a voice and were not told to go,
  /// it has the first voice. Limits count starts, never layers.
  static bool counts_for_start(const LiveLayer& layer) {
    if (layer.stage != Stage::sounding) return false;
    for (const LiveLayer* other = layer.start->layers; other != nullptr; other = other->next)
      if (other->stage == Stage::sounding && other->voice < layer.voice) return false;
    return true;
  }
  /// Calls `act(start)` for each start of a sound, in all its versions, that has a voice; of one emitter where its limit is for each.
  template <class Act>
  void each_heard(const PlayedSound& sound, std::uint64_t emitter, Act act) const;
  bool worth_waiting(const BankLayer& design, const BankClip& clip, ClipPosition position, std::uint64_t step) const;
  void make_room(const Verdict& verdict);
  void leave_for_limit(LiveStart& start, Seconds fade, const Reason& why);
  void give_way(LiveLayer& layer, const PlayedSound& to);

  // Voices.
  void leave(LiveLayer& layer, const StopAt& stop, Seconds fade, Ending how, const Reason& why);
  ClipPosition position_at(const LiveLayer& layer, ScopeFrame frame) const;
  void give_voice(LiveLayer& layer, Claim claim, ScopeFrame base, ScopeFrame first, std::int64_t fade_in,
                  FadeLaw law = FadeLaw::equal_loudness);
  void fill(StartVoice& command, const LiveLayer& layer, ScopeFrame base, ScopeFrame first, std::int64_t fade_in) const;
  static ClipSamples clip_of(const LiveLayer& layer);
  void put_to_sleep(LiveLayer& layer, const Reason& why);
  void send(const LiveLayer& layer, const Command& command);
  void hear_on(std::uint32_t voice, const HeardFrom& from);
  float low_pass_of(const LiveLayer& layer) const;
  static float high_pass_of(const LiveLayer& layer);
  std::uint64_t step_of(const LiveLayer& layer) const;
  void set_step(LiveLayer& layer, std::int64_t ramp);
  void end(LiveLayer& layer, MixFrame frame, Ending how);

  // Sleep.
  bool gone(const LiveLayer& layer) const;
  bool gone(const LiveStart& start) const;
  bool is_counted_out(const LiveLayer& layer) const;
  bool ended_with_scope(const LiveStart& start) const { return all_.of_scopes[start.scope].ended(start); }
  std::size_t asleep(const PlayedBank& bank) const { return bank.stops == all_.stops ? bank.asleep : 0; }
  std::size_t asleep(const PlayedSound& sound) const { return sound.stops == all_.stops && !sound.home->unloaded ? sound.asleep : 0; }
  void forget_sleepers(PlayedSound& sound);
  ScopeFrame end_of(const LiveLayer& layer) const;
  void fall_asleep(LiveLayer& layer, ClipPosition position, ScopeFrame since);
  void wait_for(LiveLayer& layer, ScopeFrame frame);
  void stop_waiting(LiveLayer& layer);
  static bool waits_for_clips(const LiveStart& start);
  void go_on(LiveStart& start);
  template <class Act>
  void each_unread(const PlayedBank& bank, const LiveClip& clip, Act act);
  void get_up(LiveLayer& layer);
  ScopeFrame earliest(const LiveLayer& layer) const;
  void wake(LiveLayer& layer);
  void end_slept_out();
  void sweep();

  VoicesOptions options_;
  std::int64_t ahead_of_delay_;  ///< frames
  Link& link_;
  Notebook& notebook_;
  const GroupLevels& levels_;
  const GroupLimits& limits_;
  Starts starts_;
  VoicePool pool_;
  Sleepers sleepers_;
  Agenda& agenda_;
  Streams streams_;
  Stops all_;
  /// Up to where what is done in updates has been done.
  struct Tended {
    MixFrame at;
    bool goes_on = false;                  ///< the clock has moved since the update before
    std::int64_t since_before = 0;         ///< frames from the update before to the last
    std::array<std::int64_t, 8> recent{};  ///< the same of the last few updates
    std::size_t next_recent = 0;
    std::uint64_t levels = 0;  ///< the change of groups that all claims go by
    std::size_t to_sweep = 0;  ///< so many beds, the first, may have somebody in them who is gone
  };
  Tended tended_;
  /// What is to be known of clips.
  struct OfClips {
    std::vector<StartRef> waiting;  ///< starts that wait for theirs
    std::uint64_t idle = 0;         ///< times that one fell idle
  };
  OfClips of_clips_;
  VoicesCount count_;
  struct EndedOnes {
    std::vector<StartRef> over;              ///< see `over`
    std::vector<EndedPlayback> fresh, told;  ///< as many as may play: a game that does not update is told of the first
  };
  EndedOnes ended_;
};

template <class Act>
void Voices::each_heard(const PlayedSound& sound, std::uint64_t emitter, Act act) const {
  const PlayedSound* const family = &newest_version(sound);
  for (const LiveLayer* layer : pool_.owners()) {
    if (layer == nullptr || !counts_for_start(*layer) || &newest_version(*layer->start->sound) != family) continue;
    if (sound.design->limit_each_emitter && layer->start->emitter != emitter) continue;
    act(*layer->start);
  }
}

template <class Is>
LiveStart* Voices::left_over(const PlayedSound& sound, ScopeNumber scope, std::uint64_t emitter, Is is) const {
  const std::uint64_t until = all_.of_scopes[scope].left_over;
  if (until == 0) return nullptr;
  LiveStart* oldest = nullptr;
  any_start(sound, emitter, [&](LiveStart& start) {
    if (start.scope != scope || !start.stays || start.part == Part::beat || start.asked() > until || leaving(start) || !is(start))
      return false;
    if (oldest == nullptr || start.id < oldest->id) oldest = &start;
    return false;
  });
  return oldest;
}

/// Whether `is(start)` holds for any start of a sound in any of its versions, of one emitter or of all.
template <class Is>
bool Voices::any_start(const PlayedSound& sound, std::optional<std::uint64_t> emitter, Is is) const {
  for (const PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older) {
    if (emitter && Starts::by_emitter(*version)) {
      if (starts_.any_of(*version, *emitter, is)) return true;
      continue;
    }
    for (LiveStart* start = version->latest; start != nullptr; start = start->earlier)
      if ((!emitter || start->emitter == *emitter) && is(*start)) return true;
  }
  return false;
}

/// Calls `act(start)` for the starts that count for the gates.
template <class Act>
void Voices::each_that_plays(const Verdict& verdict, Act act) const {
  any_start(*verdict.sound, whose(verdict), [&](LiveStart& start) {
    if (matters(verdict, start)) act(start);
    return false;
  });
}

}  // namespace tidewater
