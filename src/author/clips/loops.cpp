#include "author/clips/loops.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "author/book/read_tracks.hpp"
#include "base/beats.hpp"
#include "tidewater/error.hpp"

namespace tidewater {

ClipShape shape_of(const Audio& audio) {
  return {static_cast<std::int64_t>(audio.samples.size()) / audio.channels, audio.rate, audio.loop};
}

Range<Frames> region_of_beats(Hertz rate, const BookLoop& loop) {
  const Frames first = frames(loop.first_beat, rate);
  return {{first.value + frame_of_beat(loop.from_beat, loop.tempo, rate)}, {first.value + frame_of_beat(loop.to_beat, loop.tempo, rate)}};
}

Range<Frames> loop_of(const ClipShape& clip, const BookLoop& loop) {
  Range<Frames> region{{0}, {clip.frames}};
  if (loop.between == BookLoop::Between::seconds) region = {frames(loop.time.low, clip.rate), frames(loop.time.high, clip.rate)};
  if (loop.between == BookLoop::Between::frames) region = loop.frames;
  if (loop.between == BookLoop::Between::file) {
    if (!clip.loop) throw Error("the file has no loop points; give loop-between in seconds, or set them where it was made");
    region = *clip.loop;
  }
  if (loop.between == BookLoop::Between::beats) {
    region = region_of_beats(clip.rate, loop);
    if (region.high.value <= clip.frames + frames(short_of_bars, clip.rate).value)
      region.high.value = std::min(region.high.value, clip.frames);
  }
  if (region.high.value > clip.frames)
    throw Error(fmt::format("its loop ends at {:.3f} s, frame {}, but the clip has {:.3f} s, {} frames",
                            seconds(region.high, clip.rate).value, region.high.value, seconds({clip.frames}, clip.rate).value,
                            clip.frames));
  const std::int64_t blended = frames(loop.crossfade, clip.rate).value;
  if (region.high.value - region.low.value < std::max<std::int64_t>(1, 2 * blended))
    throw Error(fmt::format("its loop of {:.3f} s is {}", seconds(region.high - region.low, clip.rate).value,
                            blended > 0 ? "too short for its crossfade; give it half of the loop at most" : "empty"));
  // What is blended in is what comes before the loop; where there is too little, the loop begins later.
  region.low.value = std::max(region.low.value, blended);
  return region;
}

double ends_alike(const Audio& audio, Range<Frames> region, std::int64_t blended) {
  const std::int64_t width = audio.channels;
  double both = 0, end_power = 0, before_power = 0;
  for (std::int64_t i = 0; i < blended * width; ++i) {
    const auto end = static_cast<double>(audio.samples[static_cast<std::size_t>((region.high.value - blended) * width + i)]);
    const auto before = static_cast<double>(audio.samples[static_cast<std::size_t>((region.low.value - blended) * width + i)]);
    both += end * before;
    end_power += end * end;
    before_power += before * before;
  }
  const double scale = std::sqrt(end_power * before_power);
  return scale > 0 ? both / scale : 0;
}

/// Cuts the ending out of a clip: the audio behind the looped part. A few milliseconds before it stay, for the crossing from the looping
/// voice.
Audio behind(Audio audio, const BookLoop& loop) {
  const std::int64_t from = region_of_beats(audio.rate, loop).high.value - frames(before_ending, audio.rate).value;
  const auto samples = static_cast<std::ptrdiff_t>(from) * audio.channels;
  if (from < 0 || samples >= static_cast<std::ptrdiff_t>(audio.samples.size()))
    throw Error("its parts end before the ending begins; a part behind the loop needs its music in the clip");
  audio.samples.erase(audio.samples.begin(), audio.samples.begin() + samples);
  return audio;
}

LoopedAudio cut_loop(Audio audio, const BookLoop& loop) {
  if (loop.between == BookLoop::Between::none) return {std::move(audio), -1};
  if (loop.between == BookLoop::Between::behind) return {behind(std::move(audio), loop), -1};
  const Range<Frames> region = loop_of(shape_of(audio), loop);
  const auto width = static_cast<std::size_t>(audio.channels);
  audio.samples.resize(static_cast<std::size_t>(region.high.value) * width);
  const std::int64_t blended = frames(loop.crossfade, audio.rate).value;
  // Of equal power for what is not alike, of equal amplitude for what is, and between them for all else: divided by what
  // the sum would have (M. Fink, M. Holters, U. Zoelzer, 'Signal-matched power-complementary cross-fading', DAFx 2016).
  const double alike = std::max(opposed, blended > 0 ? ends_alike(audio, region, blended) : 0);
  for (std::int64_t i = 0; i < blended; ++i) {
    const double angle = std::numbers::pi / 2 * (static_cast<double>(i) + 0.5) / static_cast<double>(blended);
    const double share = 1 / std::sqrt(1 + alike * std::sin(2 * angle));
    for (std::size_t channel = 0; channel < width; ++channel) {
      float& end = audio.samples[static_cast<std::size_t>(region.high.value - blended + i) * width + channel];
      const float before = audio.samples[static_cast<std::size_t>(region.low.value - blended + i) * width + channel];
      end = static_cast<float>(share * (static_cast<double>(end) * std::cos(angle) + static_cast<double>(before) * std::sin(angle)));
    }
  }
  return {std::move(audio), region.low.value};
}

}  // namespace tidewater
