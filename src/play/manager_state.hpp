#pragma once
/// The control side behind SoundManager and Playback. Whoever calls a member holds the lock.
/// ask.cpp has what a game asks for, carry_out.cpp what becomes of an event, verdict.cpp whether a start may be, pool.cpp who has a voice,
/// banks.cpp loading, mixer_link.cpp the traffic with the audio thread and the journal.

#include <algorithm>
#include <array>
#include <atomic>
#include <functional>
#include <limits>
#include <list>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <thread>
#include <unordered_map>
#include <vector>

#include "bank/streamer.hpp"
#include "base/random.hpp"
#include "choose/pick.hpp"
#include "groups/groups.hpp"
#include "mix/mixer.hpp"
#include "notebook/notebook.hpp"
#include "play/catalogue.hpp"
#include "play/door.hpp"
#include "play/update_log.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/request.hpp"
#include "voices/claim.hpp"
#include "voices/free_voices.hpp"
#include "voices/sleepers.hpp"
#include "voices/verdict.hpp"

namespace tidewater {

/// What the game said: an event, what it was about, and who made it.
struct Happening {
  Name event;
  std::span<const Trait> traits;
  std::uint64_t emitter = 0;
  std::int64_t base = 0;  ///< the frame that delays count from: what starts at once is heard there
};

struct LivePlayback;
struct LiveBank;

/// On which frames a sound was last heard to begin, for an emitter or for all. With delays that differ those need not be in
/// the order of the starts; what is still to come is found among the starts that go on.
struct LastStarts {
  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::min() / 2;
  std::uint64_t emitter = 0;
  std::array<std::int64_t, 4> heard = {never, never, never, never};

  void add(std::uint64_t whose, std::int64_t frame) {
    if (whose != emitter) *this = {whose};
    *std::min_element(heard.begin(), heard.end()) = frame;
  }
};

/// What is remembered of a sound by its name, also while its bank is not loaded.
struct SoundMemory {
  std::uint64_t asked = 0;   ///< times that it was to start
  std::vector<Picks> picks;  ///< of each layer, for each choice of clips: one, or as many as emitters are told apart
  /// Of all emitters together, or of as many as are told apart.
  std::vector<LastStarts> last_starts;

  std::int64_t latest_heard = LastStarts::never;
  std::size_t users = 0;  ///< loaded banks that have such a sound; changed while `loading` is held

  /// Room for all that a design may need.
  void fit(const BankSound& design);
};

/// A sound of a loaded bank.
struct LiveSound {
  LiveBank* home = nullptr;
  const BankData* bank = nullptr;
  const BankSound* design = nullptr;
  std::uint32_t group = 0;
  std::uint64_t key = 0;  ///< of its draws
  SoundMemory* memory = nullptr;
  std::array<std::uint64_t, 8> told = {};  ///< by their keys, what of traits that no clip knows was told; no more than so many are
  std::size_t told_count = 0;
  PlaybackId stopped = {};         ///< what began before and sleeps is gone
  std::size_t asleep = 0;          ///< of its layers, but for those that are gone
  std::uint64_t stops = 0;         ///< as of so many calls of stop_all
  LivePlayback* latest = nullptr;  ///< the first layers of its starts that are not over hang together, the latest first
};

/// Emitters that are told apart; beyond that two may share one's picks, or forget each other's last start.
constexpr std::size_t emitters_apart = 64;
/// Which of those an emitter is.
std::size_t slot_of(std::uint64_t emitter);

struct LiveBank {
  std::shared_ptr<const BankData> data;
  std::vector<LiveSound> sounds;
  bool unloaded = false;    ///< kept until nothing plays from it
  std::size_t playing = 0;  ///< starts from it that are not over
};

/// Where a playback stands with its voice.
enum class Stage {
  none,      ///< the slot is free
  sounding,  ///< has a voice
  settling,  ///< its voice fades; then it is dormant
  dormant,   ///< keeps its place in time without a voice
  leaving,   ///< its voice fades; then it is over
};

/// One layer of a started sound. The first stands for the whole: its slot is kept until all of them are over.
struct LivePlayback {
  LiveSound* sound = nullptr;  ///< null when this layer is over
  const BankLayer* layer = nullptr;
  const BankClip* clip = nullptr;
  LivePlayback* first = nullptr;
  LivePlayback* next = nullptr;                       ///< of the same start
  std::uint32_t alive = 0;                            ///< of the first: layers that are not over
  LivePlayback *earlier = nullptr, *later = nullptr;  ///< of the first: other starts of the sound
  std::uint64_t emitter = 0;
  std::int64_t heard = 0;  ///< of the first: on which frame the sound begins
  PlaybackId id;
  std::uint32_t index = 0;
  std::size_t bed = 0;      ///< of a dormant one
  std::uint32_t voice = 0;  ///< but for dormant ones
  Stage stage = Stage::none;
  Decibels drawn_gain, own_gain;
  Semitones drawn_pitch;
  Pan pan;
  Hertz low_pass, high_pass;
  Level level;  ///< of the clip at its own gain, before the groups
  // Its place in the clip: `position` at frame `since`, going on by `step` each frame.
  ClipPosition position;
  std::int64_t since = 0;
  std::uint64_t step = 0;
  Stream* stream = nullptr;  ///< of a streamed clip, while it has a voice
  std::int64_t told_late = StreamRing::never, told_back = StreamRing::never;
  const char* how = nullptr;  ///< it will have ended, once it was told to go
};

constexpr std::uint32_t any_slot = ~0U;

/// What a bank needs to come or go, made before anybody has to wait.
struct Loading {
  std::list<LiveBank> prepared;  ///< the bank that comes
  LiveBank* leaving = nullptr;   ///< the one that goes; null where there is none of its name
  std::shared_ptr<const Catalogue> catalogue;
};

/// What comes with a request, and is not in a journal, or is not the game's to say.
struct Beside {
  std::uint32_t slot = any_slot;  ///< where the playback was begun, if that is known
  std::int64_t into = 0;          ///< of a raise: frames from the beginning of the running block
  Raised* raised = nullptr;       ///< of a raise: gets its handles
  Loading* loading = nullptr;     ///< of a load or unload
};

struct ManagerState {
  explicit ManagerState(ManagerOptions given);

  // What is asked for.
  /// The one door: notes a request and carries it out. Time stands where `settle` left it.
  Outcome ask(Request request, const Beside& beside = {});
  /// Whether something with so much text can be noted; what cannot is refused and leaves no other trace, so that a replay has no need
  /// of it.
  bool admits(std::size_t text);
  Outcome carry_out(const asked::Load& load, const Beside& beside);
  Outcome carry_out(const asked::Unload& unload, const Beside& beside);
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
  struct Filtering {
    StateFilter::Kind kind;
    Hertz frequency;
    Seconds time;
  };
  Outcome filter(const Target& of, const Filtering& how, Hertz LivePlayback::*its, const Beside& beside);
  template <class Act>
  Outcome change(PlaybackId id, const Beside& beside, Act act);
  template <class Act>
  Outcome change(Name group, Act act);
  /// The first layer of what still plays; null where nothing of it does.
  LivePlayback* find(PlaybackId id, std::uint32_t slot);
  std::uint32_t slot_with(PlaybackId id) const;

  // What becomes of an event.
  Outcome respond(const BankResponse& response, LiveBank& bank, PlaybackId id, const Happening& happening, Raised& raised);
  std::optional<Outcome> hold_back(LiveSound& sound, PlaybackId id, std::uint64_t emitter, std::int64_t heard, Name event);
  bool heard_near(const LiveSound& sound, std::uint64_t emitter, std::int64_t frame) const;
  bool leaving(const LivePlayback& first) const;
  void list_starts(const LiveSound& sound, std::optional<std::uint64_t> emitter);
  Reason why_limited(const LiveSound& sound) const;
  void share_voices(const LiveSound& sound, PlaybackId id, std::span<Candidate> candidates);
  void make_room(const LiveSound& sound);
  void leave_start(LivePlayback& first, Seconds fade, const char* how, const Reason& why = {});
  Outcome start(LiveSound& sound, const BankResponse& response, PlaybackId id, const Happening& happening, Raised& raised);
  void note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening);
  LivePlayback& begin(LiveSound& sound, const Candidate& candidate, PlaybackId id, LivePlayback* first);
  Reason why(const LiveSound& sound, const Candidate& candidate) const;
  void note_starts(const LiveSound& sound, std::span<const Candidate> layers, const LivePlayback& first, Name event);
  void forget(LivePlayback& first, LiveSound& sound);
  Outcome stop_sound(LiveSound& sound, Seconds fade, PlaybackId id, Name event);
  Outcome decide(Outcome outcome, PlaybackId id, const Reason& why, Name event = {"", 0});
  void tell(const Reason& why) { notebook.add(now.at, NoticeNote{.why = why}); }
  bool has_slots(std::size_t layers) const;
  void send_group(std::uint32_t group, Seconds time);

  // Who gets a voice.
  static constexpr std::uint32_t no_voice = ~0U;
  LivePlayback& take_slot();
  std::uint32_t take_voice();
  std::uint32_t weakest_voice() const;
  void freshen_claims();
  Level level_of(const LivePlayback& playback) const { return playback.level + groups[playback.sound->group].heard; }
  Claim claim_of(const LivePlayback& playback) const { return {playback.sound->design->rank, level_of(playback), playback.id.raise}; }
  /// Told to go while it slept: it is over, and an update will say so.
  bool gone(const LivePlayback& playback) const;
  bool gone(const LivePlayback* first) const;
  std::size_t asleep(const LiveSound& sound) const;
  void forget_sleepers(LiveSound& sound);
  std::int64_t end_of(const LivePlayback& playback) const;
  bool worth_waiting(const BankLayer& layer, const BankClip& clip, ClipPosition position, std::uint64_t step) const;
  void give_way(LivePlayback& playback, const LiveSound& to);
  ClipPosition position_at(const LivePlayback& playback, std::int64_t frame) const;
  void give_voice(LivePlayback& playback, std::uint32_t voice, std::int64_t base, std::int64_t start_frame, std::int64_t fade_in);
  void put_to_sleep(LivePlayback& playback, const Reason& why);
  void lie_down(LivePlayback& playback);
  void get_up(LivePlayback& playback);
  void fall_asleep(LivePlayback& playback, ClipPosition position, std::int64_t since);
  void leave(LivePlayback& playback, Seconds fade, const char* how, const Reason& why = {});
  void end(LivePlayback& playback, std::int64_t frame, const char* how);
  void tend_pool();
  void wake(LivePlayback& playback);
  void end_slept_out();
  void sweep();
  void turned(LivePlayback& playback);

  // Banks.
  std::list<LiveBank> prepare(const Bank& bank);
  void remember(LiveBank& bank);
  void leave_behind(LiveBank& bank);
  std::list<LiveBank> take_silent_banks();

  // The audio thread and the journal.
  struct Waiting {
    Command command;
    std::uint64_t request = 0;
    std::int64_t lands = 0;
  };
  void send(const Command& command);
  void put_off(const Waiting& waiting);
  void to_voice(const LivePlayback& playback, const Command& command);
  /// Before each request: where time stands from here on, and what is known by then.
  void settle();
  /// After it: its commands are complete.
  void commit() { mixer.commit(); }
  /// Frames since the audio thread began its last call, so that what is raised keeps its spacing inside a block.
  std::int64_t into_block() const;
  void watch_streams();
  void watch_for_broken_samples();
  void render(std::span<float> out) noexcept;
  void count_request();
  void watch_clock(Seconds elapsed);
  void update(Seconds elapsed);
  void note_update(const noted::Updates& run) { notebook.add(run.first.value, run); }
  std::int64_t frames_of(Seconds time) const { return frames(time, options.rate).value; }
  std::uint64_t step_of(const LiveSound& sound, Semitones pitch) const;

  ManagerOptions options;
  std::mutex mutex;
  std::mutex sink_mutex;  ///< held while the journal is handed on, so that its lines stay in order
  Mixer mixer;
  Door door;
  Streamer streamer;
  std::vector<LivePlayback*> streaming;  ///< those that have a stream
  Groups groups;
  std::mutex loading;  ///< held while a bank is loaded or unloaded, outside `mutex`
  std::list<LiveBank> banks;
  std::shared_ptr<const Catalogue> catalogue = std::make_shared<const Catalogue>();
  std::unordered_map<std::uint64_t, SoundMemory> memories;  ///< by the hash of a sound's name
  std::vector<LivePlayback> playbacks;                      ///< never more than their capacity, so that they stay where they are
  std::vector<std::uint32_t> free_slots;
  std::vector<LivePlayback*> owners;                       ///< of each voice; null where it is free
  std::vector<Claim> claims;                               ///< of each voice; none where nothing sounds on it
  std::vector<LivePlayback*> in_order;                     ///< starts of one sound, the oldest first: what was last asked for
  Verdict verdict;                                         ///< on the start that is asked for
  std::vector<Candidate> candidates;                       ///< layers of the start that is asked for
  std::vector<std::pair<std::uint32_t, Claim>> set_aside;  ///< voices that count as free while a verdict is made
  Sleepers sleepers;
  std::uint64_t groups_heard = 0;  ///< the change of groups that all claims go by
  PlaybackId stopped;              ///< by `stop_all`: what began before and sleeps is gone
  std::uint64_t stops = 0;         ///< calls of it
  bool sweeping = false;           ///< some of the sleepers are gone
  std::int64_t pool_clock = 0;     ///< when the pool was last tended
  bool master_is_set = false;      ///< by a book, or by the game: a further book leaves it alone
  FreeVoices free_voices;
  Mixer::Moment now;                      ///< of the request, or the update, that is being carried out
  std::optional<Mixer::Moment> replayed;  ///< where time stood for the next one, when a journal is played again
  std::vector<noted::Late> late_replayed;
  bool replaying = false;        ///< a recorded journal: what cannot be read is told by it
  std::uint64_t request = 0;     ///< how many requests and updates there were
  std::vector<Waiting> backlog;  ///< what found no room in the mixer's queue, the latest of each kind for each voice and group
  std::vector<VoiceFinished> reports;
  std::atomic<std::int64_t> call_began{0};   ///< nanoseconds on the steady clock
  std::atomic<std::int64_t> call_frames{0};  ///< of the last call of render
  Notebook notebook;
  Notebook handed_on;                                      ///< guarded by `sink_mutex`, like the next three
  std::size_t handed = 0;                                  ///< of its notes
  std::unordered_map<std::string, std::string> suggested;  ///< names that were asked for in vain, and what to say of them
  std::shared_ptr<const Catalogue> suggested_by;
  std::list<LiveBank> silent_banks;  ///< to be destroyed when what was noted of them is handed on
  std::atomic<std::thread::id> handing_on{};
  std::uint64_t refused_for_room = 0;
  Stats stats;
  UpdateLog updates;
  std::int64_t last_clock = 0;
  Seconds unrendered;
  bool told_unrendered = false;
  bool told_broken = false;
};

}  // namespace tidewater
