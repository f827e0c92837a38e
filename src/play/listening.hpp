#pragma once
#include <array>
#include <atomic>
#include <cstdint>
#include <list>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "groups/groups.hpp"
#include "play/happening.hpp"
#include "play/loaded.hpp"
#include "play/noting.hpp"
#include "voices/voices.hpp"
#include "world/earshot.hpp"
#include "world/emitters.hpp"
#include "world/listeners.hpp"

namespace tidewater {

/// Steps that an update came too late for.
struct MissedSteps {
  std::uint64_t steps = 0;
  const BankSound* first = nullptr;
};

/// The data of one update, from its first act to its last.
struct UpdateUnderWay {
  bool open = false;  ///< the first act is over, and the last is not
  std::vector<VoicedLayer> voiced;
  std::vector<StartRef> voiced_starts;  ///< those of them in the world
  std::vector<StartRef> gauged;         ///< those that follow gauges
  std::uint32_t voices_free = 0;
  std::span<const Contender> contenders;  ///< starts without a voice that may get one
  std::vector<HeardStart> near;           ///< the same, as they are heard
  std::vector<KeptState> kept;            ///< emitters whose state matters from here on
  std::vector<KeptGauge> kept_gauges;
  std::vector<Cadence*> on_screen;  ///< cadences on the screen, in the order of their raises
  MissedSteps missed;
};

/// Emitters, listeners, and who is within earshot.
///
/// Thread: whoever holds the control lock, but for `listen` and for `emitters`, which has a lock of its own.
struct Listening {
  Listening(const ManagerOptions& given, Noting& noting);

  /// Whether the emitter can have a place here. A handle that a game made up, or of a manager with more room, is only a number.
  bool has_room_for(Emitter emitter) const { return emitter && slot_in(emitter) < options.emitters; }
  /// Decisions go by this place from here on.
  void keep_place(Emitter emitter, const Whereabouts& at);
  /// Gives a raise the place of its emitter, and its traits, which `traits` holds. Returns whether the emitter is there.
  bool fill_in(asked::Raise& raise, RaiseTraits& traits) const;
  /// Where a sound is heard from. Nothing for a sound on the screen, and if it can only be heard as if it were there.
  std::optional<HeardFrom> heard_in_world(const LiveSound& sound, const Happening& happening);
  /// Ready gauges of something in the world that is heard from there, or on the screen.
  std::array<double, ready_gauges> ready_values(const HeardFrom* from) const;
  static Reason why_out_of_range(const PlayedSound& sound, const HeardFrom& from);
  Outcome no_such_listener(std::uint64_t number);

  /// A bank's sounds can be heard in the world, or no more.
  void join(LiveBank& bank);
  void leave(const std::list<LiveBank>& banks);
  /// A sound that has another design.
  void change(const LiveSound& sound);
  /// A saved state's sound, under the number that it had.
  void put(const LiveSound& sound);

  /// The next update removes the emitters that name this scope.
  void end_scope(std::uint64_t name) { ended_scopes_.push_back(name); }
  /// Emitters that were removed: calls `leave_behind(slot)` for each start that played from one. The start stays where it was.
  template <class LeaveBehind>
  void take_removed(UpdateUnderWay& update, const KeptLists& to_come, LeaveBehind leave_behind);
  /// Begins an update: who has a voice, and by which levels of groups. `gauges` tells how loud the game's gauges make a kind.
  void open(UpdateUnderWay& update, const Voices& voices, const Groups& groups);
  /// In a replay: takes over what the recording kept.
  void adopt(UpdateUnderWay& update, const KeptLists& to_come);
  /// Computes how starts with a voice are heard now, and which other starts may get a voice. Without the lock.
  void listen(UpdateUnderWay& update, const Earshot::BentByEmitter& bent_by_emitter);
  /// How the update hears a layer. Null for a layer that is not heard in the world.
  const HeardFrom* heard_now(const VoicedLayer& layer) const;
  /// Notes what was kept, and ends the search.
  void close(UpdateUnderWay& update);
  /// Notices that were counted where no lock could be waited for.
  void tell_what_was_counted();

  template <class State>
  void state(State& s) {
    emitters.state(s);
    listeners.state(s);
    earshot.state(s);
    s(updates, unfilled, told_);
    s.list(ended_scopes_);
  }

  const ManagerOptions& options;
  Emitters emitters;
  Listeners listeners;
  Earshot earshot;
  std::vector<const Following*> following;  ///< by the kind in earshot; null for those that follow nothing
  bool adopts = false;                      ///< a journal is played: emitters are those that it has
  std::uint64_t updates = 0;                ///< that are noted
  bool unfilled = false;                    ///< the last search left voices free, so that the next looks at everything
  std::atomic<std::uint64_t> stale{0}, without_room{0};

 private:
  struct Told {
    bool stale = false, without_room = false, no_place = false, no_listener = false;
  };
  void tell_once(bool Told::*whether, const Reason& why);
  void know_following(const LiveSound& sound);
  void need_from_voices(UpdateUnderWay& update);
  void need_from_limits(const UpdateUnderWay& update);
  void need_from_groups(const UpdateUnderWay& update);

  Noting& noting_;
  Told told_;
  std::vector<std::uint64_t> ended_scopes_;  ///< hashes of names, since the last update
};

template <class LeaveBehind>
void Listening::take_removed(UpdateUnderWay& update, const KeptLists& to_come, LeaveBehind leave_behind) {
  for (const KeptState& its : to_come.emitters)
    if (its.gone) emitters.remove(its.emitter);
  if (!ended_scopes_.empty()) emitters.remove_of(std::exchange(ended_scopes_, {}));
  std::vector<Emitter> removed;
  emitters.take_gone(removed);
  update.kept.clear();
  for (const Emitter emitter : removed) {
    if (earshot.forget(emitter)) update.kept.push_back({emitter, true, {}});
    earshot.each_from(emitter, [&](std::uint32_t slot) {
      earshot.detach(slot);
      leave_behind(slot);
    });
  }
}

}  // namespace tidewater
