#pragma once
/// The control side behind SoundManager and Playback: what is asked, in which order its parts are asked for it, and no rules of its own.
/// Whoever calls a member holds the lock. ask.cpp carries requests out, respond.cpp what becomes of an event, banks.cpp loading,
/// clips.cpp what of them is in memory, update.cpp the way of time.

#include <cstdint>
#include <list>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bank/reader.hpp"
#include "groups/groups.hpp"
#include "notebook/notebook.hpp"
#include "play/clips.hpp"
#include "play/door.hpp"
#include "play/drive_side.hpp"
#include "play/hand_on.hpp"
#include "play/happening.hpp"
#include "play/loaded.hpp"
#include "play/update_log.hpp"
#include "play/watch.hpp"
#include "play/world_side.hpp"
#include "tidewater/manager.hpp"
#include "voices/link.hpp"
#include "voices/voices.hpp"

namespace tidewater {

/// What comes with a request, and is not in a journal, or is not the game's to say.
struct Beside {
  std::uint32_t slot = StartRef::any_slot;  ///< where the playback was begun, if that is known
  std::int64_t into = 0;                    ///< of a raise: frames from the beginning of the running block
  Raised* raised = nullptr;                 ///< of a raise: gets its handles, where somebody wants them
  Loading* loading = nullptr;               ///< of a load or unload
  ClipData* read = nullptr;                 ///< of a clip that was read
};

/// How much was asked and done.
struct Totals {
  std::uint64_t raised = 0, started = 0, refused = 0;
};

/// Banks that were loaded in the background.
struct BackgroundLoads {
  std::vector<LoadedBank> fresh, told;
  struct UnderWay {
    std::string bank;
    std::vector<std::uint64_t> events;  ///< hashes of their names, sorted
    BankLoading loading;
  };
  std::vector<UnderWay> under_way;

  void hand_out() {
    told.clear();
    std::swap(told, fresh);
  }
};

struct Control {
  explicit Control(ManagerOptions given);

  /// True before the first request, emitter, note or rendered block: only then may a restored state replace this manager.
  bool is_untouched();
  /// Thread: the audio thread.
  void render(std::span<float> out) noexcept;
  /// The bank with the clips that others have, of those that are loaded, or which is not. Thread: any.
  Read<Bank> with_its_bases(const Bank& bank);
  /// A bank's clips, those in memory that are to be, or which cannot be read; takes as long as reading them. Outside any lock.
  Read<LiveClips> read_clips(const BankData& data, Preload wanted) const;
  /// What a load says of that.
  Preload preload_of(const BankData& data, Preload wanted) const;
  /// Whether a bank can be loaded, and what it needs for that; may take long. Empty, or why not. Outside the lock, while nobody else loads.
  /// `in_place` of the loaded one of its name, where there is one.
  std::string make_ready_for(const BankData& data, LiveClips& clips, bool in_place = false);
  /// The same: that its clips can be read later, and streamed.
  void make_ready_to_read(const BankData& data, LiveClips& clips);

  // What is asked for.

  /// Before each request, and before an update: where time stands, and what is known by then.
  void settle() { voices.take(link.settle(notebook)); }
  /// The only place that notes a request and carries it out. The caller has called `settle` before.
  Outcome ask(Request what, const Beside& beside = {});
  /// The same for a game: settles first, unless the request is refused at the door. No line tells of what is refused there, so that it must
  /// not move the time by which an update that is under way goes.
  Outcome settle_and_ask(Request what, const Beside& beside = {});
  /// The same without a variant: games raise far more often than they ask for anything else.
  Outcome settle_and_ask(asked::Raise& what, const Beside& beside = {});
  /// Corrects numbers of a request that are out of range. Returns why the request is refused, or nothing if it can be carried out.
  template <class R>
  std::optional<Outcome> refuse(R& what);
  template <class R>
  Outcome note_and_carry_out(R& what, const Beside& beside);
  template <class R>
  Outcome ask_one(R& what, const Beside& beside, bool settles);
  /// After it: its commands are complete.
  void commit() { link.commit(); }
  /// What was delayed and is nearly due asks for a voice. With a request or an update that is noted, so that a replay does the same.
  void claim_due();
  /// In three acts: `open_update` and `close_update` with the lock, `listen` without it.
  void open_update();
  void listen();
  void close_update(Seconds elapsed);
  /// All of it, but for what its caller hands out.
  void begin_update();
  std::list<LiveBank> end_update(Seconds elapsed, std::vector<ClipData>& dropped);

  Outcome carry_out(const asked::Load& load, const Beside& beside);
  Outcome carry_out(const asked::Reload& reload, const Beside& beside);
  Outcome carry_out(const asked::Unload& unload, const Beside& beside);
  /// Gives the sounds of a bank the numbers that its groups will have. Outside the lock, while nobody else loads.
  void number_groups(Loading& loading) const;
  void take_in(LiveBank& bank, const Loading& loading);
  Outcome carry_out(const asked::Raise& raise, const Beside& beside);
  Outcome carry_out(const asked::Stop& stop, const Beside& beside);
  Outcome carry_out(const asked::SetGain& its, const Beside& beside);
  Outcome carry_out(const asked::Bend& bend, const Beside& beside);
  Outcome carry_out(const asked::SetPan& its, const Beside& beside);
  Outcome carry_out(const asked::SetLowPass& its, const Beside& beside);
  Outcome carry_out(const asked::SetHighPass& its, const Beside& beside);
  Outcome carry_out(const asked::SetMute& its, const Beside& beside);
  Outcome carry_out(const asked::StopAll& stop, const Beside& beside);
  Outcome carry_out(const asked::Unreadable& its, const Beside& beside);
  Outcome carry_out(const asked::Prefetch& prefetch, const Beside& beside);
  Outcome carry_out(const asked::ClipRead& its, const Beside& beside);
  Outcome carry_out(const asked::ClipDropped& its, const Beside& beside);
  Outcome carry_out(const asked::SetListener& its, const Beside& beside);
  Outcome carry_out(const asked::RemoveListener& its, const Beside& beside);
  Outcome carry_out(const asked::SetGauge& its, const Beside& beside);
  Outcome filter(const Target& of, StateFilter::Kind kind, Hertz frequency, Seconds time, const Beside& beside);
  template <class Act>
  Outcome change(PlaybackId id, const Beside& beside, Act act);
  template <class Act>
  Outcome change(Name group, Act act);
  void send_groups();
  Groups::Way way_for(Seconds time) const { return {link.base(), voices.frames_of(time)}; }

  // What becomes of an event.

  Outcome respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, Raised& raised);
  Outcome respond(const BankResponse& response, LiveBank& bank, PlaybackId id, const Happening& happening, Raised& raised);
  Outcome start(LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening, Raised& raised);
  Outcome start(LiveBank& bank, LiveSound& sound, Seconds delay, PlaybackId id, const Happening& happening, Raised& raised);
  Outcome stop(LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening, Raised& raised);
  /// Why a layer is not heard. Nothing if it is.
  Reason why(const LiveSound& sound, const Candidate& candidate, const HeardFrom* from, const Verdict& verdict) const;

  // What starts again and again.

  Outcome begin_cadence(LiveSound& sound, const NewStart& as, const Happening& happening, Layers& layers, Followers::Follower* follower,
                        const Verdict& verdict, Raised& raised);
  void change_traits(const LiveSound& sound, const Happening& happening);
  /// Whatever is due before the next update, of what is heard.
  void start_again();
  /// Values of a cadence that its start does not hold yet.
  struct OfCadence {
    const Followers::Follower* follower = nullptr;
    std::span<const GaugeValue> gauges;
    std::optional<Whereabouts> at;
    bool stays = false;
    const HeardFrom* from = nullptr;
  };
  void start_again(Cadence& cadence, const LiveStart& its, const OfCadence& by);
  void hold_steps_back(const Cadence& cadence, const Following::By& by);
  /// Steps that an update came too late for.
  struct Missed {
    std::uint64_t steps = 0;
    const BankSound* first = nullptr;
  };
  /// Acts on what a cadence has started that is not over.
  template <class Act>
  void each_started(const LiveStart& start, Act act);
  /// What the game has turned of a cadence holds for its beats.
  void go_by_cadence(const Cadence& cadence, NewStart& beat);

  // The world.

  /// Where a sound in the world is heard from; nothing for one on the screen, and where it can only be heard as if it were.
  std::optional<HeardFrom> heard_in_world(const LiveSound& sound, const Happening& happening);
  void tell_once(bool WorldSide::Told::*whether, const Reason& why);
  Reason why_out_of_range(const PlayedSound& sound, const HeardFrom& from) const;
  Reason why_silent_by_gauge(const LiveLayer& layer);
  Outcome no_such_listener(std::uint64_t number);
  void tell_if_not_updated();
  /// Has a raise on an emitter carry where that is, and its traits.
  void fill_in(asked::Raise& raise);
  /// Of a handle that a game made up, or of a manager with more room, only its number is known.
  bool has_room_for(Emitter emitter) const { return emitter && slot_in(emitter) < options.emitters; }
  /// Decisions go by this from here on.
  void keep_place(Emitter emitter, const Whereabouts& at);
  void leave_emitters_behind();
  void forget_over();
  void take_what_is_heard();
  void add_halves();
  const HeardFrom* heard_now(const VoicedLayer& layer) const;
  void need_from_voices();
  void join_world(LiveBank& bank);
  void leave_world(const std::list<LiveBank>& banks);

  // Gauges.

  using ReadyValues = std::array<double, ready_gauges>;
  void know_gauges(const BankData& data);
  /// Which of the manager's gauges its sounds follow; outside the lock, while nobody else loads.
  void follow_gauges(LiveBank& bank) const;
  /// Has a raise carry what its emitter says of those that the event's sounds follow.
  void fill_in_gauges(asked::Raise& raise);
  /// Decisions go by what the emitter says of the gauges that the event's sounds follow, and by nothing else.
  void keep_gauges(const asked::Raise& raise, const Catalogue::Event& event);
  Followers::Follower follower_of(const LiveSound& sound, PlaybackId id, const Happening& happening, bool in_world);
  ReadyValues ready_values(const HeardFrom* from) const;
  /// A playback's handles and places, as it begins.
  void join(LiveSound& sound, const LiveStart& start, const Happening& happening, Followers::Follower* follower, Raised& raised);
  /// Adds a handle, if there is room.
  void hand_out(const LiveStart& start, Raised& raised);
  void bend_now(LiveStart& start, const HeardFrom* from);
  void bend(LiveStart& start, const Followers::Follower& follower, const Following::Values& values);
  /// In an update: with the lock, without it, and with it again.
  void open_gauges();
  void read_gauges();
  void read_gauges_of(Followers::Follower& follower);
  std::optional<Level> louder_by_emitter(StartRef start);
  void follow_on();
  /// A gauge that no bank has was told of by emitters: once for each.
  void tell_of_unknown(Name gauge);

  // Clips in memory.

  /// From here on a thread of its own reads, where there is to be one.
  void start_reading();
  std::string read_now(LiveBank& bank, LiveClip& clip);
  void want(LiveBank& bank, LiveClip& clip);
  bool wait_for_clips(LiveBank& bank, Layers& layers, std::string& problem);
  std::string restore_clips(LiveBank& bank);
  void take_read_clips();
  void keep_to_budget();
  std::size_t clip_bytes();

  // What is noted.

  /// Whether something with so much text can be noted; what cannot is refused and leaves no other trace, so that a replay has no need
  /// of it.
  bool admits(std::size_t text);
  Outcome decide(Outcome outcome, PlaybackId id, const Reason& why, Name event = {"", 0});
  Outcome decide_unknown(Name event, PlaybackId id);
  void tell(const Reason& why) { notebook.add(link.now().at, NoticeNote{.why = notebook.keep(why)}); }
  void note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening);
  /// The last run of updates, and that the journal is whole.
  void finish();

  ManagerOptions options;
  std::mutex mutex;
  std::mutex updating;  ///< held for an update from its first act to its last, before the other
  Door door;
  Notebook notebook;
  HandOn handing;
  Link link;
  Groups groups;
  Reader reader;
  Voices voices;
  WorldSide world;
  DriveSide drive;
  Loaded loaded;
  Watch watch;
  UpdateLog updates;
  Totals totals;
  std::vector<ReadClip> just_read;  ///< as the reading thread gave them
  std::vector<ClipData> dropped;    ///< to be destroyed outside the lock
  bool told_of_budget = false;
  Missed missed;              ///< in the update that goes on
  bool gave_handles = false;  ///< by `find`
  BackgroundLoads loads;
  bool replaying = false;  ///< a recorded journal: what cannot be read is told by it
};

}  // namespace tidewater
