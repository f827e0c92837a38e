#include "media/decode.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/fail.hpp"
#include "media/clip_reader.hpp"

namespace tidewater {

Audio decode_file(const std::string& path) {
  ClipReader reader(path);
  Audio audio{.channels = reader.channels(),
              .rate = reader.rate(),
              .samples = {},
              .loop = reader.loop(),
              .placeholder = reader.placeholder(),
              .sixteen_bits = reader.sixteen_bits()};
  const auto width = static_cast<std::size_t>(audio.channels);
  const auto most = static_cast<std::size_t>(frames(longest_clip, audio.rate).value) * width;
  // A header can lie about the length: what is read decides, a piece at a time.
  constexpr std::int64_t piece_frames = 16384;
  std::vector<float> piece(piece_frames * width);
  constexpr std::int64_t most_believed = std::int64_t{1} << 22;
  audio.samples.reserve(static_cast<std::size_t>(std::min(reader.said_frames(), most_believed)) * width);
  while (const std::int64_t got = reader.read(piece.data(), piece_frames)) {
    audio.samples.insert(audio.samples.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(got) * audio.channels);
    if (audio.samples.size() > most) fail(fmt::format("it is longer than {} minutes; cut it into shorter clips", longest_clip.value / 60));
  }
  if (audio.samples.empty()) fail("it holds no samples; export it again");
  const auto bad = std::find_if(audio.samples.begin(), audio.samples.end(), [](float x) { return !std::isfinite(x); });
  if (bad != audio.samples.end())
    fail(fmt::format("frame {} is not a number; export it again", static_cast<std::size_t>(bad - audio.samples.begin()) / width));
  return audio;
}

}  // namespace tidewater
