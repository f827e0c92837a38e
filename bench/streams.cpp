#include <sndfile.h>

#include <cmath>
#include <filesystem>
#include <vector>

#include "bank/streamer.hpp"
#include "mix/mixer.hpp"
#include "table.hpp"
#include "tidewater/audio_file.hpp"

namespace {

using namespace tidewater;

constexpr int frames_a_block = 256;
constexpr std::uint32_t streams = 64;

/// Half a minute of Ogg Vorbis, mono, on disk while the benchmarks run.
struct File {
  std::string path = (std::filesystem::temp_directory_path() / "tidewater-bench.ogg").string();
  std::vector<float> samples = std::vector<float>(48000 * 30);

  File() {
    for (std::size_t i = 0; i < samples.size(); ++i) {
      const float t = static_cast<float>(i % 48000);
      samples[i] = 0.2F * std::sin(0.03F * t + std::sin(0.0007F * t)) + 0.1F * std::sin(0.11F * t);
    }
    AudioFileWriter file(path, Hertz{48000}, 1);
    file.write(samples);
    file.close();
  }
  ~File() { std::filesystem::remove(path); }
  File(const File&) = delete;
  File& operator=(const File&) = delete;
};

const File& file() {
  static const File made;
  return made;
}

/// Decoding alone, as fast as the library goes.
void bare_decoding(benchmark::State& state) {
  SF_INFO info{};
  SNDFILE* open = sf_open(file().path.c_str(), SFM_READ, &info);
  std::vector<float> out(frames_a_block);
  for (auto _ : state)
    for (std::uint32_t s = 0; s < streams; ++s)
      if (sf_readf_float(open, out.data(), frames_a_block) < frames_a_block) sf_seek(open, 0, SEEK_SET);
  sf_close(open);
  bench::count_frames(state, static_cast<double>(frames_a_block) * streams);
}

/// Reading, decoding and mixing of all of them, on one thread.
void streamed_voices(benchmark::State& state) {
  const BankClip clip = make_streamed_clip("c", file().path, 1, Hertz{48000}, file().samples, Hertz{48000});
  Streamer streamer;
  Mixer mixer({.voices = streams});
  for (std::uint32_t v = 0; v < streams; ++v) {
    StartVoice start;
    start.voice = v;
    start.clip = clip.view();
    start.position.whole = 20000 * v;
    start.step = step_for(0.9 + 0.003 * v);
    start.loop = true;
    start.clip.stream = &streamer.open(clip.streamed, start.position.whole, true)->ring;
    mixer.post(start);
  }
  std::vector<float> out(2 * frames_a_block);
  streamer.fill();
  mixer.render(out);
  for (auto _ : state) {
    streamer.fill();
    mixer.render(out);
    benchmark::DoNotOptimize(out.data());
  }
  bench::count_frames(state, static_cast<double>(frames_a_block) * streams);
}

BENCHMARK(bare_decoding)->Name("64 Ogg Vorbis streams, decoded and mixed, a frame/yardstick");
BENCHMARK(streamed_voices)->Name("64 Ogg Vorbis streams, decoded and mixed, a frame/ours");

}  // namespace
