#pragma once
/// What a manager knows of the world: who is where, who listens, what is within earshot.

#include <atomic>
#include <cstdint>
#include <vector>

#include "notebook/notebook.hpp"
#include "play/loaded.hpp"
#include "voices/voices.hpp"
#include "world/earshot.hpp"
#include "world/emitters.hpp"
#include "world/listeners.hpp"

namespace tidewater {

inline HeardKind kind_of(const LiveSound& sound) {
  HeardKind kind;
  kind.hearing = sound.hearing.get();
  kind.rank = sound.design->rank;
  kind.limit = sound.design->cadence.high > Seconds{} ? 0 : sound.design->limit;  // of a cadence each step asks for itself
  kind.limit_each = sound.design->limit_each_emitter;
  kind.volume_group = sound.group;
  if (sound.following != nullptr) kind.most_bent = sound.following->loudest();
  return kind;
}

struct WorldSide {
  WorldSide(std::size_t capacity, std::size_t starts, Layout layout) : emitters(capacity), earshot(starts, layout) {
    constexpr std::size_t most_traits = 64;
    traits.reserve(most_traits);
  }

  Emitters emitters;
  bool adopts = false;  ///< a journal is played: emitters are those that it has
  Listeners listeners;
  Earshot earshot;
  std::vector<const Following*> following;  ///< by the kind in earshot; null for those that follow nothing

  void know_following(const LiveSound& sound) {
    if (sound.heard_kind >= following.size()) following.resize(sound.heard_kind + std::size_t{1});
    following[sound.heard_kind] = sound.following.get();
  }

  std::vector<Trait> traits;  ///< of the raise that is being asked, its emitter's behind its own

  // Of the update that goes on.
  std::vector<Emitter> gone;
  std::vector<VoicedLayer> voiced;
  std::vector<StartRef> voiced_starts;
  std::uint32_t voices_free = 0;
  bool listening = false;  ///< it was opened, and is not closed
  std::span<const Contender> contenders;
  std::vector<HeardStart> near;
  std::vector<KeptState> kept;
  std::uint64_t updates = 0;  ///< that are noted
  bool unfilled = false;      ///< the update before looked for whom to give free voices, and found too few

  /// See base/state.hpp, between two updates.
  template <class State>
  void state(State& s) {
    emitters.state(s);
    listeners.state(s);
    earshot.state(s);
    s(updates, unfilled, told);
  }

  KeptLists to_come;  ///< in a replay: what the update that comes next keeps

  /// Counted where no lock may be waited for, told by the next update.
  std::atomic<std::uint64_t> stale{0}, without_room{0};
  struct Told {
    bool stale = false, without_room = false, no_place = false, no_listener = false;
  } told;
};

}  // namespace tidewater
