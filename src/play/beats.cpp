#include "play/beats.hpp"

#include <algorithm>

namespace tidewater {
namespace {

/// The frame of the first beat after `frame` that is a boundary; of the track that plays there then.
ScopeFrame next_after(const Stand& stand, const PlayingTrack& heard, std::int64_t beat, On on) {
  const ScopeFrame next = heard.course.reaches(heard.timing.beat(heard.timing.boundary_from(beat + 1, on)));
  const PlayingTrack& comes = stand.playing;
  if (&heard == &comes || !comes || !comes.timing.has_beats()) return next;
  return next >= stand.free_from ? comes.course.reaches(comes.timing.beat(0)) : next;
}

/// Names of a track and of one of its parts, if its bank is loaded.
void name(const Control& control, std::uint64_t track, std::uint32_t part, TrackName& its, Name& part_name) {
  const LiveSound* sound = control.starter.track_with(track);
  if (sound == nullptr) return;
  its = Name(sound->design->name, track);
  const BankTrack& design = *sound->design->as_track();
  if (part < design.parts.size()) part_name = Name(design.parts[part].name);
}

/// The track that is heard: the one that plays, or before it begins the one that it follows.
const PlayingTrack* heard_on(const Stand& stand, ScopeFrame frame) {
  if (stand.playing && frame >= stand.playing.course.frame) return frame < stand.playing.ends() ? &stand.playing : nullptr;
  return stand.before && frame >= stand.before.course.frame && frame < stand.free_from ? &stand.before : nullptr;
}

ScopeNumber scope_of(const Stand& stand) { return stand.playing ? stand.playing.scope : stand.before.scope; }

}  // namespace

std::optional<Beat> beat_at(const Control& control, Name name_of_stand, MixFrame frame) {
  const Stand* stand = control.starter.music.find(name_of_stand.hash());
  if (stand == nullptr) return std::nullopt;
  const ScopeTimes& times = control.voices.times();
  const ScopeNumber scope = scope_of(*stand);
  const ScopeFrame now = times.at(scope, frame);
  const PlayingTrack* heard = heard_on(*stand, now);
  if (heard == nullptr || !heard->timing.has_beats()) return std::nullopt;
  Beat its;
  const std::int64_t beat = heard->beat_reached(now);
  const BeatPlace place = heard->timing.place_of(std::max<std::int64_t>(0, beat));
  name(control, heard->track, place.part, its.track, its.part);
  const auto frames_to = [&](On on) {
    const MixFrame at = times.mixed(scope, next_after(*stand, *heard, beat, on));
    return Frames{at == MixFrame::never() || times.held(scope) ? -1 : std::max<std::int64_t>(0, at - frame)};
  };
  its.to_beat = frames_to(On::beat);
  its.to_bar = frames_to(On::bar);
  if (beat < 0) return its;
  its.bar = place.bar + 1;
  its.beat = place.beat + 1;
  const ScopeFrame began = heard->course.reaches(heard->timing.beat(beat)), ends = heard->course.reaches(heard->timing.beat(beat + 1));
  if (ends > began) its.into = std::clamp(static_cast<double>(now - began) / static_cast<double>(ends - began), 0.0, 1.0);
  return its;
}

void list_beats(Control& control, std::vector<PassedBeat>& passed) {
  const ScopeTimes& times = control.voices.times();
  const MixFrame now = control.noting.link.now().at;
  control.starter.music.each([&](Stand& stand) {
    const ScopeNumber scope = scope_of(stand);
    const ScopeFrame until = times.at(scope, now);
    if (stand.told_scope != scope) stand.told = {0};
    stand.told_scope = scope;
    const auto add = [&](const PlayingTrack& its, ScopeFrame from, ScopeFrame to) {
      if (!its || !its.timing.has_beats() || its.scope != scope) return;
      to = std::min(to, its.ends());
      for (std::int64_t beat = std::max<std::int64_t>(0, its.beat_reached(from - 1) + 1);; ++beat) {
        const ScopeFrame at = its.course.reaches(its.timing.beat(beat));
        if (at >= to || passed.size() == passed.capacity()) return;
        if (at < from || at < its.course.frame) continue;
        const BeatPlace place = its.timing.place_of(beat);
        PassedBeat& one = passed.emplace_back();
        one.stand = Name("", stand.name);
        name(control, its.track, place.part, one.track, one.part);
        one.bar = place.bar + 1;
        one.beat = place.beat + 1;
        one.at = {times.mixed(scope, at).value};
      }
    };
    const ScopeFrame from = stand.told, to = until + 1;
    if (from < to) {
      add(stand.before, from, std::min(to, stand.free_from));
      add(stand.playing, from, to);
    }
    stand.told = std::max(stand.told, to);
  });
  std::stable_sort(passed.begin(), passed.end(), [](const PassedBeat& a, const PassedBeat& b) { return a.at < b.at; });
}

}  // namespace tidewater
