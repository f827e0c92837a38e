#pragma once
/// The sound manager: a game says what happened, and hears it.
///
///     SoundManager manager;
///     manager.load(bank);
///     manager.raise("ferry.docked");       // from any game thread
///     manager.update(frame_time);          // once a game frame
///     manager.render(block);               // from the audio thread, or let a Device do it
///
/// Threads: `render` belongs to one thread and never allocates, locks, logs, waits or throws. Every other call may be made from any thread.
/// These share one short lock, which the audio thread never takes; emitters have a lock of their own.
///
/// Playing never throws: what cannot be done is an outcome, with words in the journal. A quantity that is not a number is refused
/// (`not_a_number`). A quantity out of range is clamped, and the journal says so once: levels to +24 dB, bends to 36 st either way, pans to
/// -1 .. 1, times to an hour, filters to 10 Hz .. 100 kHz.

#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/beat.hpp"
#include "tidewater/ended.hpp"
#include "tidewater/export.hpp"
#include "tidewater/guards.hpp"
#include "tidewater/loading.hpp"
#include "tidewater/name.hpp"
#include "tidewater/options.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/playback.hpp"
#include "tidewater/playing_now.hpp"
#include "tidewater/stats.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/world_calls.hpp"

namespace TIDEWATER_API tidewater {

/// Values of one raise that override the book.
struct RaiseChanges {
  ScopeName scope{"", 0};  ///< scope of all sounds that the raise starts; empty for the emitter's, or else each sound's own
  Seconds delay = {};      ///< added to the delay of each response
};

/// Its calls about emitters, listeners and gauges are in tidewater/world_calls.hpp.
class SoundManager : public WorldCalls {
 public:
  /// Throws Error if an option is out of its range.
  explicit SoundManager(ManagerOptions options = {});
  ~SoundManager();
  SoundManager(const SoundManager&) = delete;
  SoundManager& operator=(const SoundManager&) = delete;

  // Banks. A call may take long; only other loads and unloads wait for it.

  /// Loads a bank: its events can be raised when the call returns. Groups that exist keep their levels.
  /// Throws Error, and loads nothing, if a bank of this name is loaded, if a group, sound, gauge or event differs from that of another
  /// bank, or if there would be more than 64 groups or gauges. `Preload` says which clips are read now.
  void load(const Bank& bank, Preload preload = Preload::by_book);
  /// The same without exceptions. Returns why nothing was loaded, or an empty text.
  std::string try_load(const Bank& bank, Preload preload = Preload::by_book);
  /// Returns at once; the reading thread loads the bank. With `offline` this call loads it. `finished_loads` tells when it is done.
  BankLoading load_in_background(const Bank& bank, Preload preload = Preload::by_book);
  /// Replaces the loaded bank of the same name, or loads the bank if there is none. Playbacks go on with the old version; new starts take
  /// the new one, whose events stop the old playbacks, too. Throws as `load` does, and then the old version stays.
  void reload(const Bank& bank, Preload preload = Preload::by_book);
  std::string try_reload(const Bank& bank, Preload preload = Preload::by_book);
  BankLoading reload_in_background(const Bank& bank, Preload preload = Preload::by_book);
  /// The loads in the background that ended between the last two calls of `update`. Valid until the next `update`, on its thread.
  std::span<const LoadedBank> finished_loads() const;
  /// Unloads a bank. Its events are unknown at once, and it can be loaded again. An `update` frees its memory after its last playback has
  /// ended. Returns false if no bank of this name is loaded.
  bool unload(std::string_view bank, WhatPlays what_plays = WhatPlays::fades);
  /// Reads the clips that an event may start, so that its next raise is heard at once.
  /// Returns `unknown_event` or `bank_not_loaded` if no loaded bank has the event.
  Outcome prefetch(EventName event);

  // Events. A raise allocates nothing.

  /// Carries out the responses of an event, in order. An unknown name is an outcome; the journal proposes the nearest name.
  Raised raise(EventName event) { return raise(event, std::span<const Trait>{}); }
  Raised raise(EventName event, Emitter emitter) { return raise(event, std::span<const Trait>{}, emitter); }
  /// The same with traits of what happened, and with the emitter that made it. Sounds in the world are heard from the emitter's newest
  /// place, and go with it. A trait of the emitter counts if the raise has none of that name.
  ///
  ///     manager.raise("passenger.stepped", {{"surface", "planks"}}, passenger);
  Raised raise(EventName event, std::initializer_list<Trait> traits, Emitter emitter = {}) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), emitter);
  }
  Raised raise(EventName event, std::span<const Trait> traits, Emitter emitter = {});
  /// The same at a place, for what has no emitter: a splash.
  Raised raise(EventName event, std::initializer_list<Trait> traits, const Place& place) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), place);
  }
  Raised raise(EventName event, std::span<const Trait> traits, const Place& place);

  /// Raises an event with values that override the book:
  ///
  ///     manager.raise("bell.rang", {.scope = "menu"});
  ///     manager.raise("bell.rang", {}, bell, {.scope = "menu", .delay = 200_ms});
  Raised raise(EventName event, const RaiseChanges& changes) { return raise(event, std::span<const Trait>{}, Emitter{}, changes); }
  Raised raise(EventName event, std::initializer_list<Trait> traits, Emitter emitter, const RaiseChanges& changes) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), emitter, changes);
  }
  Raised raise(EventName event, std::span<const Trait> traits, Emitter emitter, const RaiseChanges& changes);
  Raised raise(EventName event, std::initializer_list<Trait> traits, const Place& place, const RaiseChanges& changes) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), place, changes);
  }
  Raised raise(EventName event, std::span<const Trait> traits, const Place& place, const RaiseChanges& changes);

  /// Raises an event. The playbacks stop, with their fade-outs, when the returned guard is destroyed.
  PlayingWhile play_while(EventName event, Emitter emitter = {});
  /// Begins an action in stages. Each stage raises an event of its own: see tidewater/guards.hpp.
  Action begin_action(EventName event, Emitter emitter = {}) { return begin_action(event, std::span<const Trait>{}, emitter); }
  Action begin_action(EventName event, std::span<const Trait> traits, Emitter emitter = {});

  // Groups. "master" is above all. An unknown group returns `unknown_group`, and nothing changes.

  Outcome set_gain(GroupName group, Decibels gain, Seconds time = Seconds{0.02});
  /// Takes 20 ms.
  Outcome set_mute(GroupName group, bool mute);
  /// Second-order filters over all of a group. 0 Hz removes the filter.
  Outcome set_low_pass(GroupName group, Hertz frequency, Seconds time = Seconds{0.02});
  Outcome set_high_pass(GroupName group, Hertz frequency, Seconds time = Seconds{0.02});
  /// What holds for a group now, without moods and ducks. Returns nothing for an unknown group.
  std::optional<GroupState> group(GroupName group) const;
  /// Returns silence for an unknown group. Reading begins a new peak.
  Meter read_meter(GroupName group);
  /// Starts or stops measuring the loudness of a group, for tools that watch a running game. A measured group costs about 0.1 % of a core.
  /// The samples of the mix stay the same. Returns false for an unknown group.
  bool watch_loudness(GroupName group, bool on = true);
  /// Returns the loudness of a watched group. Returns nothing for an unknown group, and for one that was never watched.
  std::optional<GroupLoudness> loudness(GroupName group) const;

  // Moods: named changes of groups that come and go, such as below deck. An unknown mood returns `unknown_mood`, and nothing changes.

  /// Begins a mood, or ends it, over the fade that the book says. Beginning it twice is the same as once. A mood that a running scope has
  /// stays until the scope ends.
  Outcome set_mood(MoodName mood, bool on = true);
  /// Whether a mood is in force. Returns false for an unknown mood.
  bool mood(MoodName mood) const;

  // The player's settings of the groups that the book offers (`player = true`); tidewater/settings.hpp keeps them. Each multiplies the
  // group's own level, and is kept by name until a bank has the group.

  /// A share of the loudness from 0 to 1: half sounds half as loud. Takes 20 ms.
  Outcome set_player_level(GroupName group, Share level);
  /// Off is silence; on again is what it was. Takes 20 ms.
  Outcome set_player_switch(GroupName group, bool on);
  /// What was set for a name, also if no bank has the group. Full level and on if nothing was.
  Share player_level(GroupName group) const;
  bool player_switch(GroupName group) const;
  /// The groups that all banks so far offer, in the order in which they came.
  std::vector<std::string> offered_groups() const;

  // Scopes: playbacks that pause, slow down and end together. "root" is above all. Each call includes the scopes below the one it names. An
  // unknown scope returns `unknown_scope`, and nothing changes.

  /// Begins a scope at full speed, not paused. A scope that was begun before restarts: its loops and cadences play on for a second, or the
  /// scope's `grace`. A raise that asks for one of them within that time returns `went_on` and the old handle. The others stop then; all
  /// other sounds stop at once. A scope needs no `begin` before its sounds can play.
  Outcome begin(ScopeName scope);
  /// Stops all playbacks of a scope over its `fade-out`, or over `fade`. Removes its delayed responses, and the emitters that name it.
  /// Until the next `begin`, raises in it are refused (`scope_ended`). Returns `already_ended` if the scope has ended.
  Outcome end(ScopeName scope);
  Outcome end(ScopeName scope, Seconds fade);
  /// Pauses a scope: its playbacks fade over its `pause-fade`, 10 ms by default, and then stand still. So do its delays and cadences. A
  /// short sound that is asked for during a pause is refused (`paused`). A loop, or a sound of more than two seconds, begins after the
  /// pause.
  Outcome pause(ScopeName scope);
  /// Ends a pause. Each playback continues with its next frame, under a fade. A scope stays on hold while a scope above it is paused.
  Outcome resume(ScopeName scope);
  /// Sets the speed of a scope's time, and with it all pitches, delays and cadences: 0.25 is slow motion. `time` is how long the change
  /// takes. The product with the scales of the scopes above is clamped to 1/64 .. 4. A scale of 0 holds the scope like a pause.
  Outcome set_time_scale(ScopeName scope, TimeScale scale, Seconds time = Seconds{0.3});

  // Music. Tracks of one stand give way to one another: of these, one plays at a time. The book says on which beat, and how.

  /// Plays a track on its stand, "main" unless the book says otherwise. The track that plays there gives way, on the boundary
  /// and in the way that the book has for the two. Returns `started` if it begins at once, `planned` if it begins on a later boundary, and
  /// `went_on` if the track plays already or is on its way. Until a quarter of a second before the boundary another call replaces the
  /// change.
  Outcome play(TrackName track);
  /// Ends the music on a stand, over the track's `fade-out` or over `fade`. Returns `nothing_to_stop` if none plays.
  Outcome leave(StandName stand = Name("main"));
  Outcome leave(StandName stand, Seconds fade);
  /// Returns the bar and the beat that are heard now on a stand. `latency` is the time from the output's hand-over to the ear. Returns
  /// nothing if no track with a tempo plays. No decision of the library depends on it. Thread: any.
  std::optional<Beat> beat(StandName stand = Name("main"), Seconds latency = {}) const;
  /// The beats that passed between the last two calls of `update`, each once, in order. Valid until the next `update`, on its thread.
  std::span<const PassedBeat> beats() const;

  // Time.

  /// Once a game frame: wakes what can be heard again, notes what has ended, and hands the journal on. `elapsed` is the game's time since
  /// the last call. A start that is delayed by more than a quarter of a second asks for a voice here or in any request; a game that makes
  /// none for that long hears it late. One thread at a time. Throws what the journal's sink throws, after all else is done.
  void update(Seconds elapsed);
  /// The playbacks that ended between the last two calls of `update`, in order. Valid until the next `update`, on its thread. At most as
  /// many as there may be playbacks. Sleeping layers that are stopped end 128 an update.
  std::span<const EndedPlayback> ended() const;
  /// Gives one sound of a loaded bank other values: gains, pitches, ranges, limits, distances, curves. For tools that change a running
  /// game; `design` is what `turned_design` (author/turn.hpp) makes of a book. What plays of the sound moves to the new values within 20
  /// ms, to where it would be had it been started with them; what the game itself has set stays. Returns `needs_reload` if more than values
  /// differ, such as clips or layers; the journal says what. Waits for an update that is under way, so never call it from within one.
  Outcome turn(std::string_view bank, SoundName sound, std::string_view design);
  /// Fades out all playbacks, ends dormant ones at once, and removes delayed responses.
  Outcome stop_all(Seconds fade = {});
  /// Reads for about `budget` what is needed, for a manager without a reading thread. A stream needs it ten times a second. Returns whether
  /// there is more to read. One thread at a time; never the audio thread.
  bool read_for(Seconds budget);
  /// Fills `out` with the next frames, interleaved in the layout, at the manager's rate; full scale is 1. Samples behind the last whole
  /// frame are zeros. Thread: the audio thread. With `offline` it reads files.
  void render(std::span<float> out) noexcept;

  // State.

  /// Returns all that the next samples depend on, but for the banks. Handles are found again by `find`. While nothing renders.
  std::vector<std::byte> save();
  /// Goes on from what `save` of the same library build wrote, unmodified. `banks` are those that were loaded, or still played.
  /// Only for a manager that was just made. Throws Error, and the manager is as it was, if the state is damaged, a deciding option differs,
  /// a bank is missing, or a clip cannot be read.
  void restore(std::span<const std::byte> saved, std::span<const Bank> banks);
  /// The same without exceptions. Returns why it was not restored, or an empty text.
  std::string try_restore(std::span<const std::byte> saved, std::span<const Bank> banks);
  /// Whether a sound plays: it has a playback, on the emitter if one is given, that has not ended and was not told to stop. As of the last
  /// request or update. Changes nothing. Returns false for a sound that no loaded bank has.
  bool plays(SoundName sound, Emitter emitter = {}) const;
  /// Returns the handle of a playback that a journal names. It says `ended()` if the playback is over or never was. Looks at all that
  /// plays.
  Playback find(PlaybackId id);
  /// Adds a second sink of the journal, for a tool that begins to watch a running game. The sink receives the head first, then every entry
  /// from now on, on the same threads as the sink of the options. The sink must not throw. Returns a number for `remove_journal`. A manager
  /// without a journal in its options records lines only while it has such a sink.
  std::uint64_t add_journal(JournalSink sink);
  /// Removes a sink that `add_journal` added. Blocks until the sink is no longer called. Never call it from within a sink.
  void remove_journal(std::uint64_t number);
  /// Returns the loaded banks, the newest version of each. Copies are cheap.
  std::vector<Bank> loaded_banks() const;
  /// Returns the playbacks that have not ended, in the order in which they started. Allocates.
  std::vector<PlayingNow> playing() const;
  /// Writes a notice into the journal.
  void note(std::string_view text);
  /// The frames that finished calls of `render` have handed out. Takes no lock.
  Frames clock() const;
  Hertz rate() const;
  Layout layout() const;
  /// As of the last request or update.
  Stats stats() const;

 private:
  friend struct Replayed;
  friend struct Tapped;
};

}  // namespace tidewater
