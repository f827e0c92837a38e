#include "media/decode.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <string_view>

#include "base/fail.hpp"
#include "media/clip_reader.hpp"

namespace tidewater {

namespace {

/// Frames that a WAV or AIFF file has by its chunks (RIFF, EA IFF 85), if its file ends before they do; 0 otherwise. A size that was never
/// filled in, as of a recording that streams, promises nothing.
std::int64_t promised_and_missing(const std::string& path) {
  std::ifstream in(path, std::ios::binary | std::ios::ate);
  const auto size = static_cast<std::uint64_t>(std::max<std::streamoff>(0, in.tellg()));
  std::array<unsigned char, 12> head{};
  in.seekg(0);
  if (!in.read(reinterpret_cast<char*>(head.data()), head.size())) return 0;
  const std::string_view kind(reinterpret_cast<const char*>(head.data()), 4);
  const bool wave = kind == "RIFF";
  if (!wave && kind != "FORM") return 0;
  const auto number = [&](const unsigned char* at, int bytes) {
    std::uint64_t value = 0;
    for (int i = 0; i < bytes; ++i) value = value << 8U | at[wave ? bytes - 1 - i : i];
    return value;
  };
  std::uint64_t frame_bytes = 0;
  for (std::uint64_t at = 12; at + 8 <= size;) {
    std::array<unsigned char, 24> chunk{};
    in.clear();
    in.seekg(static_cast<std::streamoff>(at));
    in.read(reinterpret_cast<char*>(chunk.data()), chunk.size());
    const std::string_view name(reinterpret_cast<const char*>(chunk.data()), 4);
    const std::uint64_t length = number(chunk.data() + 4, 4);
    if (name == "fmt ") frame_bytes = number(chunk.data() + 20, 2);
    if (name == "COMM") frame_bytes = number(chunk.data() + 8, 2) * ((number(chunk.data() + 14, 2) + 7) / 8);
    if (name == "data" || name == "SSND") {
      const bool known = length != 0xffffffff && length != 0 && frame_bytes > 0;
      return known && length > size - at - 8 ? static_cast<std::int64_t>(length / frame_bytes) : 0;
    }
    at += 8 + length + length % 2;
  }
  return 0;
}

}  // namespace

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
  const auto got = static_cast<std::int64_t>(audio.samples.size() / width);
  const std::int64_t promised = std::max(promised_and_missing(path), reader.is_flac() ? reader.said_frames() : 0);
  if (promised > got)
    fail(fmt::format("its header says {:.2f} s, and there are {:.2f} s: the file was cut off; get or export it again",
                     seconds({promised}, audio.rate).value, seconds({got}, audio.rate).value));
  const auto bad = std::find_if(audio.samples.begin(), audio.samples.end(), [](float x) { return !std::isfinite(x); });
  if (bad != audio.samples.end())
    fail(fmt::format("frame {} is not a number; export it again", static_cast<std::size_t>(bad - audio.samples.begin()) / width));
  return audio;
}

}  // namespace tidewater
