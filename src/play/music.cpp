/// Plays tracks: asks the planner which track begins on which frame, and has it begin there.

#include "music/music.hpp"

#include <algorithm>
#include <utility>

#include "choose/draws.hpp"
#include "choose/pick.hpp"
#include "music/change_rules.hpp"
#include "play/starter.hpp"

namespace tidewater {
namespace {

// A change is placed so long before its frame.
constexpr Seconds ahead{0.25};
/// The same where the track that plays ends there by itself: there is no later boundary.
constexpr Seconds ahead_of_end{1};
/// A track that begins inside a stream, beyond what is in memory, needs so long to be read.
constexpr Seconds time_to_read{0.1};
/// An older track that still fades when a third begins leaves within this.
constexpr Seconds quick{0.1};
/// How one voice goes over into the other where an ending begins.
constexpr Seconds over_to_ending{0.005};
constexpr Seconds until_clips_come{0.05};
constexpr std::size_t most_traits_by_part = 32;

Name name_of(const LiveSound& track) { return Name(track.design->name); }

}  // namespace

LiveSound* Starter::track_with(std::uint64_t hash) const {
  return library.loaded.track_called(Name(std::string_view(StrippedName(Name("", hash))), hash));
}

/// How a track begins at its start, or where it was left.
Beginning Starter::beginning_of(const LiveSound& track) const {
  const BankTrack& design = *track.design->as_track();
  const TrackTiming timing(design);
  Beginning begins;
  begins.step = voices.step_of(track, {});
  begins.fade_in = voices.frames_of(track.design->fade_in);
  begins.first = timing.first_beat();
  if (design.goes_on)
    if (const auto left = music.left_at(name_of(track).hash())) {
      begins.source = *left;
      begins.first = {};
    }
  const BankClip& clip = track.bank->clips[track.design->layers.front().choices.front().clips.front().clip];
  if (clip.streamed != nullptr && begins.source.whole >= clip.streamed->head) begins.needs = voices.frames_of(time_to_read);
  return begins;
}

/// What is asked of a stand, by the rules of both tracks. `track` is null for silence.
MusicChange Starter::change_to(const Stand& stand, const LiveSound* track, PlaybackId id, std::uint64_t event) const {
  const LiveSound* left = stand.playing ? track_with(stand.playing.track) : nullptr;
  const BankTrack* its = left == nullptr ? nullptr : left->design->as_track();
  const ChangeRules rules = rules_between(its, left == nullptr ? std::string_view() : std::string_view(left->design->name),
                                          track == nullptr ? nullptr : track->design->as_track());
  MusicChange change;
  change.asked = id;
  change.event = event;
  if (track == nullptr) {
    change.on = rules.on;
    change.over = stand.playing.fade_out;
  } else {
    change.track = name_of(*track).hash();
    change.begins = beginning_of(*track);
    change.on = rules.on;
    change.by = rules.by;
    change.over = voices.frames_of(rules.over);
  }
  if (track != nullptr && change.by == By::bridge) lead_by(change, Name(rules.bridge), false);
  return change;
}

/// A bridge or an ending plays first, if it is loaded.
void Starter::lead_by(MusicChange& change, Name name, bool seamless) const {
  const LiveSound* via = library.loaded.track_called(name);
  if (via == nullptr) return;
  change.via = name.hash();
  change.via_begins = beginning_of(*via);
  change.seamless = seamless;
}

Outcome Starter::play(LiveSound& track, PlaybackId id, Name event) {
  const BankTrack& design = *track.design->as_track();
  if (!design.list.empty()) return play_list(track, id, event);
  Stand* stand = music.find_or_make(Name(design.stand_name()).hash());
  if (stand == nullptr)
    return noting.decide(Outcome::no_room, id, {.code = Reason::Code::no_more_stands, .number = most_stands, .name = design.stand_name()},
                         event);
  look_after(*stand);
  MusicChange change = change_to(*stand, &track, id, event.hash());
  if (change.on == On::end && stand->playing) end_with_ending(*stand, change);
  const bool listed = std::exchange(stand->list, 0) != 0;
  const Outcome outcome = ask_stand(*stand, change, track.design->name, event);
  if (listed && outcome == Outcome::went_on && stand->wants && stand->wanted.by_itself) stand->wants = false, take_turn_away(*stand);
  return outcome;
}

/// A list plays one of its tracks after the other.
Outcome Starter::play_list(LiveSound& list, PlaybackId id, Name event) {
  const std::uint64_t its_name = name_of(list).hash();
  Stand* stand = music.find_or_make(Name(list.design->as_track()->stand_name()).hash());
  if (stand != nullptr) look_after(*stand);
  if (stand != nullptr && stand->list == its_name && (stand->playing || stand->wants)) {
    renew(*stand);
    return noting.decide(Outcome::went_on, id, {.code = Reason::Code::track_on_its_way, .name = list.design->name}, event);
  }
  LiveSound* track = pick_of(list);
  if (track == nullptr) return noting.decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::track_unloaded}, event);
  const Outcome outcome = play(*track, id, event);
  if (stand == nullptr || !plays(outcome)) return outcome;
  stand->list = its_name;
  if (stand->wants && stand->wanted.by_itself) {
    stand->wants = false;
    take_turn_away(*stand);
  }
  if (stand->playing && !stand->wants) go_by_itself(*stand);
  return outcome;
}

/// The next track of a list. It is remembered, so that none comes twice running.
LiveSound* Starter::pick_of(LiveSound& list) {
  const BankLayer& layer = list.design->layers.front();
  const Picked picked = pick(Pick::shuffle, layer.choices.front(), list.memory->picks.front(), Draws::hash_of(~list.key, 0));
  list.memory->picks.front() = picked.after;
  const BankTrack& design = *list.design->as_track();
  return library.loaded.track_called(Name(design.list[picked.clip].text, design.list[picked.clip].hash));
}

/// Whether the next track of the list follows on the one that plays.
bool Starter::follow_list(Stand& stand) {
  LiveSound* list = stand.list == 0 ? nullptr : track_with(stand.list);
  if (list == nullptr || stand.playing.timing.loops()) return false;
  LiveSound* next = pick_of(*list);
  if (next == nullptr) return false;
  const Range<Seconds> pause = list->design->as_track()->pause;
  const double share = Draws(list->key, ++list->memory->asked).unit(0);
  MusicChange change = change_to(stand, next, {}, 0);
  change.via = 0;
  change.on = On::end;
  change.by = By::cut;
  change.by_itself = true;
  change.not_before = stand.playing.ends() + voices.frames_of({pause.low.value + (pause.high - pause.low).value * share});
  stand.wants = true;
  stand.wanted = change;
  plan(stand, false);
  return true;
}

/// A track that is left at its end plays its ending first.
void Starter::end_with_ending(const Stand& stand, MusicChange& change) const {
  const LiveSound* left = track_with(stand.playing.track);
  if (left == nullptr || left->design->as_track()->ending.empty() || change.via != 0 || stand.after_via) return;
  lead_by(change, Name(left->design->as_track()->ending), true);
}

Outcome Starter::leave(Name name, std::optional<On> on, std::optional<Seconds> fade, PlaybackId id, Name event) {
  Stand* stand = music.find(name.hash());
  if (stand != nullptr) look_after(*stand);
  if (stand == nullptr || (!stand->playing && !stand->wants))
    return noting.decide(Outcome::nothing_to_stop, id, {.code = Reason::Code::no_music, .name = name.text()}, event);
  MusicChange change = change_to(*stand, nullptr, id, event.hash());
  if (on) change.on = *on;
  if (fade) change.over = voices.frames_of(*fade);
  if (change.on == On::end && stand->playing) end_with_ending(*stand, change);
  stand->list = 0;
  return ask_stand(*stand, change, name.text(), event);
}

Outcome Starter::ask_stand(Stand& stand, const MusicChange& change, std::string_view name, Name event) {
  std::optional<PlaybackId> replaced;
  const Asked asked = Music::ask(stand, change, replaced);
  if (asked == Asked::nothing)
    return noting.decide(Outcome::nothing_to_stop, change.asked, {.code = Reason::Code::no_music, .name = name}, event);
  if (asked == Asked::goes_on || asked == Asked::back) renew(stand);
  if (replaced) noting.decide(Outcome::replaced, *replaced, {.code = Reason::Code::change_replaced, .name = name}, event);
  if (asked == Asked::back) {
    take_turn_away(stand);
    go_by_itself(stand);
  }
  if (asked != Asked::planned)
    return noting.decide(Outcome::went_on, change.asked,
                         {.code = asked == Asked::back ? Reason::Code::track_still_plays : Reason::Code::track_on_its_way, .name = name},
                         event);
  return plan(stand, true);
}

/// A restart of the scope does not stop what was asked for again.
void Starter::renew(const Stand& stand) {
  if (LiveStart* start = stand.playing ? voices.find(stand.playing.start) : nullptr) start->renewed = noting.totals.raised;
}

void Starter::take_turn_away(Stand& stand) {
  if (stand.turn != Agenda::no_ticket) agenda.remove(std::exchange(stand.turn, Agenda::no_ticket));
}

/// Finds out whether what plays has ended.
void Starter::look_after(Stand& stand) {
  if (!stand.playing) return;
  const ScopeFrame now = voices.times().at(stand.playing.scope, noting.link.now().lands);
  if (stand.playing.ends() > now && voices.plays_on(stand.playing.start)) return;
  if (stand.playing.ends() > now) leave_behind(stand.playing, now);
  Music::ended(stand);
  if (!stand.wants) take_turn_away(stand);
}

/// Remembers where a track is left, for when it goes on.
void Starter::leave_behind(const PlayingTrack& its, ScopeFrame when) {
  const LiveSound* track = track_with(its.track);
  if (track != nullptr && track->design->as_track()->goes_on) music.leave_at(its.track, its.timing.folded(its.course.at(when)));
}

/// The scope in which a stand's change is counted.
ScopeNumber Starter::scope_of(const Stand& stand) const {
  if (stand.playing) return stand.playing.scope;
  const LiveSound* track = track_with(stand.wanted.track);
  return track == nullptr ? ScopeNumber{0} : track->scope;
}

/// Places the change that a stand wants, or has the agenda do it when its time comes. `asked` says that a request asks for it now.
Outcome Starter::plan(Stand& stand, bool asked) {
  take_turn_away(stand);
  look_after(stand);
  if (!stand.wants) return Outcome::done;
  const MusicChange& wanted = stand.wanted;
  const Name event = event_named(wanted.event);
  LiveSound* comes = wanted.track == 0 ? nullptr : track_with(wanted.track);
  if (wanted.track != 0 && comes == nullptr) {
    const PlaybackId id = wanted.asked;
    Music::give_up(stand);
    return noting.decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::track_unloaded}, event);
  }
  const ScopeNumber scope = scope_of(stand);
  if (scopes[scope].state == Scopes::State::ended && comes != nullptr && !stand.playing) {
    const PlaybackId id = wanted.asked;
    Music::give_up(stand);
    return noting.decide(Outcome::scope_ended, id, scopes.why_ended(scope), event);
  }
  if (stand.free_scope != scope) stand.free_from = {0};
  const ScopeFrame from = voices.times().from(scope, noting.link.base());
  const Placement placement = Music::plan(stand, from);
  const std::int64_t early =
      voices.frames_of(stand.playing && !stand.playing.timing.loops() && placement.boundary >= stand.playing.ends() ? ahead_of_end : ahead);
  const ScopeFrame turn = std::min(placement.frame, placement.stops ? placement.stop_at : placement.frame) - early;
  LiveSound* begins = placement.starts == 0 ? nullptr : track_with(placement.starts);
  const bool away = begins != nullptr && !clips_there(*begins);
  const bool held = voices.times().held(scope);
  if (!held && !away && turn <= voices.times().at(scope, noting.link.now().at)) return carry_out(stand, placement);
  const ScopeFrame soon = voices.times().from(scope, noting.link.now().at) + voices.frames_of(until_clips_come);
  stand.turn = agenda.add_music(scope,
                                away   ? std::max(turn, soon)
                                : held ? std::max(turn, voices.times().stood_at(scope))
                                       : turn,
                                music.number_of(stand));
  if (!asked) return Outcome::planned;
  note_planned(stand, placement, event);
  return Outcome::planned;
}

/// Whether all clips of a track are in memory. If not, they are asked for.
bool Starter::clips_there(LiveSound& track) {
  bool there = true;
  LiveBank& bank = *track.home->loaded;
  for (const BankLayer& stem : track.design->layers) {
    LiveClip& clip = bank.clips[stem.choices.front().clips.front().clip];
    if (!clip.there || !clip.data.there()) library.fetch_clip(bank, clip);
    there = there && clip.there && clip.data.there();
  }
  return there;
}

Name Starter::event_named(std::uint64_t hash) const {
  const Catalogue::Event* event = hash == 0 ? nullptr : library.loaded.catalogue()->find(hash);
  return event == nullptr ? Name("", 0) : Name(event->design->name, hash);
}

/// Says where a change falls: "on bar 5, in 'round' of 'estuary'".
Reason Starter::where_it_falls(const Stand& stand, const Placement& placement, Reason::Code code) const {
  Reason why{.code = code, .more = word_of(stand.after_via ? On::end : stand.wanted.on)};
  const LiveSound* left = stand.playing ? track_with(stand.playing.track) : nullptr;
  if (left == nullptr) return why;
  why.name = left->design->name;
  const TrackTiming& timing = stand.playing.timing;
  if (placement.boundary >= stand.playing.ends()) {
    why.more = word_of(On::end);
    return why;
  }
  if (!timing.has_beats()) return why;
  const BeatPlace place = timing.place_of(std::max<std::int64_t>(0, stand.playing.beat_reached(placement.boundary)));
  const BankTrack& design = *left->design->as_track();
  why.number = static_cast<double>(place.bar + 1);
  why.other = place.beat + 1;
  if (place.part < design.parts.size()) why.unit = design.parts[place.part].name;
  return why;
}

/// Notes where a change will fall, so that the game and the journal know it at once.
void Starter::note_planned(const Stand& stand, const Placement& placement, Name event) {
  const ScopeNumber scope = scope_of(stand);
  Reason why = where_it_falls(stand, placement, Reason::Code::track_planned);
  why.traits = {};
  const MixFrame falls = voices.times().mixed(scope, placement.boundary);
  if (voices.times().held(scope) || falls == MixFrame::never()) {
    Reason held = scopes.why_held(scope);
    held.code = Reason::Code::music_waits_for_scope;
    noting.decide(Outcome::planned, stand.wanted.asked, held, event);
    return;
  }
  why.seconds = seconds({falls.value}, options.rate).value;
  noting.decide(Outcome::planned, stand.wanted.asked, why, event);
}

/// Something begins, and what plays stops, each on its frame.
Outcome Starter::carry_out(Stand& stand, const Placement& placement) {
  const MusicChange change = placement.change;
  const Name event = event_named(change.event);
  PlayingTrack begins;
  Outcome outcome = Outcome::done;
  if (placement.starts != 0) {
    LiveSound* track = track_with(placement.starts);
    if (track == nullptr) {
      Music::give_up(stand);
      return noting.decide(Outcome::bank_not_loaded, change.asked, {.code = Reason::Code::track_unloaded}, event);
    }
    const PlaybackId id{++noting.totals.raised, 1};
    note_due(stand, placement, *track, id);
    outcome = begin_track(*track, placement, id, event, begins);
    if (!begins) {
      Music::give_up(stand);
      return outcome;
    }
  }
  if (placement.stops) stop_track(stand, placement);
  Music::place(stand, placement, begins);
  if (stand.wants)
    plan(stand, false);
  else if (begins)
    go_by_itself(stand);
  return outcome;
}

/// Starts a track at its frame and place. `begins` stays empty if it cannot start.
Outcome Starter::begin_track(LiveSound& track, const Placement& placement, PlaybackId id, Name event, PlayingTrack& begins) {
  const bool seamless = placement.change.seamless && placement.starts == placement.change.via;
  const ExactStart start{placement.frame, true, placement.source, seamless ? voices.frames_of(over_to_ending) : placement.fade_in,
                         seamless            ? FadeLaw::straight
                         : placement.crosses ? FadeLaw::equal_power
                                             : FadeLaw::equal_loudness};
  const std::optional<Whereabouts> nowhere;
  StartedSounds started;
  const Happening happening{.event = event,
                            .traits = {},
                            .emitter = {},
                            .gauges = {},
                            .at = nowhere,
                            .base = noting.link.base(),
                            .action = id.raise,
                            .root = noting.totals.raised,
                            .exact = &start};
  const Outcome outcome = this->start(*track.home->loaded, track, {}, id, happening, started);
  if (started.empty()) return outcome;
  begins.track = name_of(track).hash();
  begins.start = started.front();
  begins.scope = track.scope;
  begins.course = {placement.frame, placement.source, voices.step_of(track, {})};
  begins.fade_out = voices.frames_of(track.design->fade_out);
  begins.timing = TrackTiming(*track.design->as_track());
  return outcome;
}

/// What plays stops; what has been fading since before leaves quickly, so that no three tracks are heard.
void Starter::stop_track(Stand& stand, const Placement& placement) {
  const Reason why = where_it_falls(stand, placement, Reason::Code::gives_way_on);
  const bool seamless = placement.change.seamless && placement.starts != 0 && placement.starts == placement.change.via;
  if (LiveStart* start = voices.find(stand.playing.start))
    voices.leave_at(*start,
                    {seamless ? voices.frames_of(over_to_ending) : placement.fade_out, placement.stop_at,
                     seamless            ? FadeLaw::straight
                     : placement.crosses ? FadeLaw::equal_power
                                         : FadeLaw::equal_loudness},
                    why);
  leave_behind(stand.playing, placement.stop_at);
  if (stand.before && stand.before_until > placement.frame)
    if (LiveStart* start = voices.find(stand.before.start))
      voices.leave_at(*start, {voices.frames_of(quick), placement.frame, FadeLaw::equal_loudness}, why);
}

/// What follows without being asked for: the next track of a list, or the end of a track that stops after a time.
void Starter::go_by_itself(Stand& stand) {
  if (follow_list(stand)) return;
  const LiveSound* track = track_with(stand.playing.track);
  if (track == nullptr) return;
  const BankTrack& design = *track->design->as_track();
  const TrackTiming& timing = stand.playing.timing;
  ScopeFrame when = ScopeFrame::never();
  if (design.stop_after_bars > 0)
    when = stand.playing.course.reaches(timing.beat(std::max<std::int64_t>(0, stand.playing.beat_reached(stand.playing.course.frame)) +
                                                    std::int64_t{design.stop_after_bars} * timing.metre()));
  else if (design.stop_after > Seconds{})
    when = stand.playing.course.reaches(timing.first_beat()) + voices.frames_of(design.stop_after);
  if (when == ScopeFrame::never() || when >= stand.playing.ends()) return;
  MusicChange change;
  change.on = On::now;
  change.over = stand.playing.fade_out;
  change.by_itself = true;
  change.not_before = when;
  stand.wants = true;
  stand.wanted = change;
  plan(stand, false);
}

/// The part of the music at a frame, so that a sound can have clips for each: a trait "part" of its start.
std::string_view Starter::part_at(const Stand& stand, ScopeFrame frame) const {
  const PlayingTrack& its = frame < stand.playing.course.frame && stand.before ? stand.before : stand.playing;
  const LiveSound* track = track_with(its.track);
  if (track == nullptr || !its.timing.has_beats()) return {};
  const BankTrack& design = *track->design->as_track();
  const std::uint32_t part = its.timing.place_of(std::max<std::int64_t>(0, its.beat_reached(frame))).part;
  return part < design.parts.size() ? std::string_view(design.parts[part].name) : std::string_view();
}

Outcome Starter::start_on_beat(LiveBank& bank, LiveSound& sound, const Added& added, On on, PlaybackId id, const Happening& happening,
                               StartedSounds& started) {
  Stand* stand = music.find(Name("main").hash());
  if (stand != nullptr) look_after(*stand);
  if (stand == nullptr || !stand->playing) return start(bank, sound, added, id, happening, started);
  const ScopeTimes& times = voices.times();
  const ScopeNumber scope = stand->playing.scope, own = happening.scope.value_or(sound.scope);
  const auto falls = Music::next_boundary(*stand, on, times.from(scope, happening.base) + voices.frames_of(added.delay));
  const MixFrame mixed = times.mixed(scope, *falls);
  if (mixed == MixFrame::never()) return start(bank, sound, added, id, happening, started);
  Happening its = happening;
  const ExactStart there{.frame = own == scope ? *falls : times.from(own, mixed), .source = {}};
  its.exact = &there;
  Few<Trait, most_traits_by_part> traits;
  for (const Trait& trait : happening.traits)
    if (traits.size() + 1 < most_traits_by_part) traits.emplace_back(trait);
  if (const std::string_view part = part_at(*stand, *falls); !part.empty()) traits.emplace_back(Name("part"), Name(part));
  its.traits = {traits.begin(), traits.size()};
  return start(bank, sound, {Seconds{}, added.gain}, id, its, started);
}

void Starter::note_due(const Stand& stand, const Placement& placement, const LiveSound& track, PlaybackId id) {
  if (!stand.playing || !noting.notebook.open()) return;
  noting.notebook.add(noting.link.now().at,
                      DueNote{.playback = id,
                              .sound = track.design,
                              .starts = voices.times().mixed(stand.playing.scope, placement.frame),
                              .voice = ~0U,
                              .why = noting.notebook.keep(where_it_falls(stand, placement, Reason::Code::takes_over_on))});
}

void Starter::place_due(Agenda::Ticket ticket) {
  Stand& stand = music.numbered(agenda[ticket].number);
  if (stand.turn != ticket) return agenda.remove(ticket);
  plan(stand, false);
}

}  // namespace tidewater
