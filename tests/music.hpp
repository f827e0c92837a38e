#pragma once
/// Clips and tracks for tests of music, and what is heard of them.

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdint>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "stage.hpp"

namespace tidewater::testing {

/// Samples of two channels that hold a level each, so that every sample tells which clip is heard.
inline std::vector<float> held(double left, double right, std::int64_t frames) {
  std::vector<float> samples;
  for (std::int64_t i = 0; i < frames; ++i) {
    samples.push_back(static_cast<float>(left));
    samples.push_back(static_cast<float>(right));
  }
  return samples;
}

/// Frames of so many beats, by other arithmetic than the library's.
inline std::int64_t beats(long double count, long double tempo, long double rate = test_rate.value) {
  return static_cast<std::int64_t>(std::floor(count * 60 / tempo * rate + 0.5L));
}

/// Writes clips of two channels, one that is heard on the left alone and one that is heard on the right alone.
inline void write_sides(const Folder& folder, const std::string& left, const std::string& right, std::int64_t frames) {
  folder.write_clip("clips/" + left, held(0.5, 0, frames), 2);
  folder.write_clip("clips/" + right, held(0, 0.5, frames), 2);
}

/// A stage of two tracks on the stand "main": "calm" is heard on the left, "storm" on the right.
inline Stage stage_of(const std::string& calm, const std::string& storm, ManagerOptions options = {}) {
  options.limiter = false;
  const std::string book = "[tracks.calm]\nclips = [\"calm.wav\"]\ntempo = \"97 bpm\"\n" + calm +
                           "\n[tracks.storm]\nclips = [\"storm.wav\"]\ntempo = \"120 bpm\"\n" + storm +
                           "\n[events.calm]\nplay = \"calm\"\n[events.storm]\nplay = \"storm\"\n[events.quiet]\nleave = \"main\"\n";
  return Stage(book, options, [](const Folder& folder) {
    folder.write_clip("clips/calm.wav", held(0.5, 0, beats(32, 97)), 2);
    folder.write_clip("clips/storm.wav", held(0, 0.5, beats(32, 120)), 2);
  });
}

inline const std::string round_of_eight = "parts = [ { name = \"round\", bars = 8, loop = true } ]";

/// The first frame at which a channel is heard, from `from` on; nothing if it is silent.
inline std::optional<std::size_t> heard_from(const Take& take, int channel, std::size_t from = 0) {
  for (std::size_t i = from; i < take.frames(); ++i)
    if (std::abs(channel == 0 ? take.left(i) : take.right(i)) > 1e-4F) return i;
  return std::nullopt;
}
/// The frame from which on a channel is heard at full level no more.
inline std::size_t full_until(const Take& take, int channel, std::size_t from) {
  std::size_t i = from;
  while (i < take.frames() && std::abs(channel == 0 ? take.left(i) : take.right(i)) > 0.49F) ++i;
  return i;
}

/// Tracks whose samples say which track is heard and where in its clip: the left channel holds a level for each track, and the right one
/// rises with the place in the clip.
inline constexpr double level_step = 0.02, frames_a_unit = 1 << 22;

inline std::vector<float> told(std::size_t track, std::int64_t frames) {
  std::vector<float> samples;
  for (std::int64_t i = 0; i < frames; ++i) {
    samples.push_back(static_cast<float>(level_step * static_cast<double>(track + 1)));
    samples.push_back(static_cast<float>(static_cast<double>(i) / frames_a_unit));
  }
  return samples;
}

/// The highest jump between two frames of one channel, without the frames from `but` on.
inline double steepest(const Take& take, std::size_t from, std::size_t to, int channel = 0) {
  double most = 0;
  for (std::size_t i = from + 1; i < std::min(to, take.frames()); ++i) {
    const float now = channel == 0 ? take.left(i) : take.right(i), before = channel == 0 ? take.left(i - 1) : take.right(i - 1);
    most = std::max(most, static_cast<double>(std::abs(now - before)));
  }
  return most;
}

/// Writes samples as Ogg Vorbis.
inline void write_ogg(const std::string& path, const std::vector<float>& samples, int rate) {
  SF_INFO info{};
  info.samplerate = rate;
  info.channels = 1;
  info.format = SF_FORMAT_OGG | SF_FORMAT_VORBIS;
  SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
  REQUIRE(file != nullptr);
  for (std::size_t at = 0; at < samples.size(); at += 4096)
    sf_write_float(file, samples.data() + at, static_cast<sf_count_t>(std::min<std::size_t>(4096, samples.size() - at)));
  sf_close(file);
}

/// Noise that no other clip has.
inline std::vector<float> noise(unsigned seed, std::int64_t frames, int channels = 1) {
  std::mt19937 random(seed);
  std::vector<float> samples;
  for (std::int64_t i = 0; i < frames * channels; ++i) samples.push_back(0.4F * (static_cast<float>(random() % 65536) / 32768.0F - 1));
  return samples;
}

}  // namespace tidewater::testing
