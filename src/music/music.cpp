#include "music/music.hpp"

#include <algorithm>

namespace tidewater {

std::int64_t PlayingTrack::beat_reached(ScopeFrame when) const {
  const auto reached = [&](std::int64_t beat) {
    return (timing.loops() || beat <= timing.beats()) && course.reaches(timing.beat(beat)) <= when;
  };
  if (!reached(0)) return -1;
  std::int64_t beat = std::max<std::int64_t>(0, timing.beat_near(course.at(when)));
  if (!timing.loops()) beat = std::min(beat, timing.beats());
  while (reached(beat + 1)) ++beat;
  return beat;
}

Stand* Music::find(std::uint64_t name) {
  for (Stand& stand : stands_)
    if (stand.name == name) return &stand;
  return nullptr;
}

Stand* Music::find_or_make(std::uint64_t name) {
  if (Stand* known = find(name)) return known;
  for (Stand& stand : stands_)
    if (stand.name == 0) {
      stand.name = name;
      return &stand;
    }
  return nullptr;
}

Asked Music::ask(Stand& stand, const MusicChange& change, std::optional<PlaybackId>& replaced) {
  replaced.reset();
  const bool leaves = change.track == 0;
  const bool asked_before = stand.wants && !stand.wanted.by_itself;
  if (leaves && !stand.playing && !stand.wants) return Asked::nothing;
  if (leaves ? asked_before && stand.wanted.track == 0 : (asked_before ? stand.wanted.track : stand.target) == change.track)
    return Asked::goes_on;
  if (asked_before) replaced = stand.wanted.asked;
  if (stand.after_via) {  // the bridge leads elsewhere now
    stand.wanted = change;
    stand.wanted.fall_on_end();
    return Asked::planned;
  }
  if (!leaves && stand.playing.track == change.track) {
    stand.wants = false;
    return Asked::back;
  }
  stand.wants = true;
  stand.wanted = change;
  return Asked::planned;
}

ScopeFrame Music::boundary(const PlayingTrack& its, On on, ScopeFrame from) {
  const TrackTiming& timing = its.timing;
  const ScopeFrame ends = its.ends();
  from = std::max(from, its.course.frame);
  if (from >= ends) return from;
  if (on == On::now || (!timing.has_beats() && on != On::end)) return from;
  if (!timing.has_beats()) {
    if (!timing.loops()) return ends;
    std::int64_t round = std::max<std::int64_t>(0, timing.round_near(its.course.at(from)));
    while (its.course.reaches(timing.end_of_round(round)) < from) ++round;
    return its.course.reaches(timing.end_of_round(round));
  }
  // The first beat that is not before `from`, and not before the place where the track began.
  const auto too_early = [&](std::int64_t beat) {
    const ClipPosition place = timing.beat(beat);
    const bool behind =
        place.whole < its.course.source.whole || (place.whole == its.course.source.whole && place.part < its.course.source.part);
    return behind || its.course.reaches(place) < from;
  };
  std::int64_t beat = std::max<std::int64_t>(0, timing.beat_near(its.course.at(from)));
  while (too_early(beat)) ++beat;
  return std::min(ends, its.course.reaches(timing.beat(timing.boundary_from(beat, on))));
}

namespace {

/// The sum and the difference of two places in a clip.
ClipPosition sum(ClipPosition a, ClipPosition b) {
  const std::uint64_t part = std::uint64_t{a.part} + b.part;
  return {a.whole + b.whole + static_cast<std::int64_t>(part >> 32), static_cast<std::uint32_t>(part)};
}
ClipPosition difference(ClipPosition a, ClipPosition b) { return {a.whole - b.whole - (a.part < b.part ? 1 : 0), a.part - b.part}; }

/// The number of whole steps that fit into a way.
std::int64_t steps_in(ClipPosition way, std::uint64_t step) {
  return static_cast<std::int64_t>((static_cast<std::uint64_t>(way.whole) << 32 | way.part) / step);
}

/// The way from the end of its round to a place.
ClipPosition behind_round(const TrackTiming& timing, ClipPosition place) {
  const ClipPosition end = timing.end_of_round(0);
  const std::int64_t round = std::max<std::int64_t>(1, timing.end_of_round(1).whole - end.whole);
  ClipPosition way = difference(place, end);
  way.whole %= round;
  return way.whole < 0 ? ClipPosition{} : way;
}

}  // namespace

Placement Music::plan(const Stand& stand, ScopeFrame from) {
  const MusicChange& wanted = stand.wanted;
  const bool by_way = !stand.after_via && stand.playing && wanted.via != 0;
  const TrackBeginning& begins = by_way ? wanted.via_begins : wanted.begins;
  Placement its;
  its.change = wanted;
  its.starts = by_way ? wanted.via : wanted.track;
  its.source = begins.source;
  if (!stand.playing) {
    its.frame = its.boundary = std::max(from + begins.needs, stand.free_from);
    its.fade_in = begins.fade_in;
    return its;
  }
  const bool starts = its.starts != 0;
  const std::int64_t pick_up = starts ? steps_in(begins.first, begins.step) : 0;
  const ScopeFrame earliest = std::max(from + (starts ? begins.needs : 0) + pick_up, wanted.not_before);
  its.boundary = boundary(stand.playing, stand.after_via ? On::end : wanted.on, earliest);
  its.frame = its.boundary - pick_up;
  its.stops = true;
  its.stop_at = its.boundary;
  if (begins.first.whole > 0) {  // back from the boundary to the frame on which it begins
    ClipPosition there = begins.first, back;
    if (by_way && wanted.seamless) there = sum(there, behind_round(stand.playing.timing, stand.playing.course.at(its.boundary)));
    back.advance(begins.step, pick_up);
    its.source = difference(there, back);
  }
  const bool at_its_end = its.boundary >= stand.playing.ends();
  if (!starts) {
    its.fade_out = wanted.over;
  } else if (by_way && wanted.seamless) {
    its.stop_at = its.frame;
  } else if (wanted.by == By::cross && !by_way && !at_its_end && stand.playing.course.frame < its.frame) {
    its.crosses = true;
    its.fade_in = its.fade_out = wanted.over;
    its.stop_at = its.frame;
  }
  return its;
}

void Music::place(Stand& stand, const Placement& placement, const PlayingTrack& begins) {
  if (placement.stops) {
    stand.before = stand.playing;
    stand.before_until = placement.stop_at + placement.fade_out;
    stand.free_from = placement.stop_at;
    stand.free_scope = stand.playing.scope;
  }
  const bool by_way = placement.starts != 0 && placement.starts != placement.change.track;
  stand.playing = begins;
  stand.target = placement.change.track;
  stand.wants = by_way && placement.change.track != 0;
  stand.after_via = stand.wants;
  if (stand.wants) stand.wanted.fall_on_end();
}

void Music::ended(Stand& stand) {
  stand.before = stand.playing;
  stand.before_until = {0};
  stand.playing = {};
  if (stand.after_via) return;  // the bridge was stopped: the track that it led to begins at once
  if (stand.wants && stand.wanted.track == 0) stand.wants = false;
  if (!stand.wants) stand.target = 0;
}

std::optional<ScopeFrame> Music::next_boundary(const Stand& stand, On on, ScopeFrame from) {
  if (!stand.playing) return std::nullopt;
  if (from < stand.playing.course.frame && stand.before && from < stand.before_until) {
    const ScopeFrame its = boundary(stand.before, on, from);
    if (its < stand.playing.course.frame) return its;
  }
  return boundary(stand.playing, on, from);
}

void Music::leave_at(std::uint64_t track, ClipPosition position) {
  for (Left& its : left_)
    if (its.track == track) {
      its.position = position;
      return;
    }
  left_[left_count_++ % left_.size()] = {track, position};
}

std::optional<ClipPosition> Music::left_at(std::uint64_t track) const {
  for (const Left& its : left_)
    if (its.track == track) return its.position;
  return std::nullopt;
}

}  // namespace tidewater
