#include "author/clips/track_clock.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "author/book/read_tracks.hpp"
#include "author/clips/bring_to_rate.hpp"
#include "base/beats.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// The frame on which the last part ends, counted in the frames of the file.
std::int64_t end_of_parts(const BookSound& sound, Hertz rate) {
  const TrackDesign& track = *sound.track;
  std::int64_t bars = 0;
  for (const PartDesign& part : track.parts) bars += part.bars;
  const BookLoop& loop = sound.layers.front().loop;
  if (loop.between != BookLoop::Between::behind)
    return frames(track.first_beat, rate).value + frame_of_beat(bars * track.metre, track.tempo, rate);
  return frames(loop.first_beat, rate).value + frame_of_beat(loop.to_beat + bars * track.metre, track.tempo, rate);
}

}  // namespace

Seconds end_of_parts(const BookSound& sound) {
  constexpr Hertz fine{1'000'000};
  return seconds({end_of_parts(sound, fine)}, fine);
}

std::vector<Problem> wrong_in_track(const BookSound& sound, const std::map<std::string, ClipFacts>& facts) {
  std::vector<Problem> wrong;
  if (!sound.list.empty()) return wrong;
  const BookClip* first = nullptr;
  const ClipFacts* its = nullptr;
  sound.each_clip([&](const BookLayer&, const BookClip& clip) {
    const auto found = facts.find(clip.path);
    if (found == facts.end() || !found->second.problem.empty()) return;
    const ClipShape& shape = found->second.shape;
    if (its == nullptr) {
      first = &clip;
      its = &found->second;
    } else if (shape.rate != its->shape.rate || shape.frames != its->shape.frames) {
      wrong.push_back(
          {clip.place,
           fmt::format("the stems of a track have one rate and one length: '{}' has {} frames at {}, and '{}' has {} "
                       "at {}; export them together",
                       clip.path, shape.frames, to_text(shape.rate), first->path, its->shape.frames, to_text(its->shape.rate))});
    }
  });
  if (its == nullptr || sound.track->parts.empty() || sound.track->tempo.value == 0) return wrong;
  const ClipShape& shape = its->shape;
  const std::int64_t end = end_of_parts(sound, shape.rate);
  if (end > shape.frames + frames(short_of_bars, shape.rate).value)
    wrong.push_back(
        {sound.place, fmt::format("the parts of '{}' end at {:.3f} s, and '{}' has {:.3f} s: make a part shorter, or look at the "
                                  "tempo, the metre and the first beat",
                                  sound.name, seconds({end}, shape.rate).value, first->path, seconds({shape.frames}, shape.rate).value)});
  return wrong;
}

BankTrack bank_track(const BookSound& sound, const BankClip& clip, const ClipShape& shape, Hertz bank_rate) {
  const BookLoop& loop = sound.layers.front().loop;
  BankTrack track;
  static_cast<TrackDesign&>(track) = *sound.track;
  track.loops = loop.loops();
  const bool behind = loop.between == BookLoop::Between::behind;
  if (behind) track.beats_before = loop.to_beat;
  if (clip.streamed != nullptr) {
    const StreamedFile& file = *clip.streamed;
    track.rate = file.rate;
    track.frames = file.file_frames;
    track.loop_from = track.loops ? file.loop_from : 0;
    track.to = std::llround(bank_rate.value);
    track.per = std::llround(file.rate.value);
    return track;
  }
  track.rate = shape.rate;
  if (track.loops) {
    const Range<Frames> region = loop_of(shape, loop);
    track.loop_from = region.low.value;
    track.frames = region.high.value;
  } else {
    track.frames =
        behind ? shape.frames - region_of_beats(shape.rate, loop).high.value + frames(before_ending, shape.rate).value : shape.frames;
  }
  const RateMap map = rate_map(track.loop_from, track.frames, track.loops, shape.rate, bank_rate);
  if (map.per > 1 && track.loops && map.per != track.frames - track.loop_from) {
    // A loop so short that several rounds of it became a whole number of frames.
    track.offset = map.offset;
    track.to = map.to;
    track.per = map.per;
    return track;
  }
  // In memory, its own frames are those of the bank.
  const auto in_bank = [&](std::int64_t frame) { return (2 * (map.offset + frame * map.to) + map.per) / (2 * map.per); };
  track.rate = bank_rate;
  track.frames = in_bank(track.frames);
  track.loop_from = in_bank(track.loop_from);
  return track;
}

}  // namespace tidewater
