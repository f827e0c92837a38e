/// Carries out changes of music: a track begins and another stops, each on its frame. music.cpp has which, and when.

#include <algorithm>
#include <utility>

#include "play/starter.hpp"

namespace tidewater {
namespace {

/// An older track that still fades when a third begins leaves within this.
constexpr Seconds leaves_quickly{0.1};
/// Time before its boundary at which a change of a stem's level is placed.
constexpr Seconds ahead_of_lift{0.25};
/// Length of the crossing from a looping voice to its ending. Both play the same samples.
constexpr Seconds over_to_ending{0.005};
constexpr std::size_t most_traits_by_part = 32;

}  // namespace

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

/// Carries out a plan: one track begins and another stops, each on its frame.
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
  begins.track = hash_name(track.design->name);
  begins.start = started.front();
  begins.scope = track.scope;
  begins.course = {placement.frame, placement.source, voices.step_of(track, {})};
  begins.fade_out = voices.frames_of(track.design->fade_out);
  begins.timing = TrackTiming(*track.design->as_track());
  return outcome;
}

/// Stops the track that plays. An older one that still fades leaves quickly, so that never three tracks are heard at once.
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
  if (stand.before && stand.before.scope == stand.playing.scope && stand.before_until > placement.stop_at)
    if (LiveStart* start = voices.find(stand.before.start))
      voices.leave_at(*start, {voices.frames_of(leaves_quickly), placement.stop_at, FadeLaw::equal_loudness}, why);
}

/// Plans the change that nobody asks for: the next track of a list, or the end of a track that stops after a time.
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

/// Returns the name of the part at a frame. It becomes the trait "part" of a sound that starts there, so that each part can have its clips.
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

void Starter::lift_stems() {
  music.each([&](Stand& stand) {
    LiveStart* start = stand.playing ? voices.find(stand.playing.start) : nullptr;
    if (start == nullptr || !start->follows || !start->sound->loaded->following->waits()) return;
    const ScopeNumber scope = stand.playing.scope;
    Followers::Follower* follower = driving.followers.find(start->ref());
    if (follower == nullptr || voices.times().held(scope)) return;
    const ScopeFrame from = voices.times().from(scope, noting.link.base());
    const ScopeFrame ahead = voices.times().at(scope, noting.link.now().at) + voices.frames_of(ahead_of_lift);
    ScopeFrame first = ScopeFrame::never();
    Seconds smoothing;
    const std::span<const Following::Gauge> follows = follower->following->gauges();
    for (std::size_t k = 0; k < follows.size(); ++k) {
      if (!follows[k].on || driving.gauges.aim(follows[k].number) == follower->until_boundary[k]) continue;
      const ScopeFrame falls = Music::boundary(stand.playing, *follows[k].on, from);
      if (falls > ahead) continue;
      follower->until_boundary[k] = driving.gauges.aim(follows[k].number);
      first = std::min(first, falls);
      smoothing = std::max(smoothing, driving.gauges.design(follows[k].number).smoothing);
    }
    if (first == ScopeFrame::never()) return;
    const Following::Values values = Followers::now(*follower, driving.gauges, listening.ready_values(nullptr));
    Voices::each_layer(*start, [&](LiveLayer& layer) {
      const auto which = static_cast<std::size_t>(layer.design - start->sound->design->layers.data());
      voices.lift_on(layer, follower->following->bend(which, values, false), first, voices.frames_of(smoothing));
    });
  });
}

void Starter::place_due(Agenda::Ticket ticket) {
  Stand& stand = music.numbered(agenda[ticket].number);
  if (stand.turn != ticket) return agenda.remove(ticket);
  plan(stand, false);
}

}  // namespace tidewater
