#pragma once
/// The sound manager: a game says what happened, and hears it.
///
///     SoundManager manager;
///     manager.load(bank);
///     manager.raise("ferry.docked");       // from any game thread
///     manager.update(frame_time);          // once a game frame
///     manager.render(block);               // from the audio thread, or let a Device do it
///
/// Threads: `render` belongs to one thread and never allocates, locks, logs, waits or throws. All else may be called
/// from any thread; those calls share one short lock that the audio thread never takes.
/// Playing never throws: what cannot be done is an outcome, with words in the journal. Quantities that are not numbers are
/// refused (`not_a_number`); what is out of range is brought into it, and the journal says so once: levels up to +24 dB,
/// bends within 36 st, pans from -1 to 1, times from zero to an hour, filters from 10 Hz to 100 kHz.

#include <array>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <memory>
#include <span>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/ended.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/layout.hpp"
#include "tidewater/name.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/trait.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

struct Control;
struct BackgroundLoad;

struct ManagerOptions {
  Hertz rate{48000};          ///< of what `render` gives; from 8 to 192 kHz
  std::uint32_t voices = 64;  ///< sounding at once, from 1 to 4096; when all are taken the least important yields
  std::uint64_t seed = 1;     ///< same banks, same requests, same seed: same samples
  JournalSink journal = {};   ///< hears every request and every decision
  Layout layout = Layout::stereo;
  Quality quality = Quality::standard;  ///< of sounds whose book does not say

  /// For rendering on one thread: `render` itself reads what streams from disk, as it needs it, so that nothing comes late,
  /// and the same calls give the same samples. False for a sound card: then a thread of the manager's own reads ahead, and
  /// what is raised while a block plays keeps its time inside the block.
  bool offline = false;
  /// A thread of the manager's own reads what streams and what is not in memory yet. False: nothing is read but in `read_for`, which the
  /// game calls from its own.
  bool reading_thread = true;
  /// Room for what waits for `update`: lines of the journal, and playbacks, those that are dormant included. What finds none is
  /// refused, `no_room`. The memory is asked for at once, and used as it fills: 300 bytes a line, 300 a playback.
  std::uint32_t journal_lines = 65536;
  std::uint32_t playbacks = 65536;
  std::uint32_t emitters = 16384;  ///< that there may be at once; 60 bytes each, as they come
  /// Bytes of samples that may be in memory; 0 for any number. Beyond it, clips that are not preloaded make room: those first that nobody
  /// has used for longest. What sounds, sleeps or is preloaded stays.
  std::size_t clip_memory = 0;
  bool limiter =
      true;  ///< holds the output below -1 dBTP, by the meter of BS.1770-4, too; leaves what is below -1.4 dBTP alone, bit for bit
};

/// One started sound. Small, copyable, safe to keep after the sound has ended: then it answers `ended()`, and the rest is
/// noted, changes nothing and says `already_ended`. Else it says `done`, or why not: `not_a_number`, `no_room`. It must not be
/// used after its manager is gone.
class Playback {
 public:
  Playback() = default;

  /// True when its last sample was handed out, as of the last `update` or `raise`; also for a handle of nothing.
  bool ended() const;
  PlaybackId id() const { return id_; }
  /// Fades to silence over `fade`, then ends. A fade of zero still takes 5 ms, so that it does not click.
  Outcome stop(Seconds fade = {});
  /// On top of the level drawn at the start; reached over `time`.
  Outcome set_gain(Decibels gain, Seconds time = Seconds{0.02});
  /// From left to right at equal power; of a stereo clip the balance.
  Outcome set_pan(Pan pan, Seconds time = Seconds{0.02});
  /// Second-order filters, in place of those of its book; 0 Hz takes one out.
  Outcome set_low_pass(Hertz frequency, Seconds time = Seconds{0.02});
  Outcome set_high_pass(Hertz frequency, Seconds time = Seconds{0.02});
  /// Bends the pitch by `shift` relative to the one drawn at the start; reached over `time`.
  Outcome bend(Semitones shift, Seconds time = Seconds{0.02});

 private:
  friend struct Control;
  friend class SoundManager;
  Playback(Control* manager, std::uint32_t slot, PlaybackId id) : manager_(manager), slot_(slot), id_(id) {}

  Control* manager_ = nullptr;
  std::uint32_t slot_ = 0;
  PlaybackId id_;
};

/// What became of a raised event.
struct Raised {
  /// Handles are kept for this many started sounds of one event; sounds beyond play, too.
  static constexpr std::size_t most_handles = 4;

  /// Of the first response that was refused, or else of the first that plays, or else of the first.
  Outcome outcome = Outcome::unknown_event;
  std::array<Playback, most_handles> playbacks;
  std::size_t count = 0;

  /// The first started sound, or the one that plays already where it was asked for again and its retrigger is "ignore". A handle of nothing
  /// where there is neither.
  Playback playback() const { return playbacks[0]; }
};

/// A bank on its way into memory. Small, copyable; it may outlive its manager. Thread: any.
class BankLoading {
 public:
  /// A handle of nothing is accepted and does nothing.
  BankLoading() = default;
  /// How much of what is to be in memory is, from 0 to 1.
  double progress() const;
  /// Its events can be raised; or it failed.
  bool done() const;
  /// Why it could not be loaded; empty where it could, and before it is done.
  std::string problem() const;

 private:
  friend struct BackgroundLoad;
  struct State;
  explicit BankLoading(std::shared_ptr<State> state) : state_(std::move(state)) {}

  std::shared_ptr<State> state_;
};

/// A bank that was loaded in the background, or could not be.
struct LoadedBank {
  std::string bank;
  std::string problem;  ///< empty where it was
};

struct Stats {
  std::uint32_t playbacks = 0;    ///< that were started and are not over, those without a voice included
  std::uint32_t voices = 0;       ///< taken by what sounds, or is about to; a playback has one for each of its layers
  std::uint32_t most_voices = 0;  ///< the most there were at once
  std::uint32_t fading = 0;       ///< voices of what was told to go and is still heard
  std::uint32_t dormant = 0;      ///< layers of playbacks that keep their place without a voice, or wait for their delay
  std::uint32_t late = 0;         ///< times that a stream had to fade out because the disk was late
  std::uint64_t clip_bytes = 0;   ///< of samples in memory, also where other managers play them, too

  std::uint64_t raised = 0;   ///< events
  std::uint64_t started = 0;  ///< playbacks, since the manager was made
  std::uint64_t refused = 0;  ///< requests
};

/// Peak and power of a group's output, after its own level.
struct Meter {
  Decibels peak = silence;  ///< since the meter was last read
  Decibels rms = silence;   ///< over the last 64 frames
};

class SoundManager {
 public:
  /// Throws Error where the rate is outside its range.
  explicit SoundManager(ManagerOptions options = {});
  ~SoundManager();
  SoundManager(const SoundManager&) = delete;
  SoundManager& operator=(const SoundManager&) = delete;

  /// Makes the bank's events known: from its return on they can be raised. Banks may have sounds, events
  /// and groups in common, as those do that are packed of one book. Groups that exist already keep their levels. The manager keeps the
  /// bank's memory until nothing plays from it any more. Throws Error, and nothing is loaded, where a bank of this name is, something of
  /// one name is not the same in two banks, or there would be more than 64 groups. Thread: any; it may take long, and only other loads and
  /// unloads wait for it. Clips that are not preloaded are read by a thread of the manager's own when they are first needed: a raise that
  /// needs one says `reading`, and is heard as soon as an `update` learns that it is there. What cannot be read is told in the journal.
  /// With `offline` the call that needs it reads it.
  void load(const Bank& bank, Preload preload = Preload::by_book);
  /// The same without exceptions: empty, or why nothing was loaded.
  std::string try_load(const Bank& bank, Preload preload = Preload::by_book);
  /// The same without waiting: the thread that reads takes it into memory, beside all else that it reads, and loads it; with `offline`
  /// this call does. What goes wrong is told by the handle, and by `loaded`.
  BankLoading load_in_background(const Bank& bank, Preload preload = Preload::by_book);
  /// A new version of the loaded bank of its name takes its place, as one step: what plays goes on with the old version, and is stopped
  /// by the new one's events; new starts take the new one. The same bank in another language, too. Groups that exist keep their levels.
  /// Where none of its name is loaded, it is. Throws and threads as of `load`.
  void reload(const Bank& bank, Preload preload = Preload::by_book);
  std::string try_reload(const Bank& bank, Preload preload = Preload::by_book);
  BankLoading reload_in_background(const Bank& bank, Preload preload = Preload::by_book);
  /// Which of those came to their end between the last two calls of `update`. Valid until the next, on its thread.
  std::span<const LoadedBank> loaded() const;
  /// What plays from the bank fades or finishes; its memory is given back by the `update` after its last sound has ended. Its events are
  /// unknown at once, and the bank can be loaded again. False where no bank of this name is loaded. Thread: as of `load`.
  bool unload(std::string_view bank, WhatPlays what_plays = WhatPlays::fades);

  /// Has all that an event may start read into memory, so that its next raise is heard at once. `unknown_event` or
  /// `bank_not_loaded` where no loaded bank has it. Thread: any; it waits for nothing but the lock.
  Outcome prefetch(Name event);

  /// Something happened: carries out the event's responses, and says what became of them. A name that no bank has is an outcome, with
  /// the nearest name in the journal. Thread: any; it allocates nothing, and waits for nothing but the lock.
  Raised raise(Name event) { return raise(event, std::span<const Trait>{}); }
  Raised raise(Name event, Emitter emitter) { return raise(event, std::span<const Trait>{}, emitter); }
  /// The same with what the event was about, and who made it. Sounds in the world are heard from where the emitter is, by the newest that
  /// was told of it, and go where it goes; its traits count where the raise has none of their name. Where a book says so, each emitter's
  /// clips are picked by themselves.
  ///
  ///     manager.raise("passenger.stepped", {{"surface", "planks"}}, passenger);
  Raised raise(Name event, std::initializer_list<Trait> traits, Emitter emitter = {}) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), emitter);
  }
  Raised raise(Name event, std::span<const Trait> traits, Emitter emitter = {});
  /// The same at a place, for what has no emitter: a splash.
  Raised raise(Name event, std::initializer_list<Trait> traits, const Place& place) {
    return raise(event, std::span<const Trait>(traits.begin(), traits.size()), place);
  }
  Raised raise(Name event, std::span<const Trait> traits, const Place& place);

  /// A thing that sounds begins to be. None where ManagerOptions has no room for more, a number of the design is none, its parent is gone,
  /// or sixteen would hang on one another. What it does not say can be told later. Thread: any; it waits for nothing but others that place
  /// or make.
  Emitter make_emitter(const EmitterDesign& design = {});
  /// It is no more. At the next update its loops leave by their fade-out, and what is short ends where it was, unless its book says
  /// otherwise; what hung on it stays where it is. Handles of it do nothing from here on, and the journal says so once. Thread: as above.
  void give_up(Emitter emitter);
  /// Where things are, from the next update on, and for what is raised on them at once: as many as there are in both. Returns how many were
  /// taken; not those of emitters that are gone, or of places that are no numbers or further out than 1,000 km. Thread: as above, without
  /// the lock that raises share.
  std::size_t place(std::span<const Emitter> emitters, std::span<const Place> places);
  bool place(Emitter emitter, const Place& place) { return this->place({&emitter, 1}, {&place, 1}) == 1; }
  /// The same of velocities, in metres a second. They bend pitches; they move nothing.
  std::size_t set_velocity(std::span<const Emitter> emitters, std::span<const Vector> velocities);
  bool set_velocity(Emitter emitter, const Vector& velocity) { return set_velocity({&emitter, 1}, {&velocity, 1}) == 1; }
  /// The same of the directions that they face.
  std::size_t set_facing(std::span<const Emitter> emitters, std::span<const Vector> facings);
  bool set_facing(Emitter emitter, const Vector& facing) { return set_facing({&emitter, 1}, {&facing, 1}) == 1; }
  /// What emitters say of a gauge of the book's: so much, until they say otherwise or are given up; what hangs on one and says nothing has
  /// what that one says. For what is raised on them at once, for what plays from the next update on. What lies outside the gauge's range
  /// counts as its nearer end. Returns how many were taken: none of a gauge that no bank has, of which the journal says so. Thread: any;
  /// the first that is told of a gauge waits for memory.
  std::size_t set_gauge(Name gauge, std::span<const Emitter> emitters, std::span<const float> values);
  bool set_gauge(Name gauge, Emitter emitter, float value) { return set_gauge(gauge, {&emitter, 1}, {&value, 1}) == 1; }
  /// The same for all that sounds, but for what an emitter says of itself. `unknown_gauge`, and nothing changes, where no bank that was
  /// ever loaded has it. Thread: any; what is set to what it is already is not noted.
  Outcome set_gauge(Name gauge, double value);

  /// Hangs one on another, as far away as it is told to be in that one's axes, and it goes where that one goes; on none it stays where it
  /// is. False, and nothing changes, where one is gone, would hang on itself, or sixteen would hang on one another.
  bool hang(Emitter emitter, Emitter parent);

  /// Who hears the world: up to eight, numbered from 0, for a split screen; of each sound the nearest counts. `no_room` for another number.
  /// Without any, what is in the world is heard as on the screen. Thread: any.
  Outcome set_listener(std::uint32_t number, const Listener& listener);
  Outcome remove_listener(std::uint32_t number);

  /// Once a game frame: wakes what can be heard again, takes note of what has ended and hands the journal on. What is delayed by more
  /// than a quarter of a second asks for a voice in here, or in whatever else is asked: a game that does neither for that long hears it
  /// late. `elapsed` is the game's time since the last call; where it passes and nothing renders, the journal says so. Throws what the
  /// journal's sink throws; all else is done then. Thread: any, one at a time.
  void update(Seconds elapsed);

  /// What ended between the last two calls of `update`, in order: of a game that does not update for long, the first of them, as many
  /// as it may have playbacks. Of what is stopped while it sleeps, 128 layers end in an update: after a stop of thousands, the last end
  /// some seconds later. Valid until the next `update`, on its thread.
  std::span<const EndedPlayback> ended() const;

  /// Levels of groups, smoothed over `time`. "master" is above all. `unknown_group`, and nothing changes, where no bank that was ever
  /// loaded has the group. Thread: any.
  Outcome set_gain(Name group, Decibels gain, Seconds time = Seconds{0.02});
  Outcome set_mute(Name group, bool mute);
  /// Second-order filters over all of a group; 0 Hz takes one out.
  Outcome set_low_pass(Name group, Hertz frequency, Seconds time = Seconds{0.02});
  Outcome set_high_pass(Name group, Hertz frequency, Seconds time = Seconds{0.02});
  /// Writes a line of one's own into the journal, as a notice: what a person should know when reading it. Thread: any.
  void note(std::string_view text);
  /// Fades out all that plays; what sleeps is over at once. Thread: any.
  Outcome stop_all(Seconds fade = {});

  /// All that what is heard next depends on, but for the banks: a manager that was made with the same options and restores it goes on
  /// bit for bit the same, with handles by `find`. The journal is not in it. While nothing renders.
  std::vector<std::byte> save();
  /// Goes on from what `save` of the same library build wrote, unmodified. `banks` are those that were loaded, or still played. Only for a
  /// manager that was just made: before anything is asked of it, and before anybody renders with it.
  /// Throws Error, and the manager is as it was, if the state is damaged, an option that decides differs, a bank is missing, or a clip
  /// cannot be read.
  void restore(std::span<const std::byte> saved, std::span<const Bank> banks);
  /// The same without exceptions: empty, or why it was not.
  std::string try_restore(std::span<const std::byte> saved, std::span<const Bank> banks);

  /// Without a thread of the manager's own: reads what is needed, a little at a time, for about so long; true where there is more. A
  /// stream needs it ten times a second at least. Thread: any, several one after the other; never the audio thread.
  bool read_for(Seconds budget);

  /// The next frames, interleaved in the layout, at the manager's rate; full scale is 1. What is left over behind the
  /// last whole frame is filled with zeros. Thread: one, the audio thread, at a time; it never waits (with `offline` it reads files).
  void render(std::span<float> out) noexcept;

  /// The handle of a playback that is named in a journal; one that says `ended()` where it is over or never was. It looks at all that
  /// plays. Thread: any.
  Playback find(PlaybackId id);

  /// Frames that finished calls of `render` have handed out. Thread: any, also the audio thread, as for the next two.
  Frames clock() const;
  Hertz rate() const;
  Layout layout() const;
  /// As of the last request or update. Thread: any.
  Stats stats() const;
  /// Silence where no bank that was ever loaded has the group. Reading it begins a new peak. Thread: any.
  Meter read_meter(Name group);

 private:
  friend struct Replayed;
  std::unique_ptr<Control> control_;
};

}  // namespace tidewater
