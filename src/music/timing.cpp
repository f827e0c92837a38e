#include "music/timing.hpp"

#include <algorithm>
#include <cmath>

#include "base/beats.hpp"

namespace tidewater {
namespace {

constexpr int fraction_bits = 32, half = 16;

/// (whole + part / 2^32) / step * 2^32, rounded up: so many steps lead there. Long division in digits of 16 bits.
std::int64_t steps_to(std::uint64_t whole, std::uint32_t part, std::uint64_t step) {
  std::uint64_t steps = whole / step, rest = whole % step;
  for (const int shift : {half, 0}) {
    rest = rest << half | (part >> shift & 0xffffU);
    steps = steps << half | rest / step;
    rest %= step;
  }
  return static_cast<std::int64_t>(steps + (rest > 0 ? 1 : 0));
}

}  // namespace

TrackTiming::TrackTiming(const BankTrack& track)
    : tempo_(track.tempo),
      rate_(track.rate),
      metre_(track.metre),
      first_(tidewater::frames(track.first_beat, track.rate).value),
      before_(track.beats_before),
      frames_(track.frames),
      loop_from_(track.loop_from),
      offset_(track.offset),
      to_(track.to),
      per_(track.per),
      loops_(track.loops) {
  for (const PartDesign& part : track.parts) {
    if (part.loop) loop_part_ = parts_;
    bars_[parts_ + 1] = bars_[parts_] + part.bars;
    ++parts_;
  }
}

bool TrackTiming::makes_sense() const {
  if (parts_ >= bars_.size() || metre_ == 0 || per_ <= 0 || to_ <= 0 || loop_from_ < 0) return false;
  if (loops_ && (loop_from_ >= frames_ || (parts_ > 0 && loop_part_ >= parts_))) return false;
  for (std::uint32_t part = 0; part < parts_; ++part)
    if (bars_[part] >= bars_[part + 1]) return false;
  return !has_beats() || (parts_ > 0 && tempo_.value >= 1 && rate_.value >= 1);
}

std::int64_t TrackTiming::in_first_round(std::int64_t beat) const {
  if (!loops_ || beat < loop_end()) return beat;
  return loop_begin() + (beat - loop_end()) % (loop_end() - loop_begin());
}

std::int64_t TrackTiming::own_frame(std::int64_t beat) const {
  const auto in_clip = [&](std::int64_t its) {
    return first_ + frame_of_beat(before_ + its, tempo_, rate_) - frame_of_beat(before_, tempo_, rate_);
  };
  if (!loops_) return in_clip(std::min(beat, beats()));
  if (beat < loop_end()) return in_clip(beat);
  const std::int64_t rounds = (beat - loop_end()) / (loop_end() - loop_begin());
  return frames_ + rounds * (frames_ - loop_from_) + in_clip(in_first_round(beat)) - in_clip(loop_begin());
}

/// Rounded up, since a voice has come there when it is at the place or beyond.
ClipPosition TrackTiming::at(std::int64_t own_frame) const {
  const std::int64_t scaled = offset_ + own_frame * to_;
  ClipPosition position;
  position.whole = scaled / per_;
  const auto rest = static_cast<std::uint64_t>(scaled % per_), per = static_cast<std::uint64_t>(per_);
  const std::uint64_t part = ((rest << fraction_bits) + per - 1) / per;
  position.whole += static_cast<std::int64_t>(part >> fraction_bits);
  position.part = static_cast<std::uint32_t>(part);
  return position;
}

std::int64_t TrackTiming::boundary_from(std::int64_t beat, On on) const {
  if (on == On::now || on == On::beat) return beat;
  const std::int64_t in_round = in_first_round(beat);
  if (on == On::bar) return beat + (metre_ - in_round % metre_) % metre_;
  if (on == On::end)
    return beat + (loops_ ? loop_end() - (in_round == loop_begin() && beat >= loop_end() ? loop_end() : in_round) : beats() - beat);
  std::uint32_t part = 0;
  while (part < parts_ && std::int64_t{bars_[part]} * metre_ < in_round) ++part;
  return beat + std::int64_t{bars_[part]} * metre_ - in_round;
}

ClipPosition TrackTiming::folded(ClipPosition position) const {
  if (!loops_) return position;
  const ClipPosition end = at(frames_), begin = at(loop_from_);
  if (position.whole >= end.whole) position.whole = begin.whole + (position.whole - begin.whole) % (end.whole - begin.whole);
  return position;
}

BeatPlace TrackTiming::place_of(std::int64_t beat) const {
  const std::int64_t in_round = in_first_round(beat);
  BeatPlace place;
  while (place.part + 1 < parts_ && std::int64_t{bars_[place.part + 1]} * metre_ <= in_round) ++place.part;
  place.bar = beat / metre_;
  place.beat = static_cast<std::uint32_t>(in_round % metre_);
  return place;
}

std::int64_t TrackTiming::beat_near(ClipPosition place) const {
  std::int64_t own = own_frame_at(place), beats = 0;
  if (loops_ && own >= frames_) {
    const std::int64_t round = frames_ - loop_from_;
    beats = ((own - frames_) / round + 1) * (loop_end() - loop_begin());
    own = loop_from_ + (own - frames_) % round;
  }
  const double into = static_cast<double>(own - first_ + frame_of_beat(before_, tempo_, rate_)) / rate_.value;
  return std::max<std::int64_t>(-1, beats + static_cast<std::int64_t>(std::floor(into * tempo_.value / 60)) - before_ - 1);
}

std::int64_t TrackTiming::round_near(ClipPosition place) const {
  const std::int64_t own = own_frame_at(place);
  return own < frames_ ? -1 : std::max<std::int64_t>(-1, (own - frames_) / (frames_ - loop_from_) - 1);
}

ScopeFrame Course::reaches(ClipPosition place) const {
  if (place.whole < source.whole || (place.whole == source.whole && place.part <= source.part)) return frame;
  const std::uint32_t part = place.part - source.part;
  const auto whole = static_cast<std::uint64_t>(place.whole - source.whole) - (place.part < source.part ? 1 : 0);
  return frame + steps_to(whole, part, step);
}

ClipPosition Course::at(ScopeFrame when) const {
  ClipPosition position = source;
  position.advance(step, std::max<std::int64_t>(0, when - frame));
  return position;
}

}  // namespace tidewater
