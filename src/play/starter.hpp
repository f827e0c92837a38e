#pragma once
#include <cstdint>
#include <optional>
#include <span>

#include "base/fetch.hpp"
#include "base/few.hpp"
#include "groups/groups.hpp"
#include "music/music.hpp"
#include "play/catalogue.hpp"
#include "play/driving.hpp"
#include "play/happening.hpp"
#include "play/library.hpp"
#include "play/listening.hpp"
#include "play/noting.hpp"
#include "scopes/scopes.hpp"
#include "tidewater/manager.hpp"
#include "voices/voices.hpp"

namespace tidewater {

/// The first starts of one raise: those that a game gets handles of.
using StartedSounds = Few<StartRef, Raised::most_handles>;
inline void add(StartedSounds& started, StartRef start) {
  if (!started.full()) started.emplace_back(start);
}

/// The greatest depth of a chain of raises at one frame, and the most raises in it.
inline constexpr std::uint32_t most_depth = 64;
inline constexpr std::uint64_t most_raised = 1024;

/// Carries out the responses of events, in order, and starts the steps of cadences. respond.cpp has which responses are carried out and
/// when, effects.cpp what each verb does, start.cpp how a sound starts, cadence.cpp how it starts again and again.
///
/// Thread: whoever holds the control lock.
struct Starter {
  /// Returns the outcome of the whole: a refusal before what plays, what plays before the rest, and among equals the first.
  Outcome respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, StartedSounds& started);
  /// Responses that are no starts and wait for their delay, at most.
  static constexpr std::size_t most_put_off = 1024;
  /// Carries out a response whose delay is over. `listens` says that an update is listening without the lock.
  void respond_late(Agenda::Ticket ticket, bool listens);
  /// Starts whatever is due before the next update, of the cadences that are heard.
  void start_again(UpdateUnderWay& update);
  /// Returns the state of a playback. A cadence sounds while one of its steps does.
  PlaybackState state_of(const LiveStart& start);
  /// Calls `act(start)` for the steps that a cadence has started and that have not ended.
  template <class Act>
  void each_step(const LiveStart& start, Act act);
  /// Why a layer is not heard. Nothing if it is.
  Reason why(const LiveSound& sound, const Candidate& candidate, const HeardFrom* from, const Verdict& verdict) const;

  // Music: music.cpp.

  Outcome play(LiveSound& track, PlaybackId id, Name event);
  /// Ends the music on a stand. Without `fade` it takes the track's own fade-out.
  Outcome leave(Name stand, std::optional<On> on, std::optional<Seconds> fade, PlaybackId id, Name event);
  /// Stems whose gauges wait for a boundary: what was set counts from there on.
  void lift_stems();
  /// The change of a stand is placed, or put off again.
  void place_due(Agenda::Ticket ticket);

  const ManagerOptions& options;
  Noting& noting;
  Groups& groups;
  const Scopes& scopes;
  Agenda& agenda;
  Library& library;
  Voices& voices;
  Listening& listening;
  Driving& driving;
  Music music = {};

  // Used by one another.

  Outcome respond(const Catalogue::Event& event, const BankResponse& response, PlaybackId id, const Happening& happening,
                  StartedSounds& started);
  Outcome start_plain(const Catalogue::Event& event, const BankResponse& response, PlaybackId id, const Happening& happening,
                      StartedSounds& started) {
    LiveSound& sound = event.bank->sounds[response.target];
    fetch(event.bank->data->sounds[response.target]);
    fetch(sound);
    return start(*event.bank, sound, {response.delay.low + happening.delay, happening.gain + response.level()}, id, happening, started);
  }
  Outcome put_off(const Catalogue::Event& event, const BankResponse& response, Seconds delay, PlaybackId id, const Happening& happening);
  Trait text_of(const KeptTrait& trait, const Catalogue::Event& event) const;
  /// Decides on an event that no bank has.
  Outcome decide_unknown(Name event, PlaybackId id);
  void set_gain(LiveStart& start, Decibels gain, Seconds time);
  /// Passes changes of groups on to the mixer.
  void send_groups();
  /// Begins or ends a mood, over its own fade.
  void set_mood(std::uint32_t mood, bool on);
  Groups::Way way_for(Seconds time) const { return {noting.link.base(), voices.frames_of(time)}; }
  /// Values that a response adds to those of a sound.
  struct Added {
    Seconds delay = {};
    Decibels gain = {};
  };
  Outcome start(LiveBank& bank, LiveSound& sound, const Added& added, PlaybackId id, const Happening& happening, StartedSounds& started);
  /// Starts a sound on the next boundary of the music on the stand "main". Without music it starts at once.
  Outcome start_on_beat(LiveBank& bank, LiveSound& sound, const Added& added, On on, PlaybackId id, const Happening& happening,
                        StartedSounds& started);
  /// Makes a start known to all that follow it.
  void join(LiveSound& sound, const LiveStart& start, const Happening& happening, Followers::Follower* follower, StartedSounds& started);
  void note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening);

  Outcome begin_cadence(LiveSound& sound, const NewStart& as, Decibels gain, const Happening& happening, Layers& layers,
                        Followers::Follower* follower, const Verdict& verdict, StartedSounds& started);
  bool change_traits(const LiveSound& sound, const Happening& happening);
  /// Values of a cadence that its start does not hold yet.
  struct OfCadence {
    const Followers::Follower* follower = nullptr;
    std::span<const GaugeValue> gauges;
    std::optional<Whereabouts> at;
    bool stays = false;
    const HeardFrom* from = nullptr;
  };
  /// `missed` counts steps that came too late. Null if there can be none.
  void start_again(Cadence& cadence, const LiveStart& its, const OfCadence& by, MissedSteps* missed);
  void hold_steps_back(const Cadence& cadence, const Following::By& by);
  LiveSound* track_with(std::uint64_t hash) const;
  TrackBeginning beginning_of(const LiveSound& track) const;
  MusicChange change_to(const Stand& stand, const LiveSound* track, PlaybackId id, std::uint64_t event) const;
  void lead_by(MusicChange& change, Name name, bool seamless) const;
  void end_with_ending(const Stand& stand, MusicChange& change) const;
  Outcome ask_stand(Stand& stand, const MusicChange& change, std::string_view name, Name event);
  void renew(const Stand& stand);
  void take_turn_away(Stand& stand);
  void look_after(Stand& stand);
  void leave_behind(const PlayingTrack& its, ScopeFrame when);
  ScopeNumber scope_of(const Stand& stand) const;
  Outcome plan(Stand& stand, bool asked);
  void bring_to_scope(ScopeNumber scope, const Stand& stand, Placement& placement) const;
  bool clips_there(LiveSound& track);
  Name event_named(std::uint64_t hash) const;
  Reason where_it_falls(const Stand& stand, const Placement& placement, Reason::Code code) const;
  void note_planned(const Stand& stand, const Placement& placement, Name event);
  Outcome carry_out(Stand& stand, const Placement& placement);
  Outcome begin_track(LiveSound& track, const Placement& placement, PlaybackId id, Name event, PlayingTrack& begins);
  void stop_track(Stand& stand, const Placement& placement);
  Outcome play_list(LiveSound& list, PlaybackId id, Name event);
  LiveSound* pick_of(LiveSound& list);
  void go_by_itself(Stand& stand);
  bool follow_list(Stand& stand);
  std::string_view part_at(const Stand& stand, ScopeFrame frame) const;
  void note_due(const Stand& stand, const Placement& placement, const LiveSound& track, PlaybackId id);
  /// Gives a step the levels and filters that the game has set for its cadence.
  void go_by_cadence(const Cadence& cadence, NewStart& step);
};

template <class Act>
void Starter::each_step(const LiveStart& start, Act act) {
  const Cadence* cadence = start.part == Part::cadence ? driving.cadences.find(start.ref()) : nullptr;
  if (cadence == nullptr) return;
  for (const StartRef its : cadence->last)
    if (LiveStart* step = voices.find(its)) act(*step);
}

}  // namespace tidewater
