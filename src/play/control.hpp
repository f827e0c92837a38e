#pragma once
/// The control side behind SoundManager and Playback: which part is asked for what, in which order, and no rules of its own.
///
/// Thread: whoever calls a member holds the lock, unless the member says otherwise. ask.cpp notes requests and carries most of them out,
/// banks.cpp those about banks, clips.cpp those about clips; update.cpp has the three acts of an update.

#include <cstdint>
#include <list>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/ours.hpp"
#include "groups/groups.hpp"
#include "music/music.hpp"
#include "play/driving.hpp"
#include "play/hand_on.hpp"
#include "play/library.hpp"
#include "play/listening.hpp"
#include "play/noting.hpp"
#include "play/reach.hpp"
#include "play/starter.hpp"
#include "scopes/scopes.hpp"
#include "terms/agenda.hpp"
#include "tidewater/manager.hpp"
#include "voices/voices.hpp"

namespace TIDEWATER_OURS tidewater {

/// Arguments of a request that a journal does not keep, and results of it.
struct Extras {
  std::uint32_t slot = StartRef::any_slot;  ///< the playback's slot, if it is known
  std::int64_t into = 0;                    ///< of a raise: frames from the beginning of the running block
  StartedSounds* started = nullptr;         ///< of a raise: gets its first starts
  std::uint64_t* number = nullptr;          ///< of a raise: receives the raise's number
  Loading* loading = nullptr;               ///< of a load, unload or turn
  ClipData* read = nullptr;                 ///< of a clip that was read
};

struct Control {
  explicit Control(ManagerOptions given);

  /// True before the first request, emitter, note or rendered block: only then may a restored state replace this manager.
  bool is_untouched();
  /// Thread: the audio thread.
  void render(std::span<float> out) noexcept;

  // Requests.

  /// Before each request, and before an update that is noted: reads the clock, and carries out what is known and due by then, so that a
  /// replay does the same.
  void settle() {
    noting.link.read_clock(noting.notebook);
    catch_up();
  }
  /// The only place that notes a request and carries it out. The caller has called `settle` before.
  Outcome ask(Request what, const Extras& extras = {});
  /// The same for a game: settles first, unless the request is refused at the door. No line tells of what is refused there, so that it must
  /// not move the time by which an update that is under way goes.
  Outcome settle_and_ask(Request what, const Extras& extras = {});
  /// The same without a variant: games raise far more often than they ask for anything else.
  Outcome settle_and_ask(asked::Raise& what, const Extras& extras = {});
  /// After it: its commands are complete.
  void commit() { noting.link.commit(); }
  /// Gives a raise on an emitter the emitter's place, traits and gauges, which the two lists hold.
  void fill_in(asked::Raise& raise, RaiseTraits& traits, Driving::Values& values) const;
  /// Returns false if no loaded bank has the event but one has another event of the action. Thread: any, without the lock.
  bool is_known_or_alone(const std::string& action, const std::string& event);
  /// The handles of a raise.
  Raised handles_of(Outcome outcome, const StartedSounds& started);

  // An update.

  /// Opens it, and listens without the lock. `to_come` is what a recording has kept of emitters. Thread: any, without the lock.
  void begin_update(const KeptLists& to_come = {});
  /// Starts that have ended are looked for no more.
  void forget_over();
  /// Closes it. Returns banks and clips that the caller destroys after unlocking. Thread: any, without the lock.
  std::list<LiveBank> end_update(Seconds elapsed, std::vector<ClipData>& dropped);
  // Its three acts: with the lock, without it, and with it.
  void open_update(const KeptLists& to_come = {});
  void listen(const KeptLists& to_come = {});
  std::list<LiveBank> close_update(Seconds elapsed, std::vector<ClipData>& dropped);

  // Loading. Outside the lock, while nobody else loads.

  /// The bank with the clips that it borrows from loaded banks, or which bank is missing. Thread: any.
  Read<Bank> with_its_bases(const Bank& bank);
  /// Makes ready what a bank needs to be loaded; may take long. Returns why it cannot be loaded, or nothing. `in_place` of the loaded bank
  /// of its name, if there is one.
  std::string make_ready_for(const BankData& data, LiveClips& clips, bool in_place = false);
  /// The same for its clips: they can be read later, and streamed.
  void make_ready_to_read(const BankData& data, LiveClips& clips);
  /// Gives the sounds of a bank the numbers that its groups and scopes will have.
  void number_names(Loading& loading) const;

  ManagerOptions options;
  std::mutex mutex;
  std::mutex updating;  ///< held for an update from its first act to its last; taken before the other
  Noting noting;
  HandOn handing;
  Groups groups;
  Scopes scopes;
  Agenda agenda;
  Library library;
  Voices voices;
  Listening listening;
  Driving driving;
  Starter starter;
  UpdateUnderWay update;
  Reachable handles{*this};  ///< the last member, because it must be destroyed first: see Reachable

 private:
  template <class R>
  Outcome ask_one(R& what, const Extras& extras, bool settles);
  /// Corrects numbers of a request that are out of range. Returns why the request is refused, or nothing if it can be carried out.
  template <class R>
  std::optional<Outcome> refuse(R& what);
  template <class R>
  Outcome note_and_carry_out(R& what, const Extras& extras);

  Outcome carry_out(const asked::Load& load, const Extras& extras);
  Outcome carry_out(const asked::Reload& reload, const Extras& extras);
  Outcome carry_out(const asked::Unload& unload, const Extras& extras);
  Outcome carry_out(const asked::Raise& raise, const Extras& extras);
  Outcome carry_out(const asked::Stop& stop, const Extras& extras);
  Outcome carry_out(const asked::SetGain& its, const Extras& extras);
  Outcome carry_out(const asked::Bend& bend, const Extras& extras);
  Outcome carry_out(const asked::SetPan& its, const Extras& extras);
  Outcome carry_out(const asked::SetLowPass& its, const Extras& extras);
  Outcome carry_out(const asked::SetHighPass& its, const Extras& extras);
  Outcome carry_out(const asked::SetMute& its, const Extras& extras);
  Outcome carry_out(const asked::StopAll& stop, const Extras& extras);
  Outcome carry_out(const asked::Unreadable& its, const Extras& extras);
  Outcome carry_out(const asked::Prefetch& prefetch, const Extras& extras);
  Outcome carry_out(const asked::ClipRead& its, const Extras& extras);
  Outcome carry_out(const asked::ClipDropped& its, const Extras& extras);
  Outcome carry_out(const asked::SetListener& its, const Extras& extras);
  Outcome carry_out(const asked::RemoveListener& its, const Extras& extras);
  Outcome carry_out(const asked::SetGauge& its, const Extras& extras);
  Outcome carry_out(const asked::BeginScope& its, const Extras& extras);
  Outcome carry_out(const asked::EndScope& its, const Extras& extras);
  Outcome carry_out(const asked::PauseScope& its, const Extras& extras);
  Outcome carry_out(const asked::ResumeScope& its, const Extras& extras);
  Outcome carry_out(const asked::SetTimeScale& its, const Extras& extras);
  Outcome carry_out(const asked::Play& its, const Extras& extras);
  Outcome carry_out(const asked::Leave& its, const Extras& extras);
  Outcome carry_out(const asked::SetMood& its, const Extras& extras);
  Outcome carry_out(const asked::SetPlayerLevel& its, const Extras& extras);
  Outcome carry_out(const asked::SetPlayerSwitch& its, const Extras& extras);
  Outcome carry_out(const asked::Turn& turn, const Extras& extras);
  Outcome set_player(const PlayerSetting& setting, Name group);
  void follow_moods_of_scopes();
  void tell_of_undeclared(const asked::Raise& raise);
  template <class Act>
  Outcome change_scope(Name scope, Act act);
  ScopeMoment scope_moment() const { return {noting.link.now().at, noting.link.changes_from()}; }
  void follow_scopes(const Scopes::Changed& changed);
  Outcome filter(const Target& of, StateFilter::Kind kind, Hertz frequency, Seconds time, const Extras& extras);
  template <class Act>
  Outcome change(PlaybackId id, const Extras& extras, Act act);
  template <class Act>
  Outcome change(Name group, Act act);
  void take_in(LiveBank& bank, const Loading& loading);

  void hand_out_beats();
  void take_what_is_heard();
  void add_sleeping_layers();
  void tell_what_happened(Seconds elapsed);
  void take_read_clips();
  void keep_to_budget();
  void catch_up();
  void carry_out_due(Agenda::Ticket ticket);
  void claim_due(LiveLayer& layer);
  void end_grace(Agenda::Ticket ticket);
  void hear_where_it_is(LiveStart& start);
};

}  // namespace tidewater
