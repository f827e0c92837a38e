#include <samplerate.h>

#include <array>
#include <cmath>
#include <vector>

#include "bank/bank_data.hpp"
#include "dsp/resample.hpp"
#include "dsp/speakers.hpp"
#include "mix/mixer.hpp"
#include "table.hpp"

namespace {

using namespace tidewater;

constexpr int block = 256;
constexpr std::uint32_t voices = 512;

const std::vector<BankClip>& clips() {
  static const std::vector<BankClip> made = [] {
    std::vector<BankClip> list;
    for (std::uint32_t v = 0; v < voices; ++v) {
      std::vector<float> samples(20000);
      for (std::size_t i = 0; i < samples.size(); ++i) samples[i] = std::sin(0.01F * static_cast<float>(i * (v + 1)));
      list.push_back(make_clip("c", 1, samples));
    }
    return list;
  }();
  return made;
}

/// Mono to stereo, as plainly as it can be written.
void plain_loop(benchmark::State& state) {
  alignas(64) std::array<float, block> left{}, right{};
  std::size_t at = 0;
  float a = 0.5F;
  float b = 0.4F;
  benchmark::DoNotOptimize(a);
  benchmark::DoNotOptimize(b);
  for (auto _ : state) {
    left.fill(0);
    right.fill(0);
    for (const auto& clip : clips()) {
      const float* x = clip.view().floats[0] + at;
      for (std::size_t i = 0; i < block; ++i) {
        left[i] += a * x[i];
        right[i] += b * x[i];
      }
    }
    benchmark::DoNotOptimize(left.data());
    benchmark::DoNotOptimize(right.data());
    at = (at + block) % 16384;
  }
  bench::count_frames(state, static_cast<double>(block) * voices);
}

/// The bare interpolated 16-tap kernel, without voices, gains or buses.
void bare_kernel(benchmark::State& state, Quality quality, std::uint32_t count) {
  alignas(64) std::array<float, block> out;
  const std::uint64_t step = step_for(1.05);
  const auto filter = filter_for(step, quality);
  std::size_t at = 64;
  for (auto _ : state) {
    for (std::uint32_t v = 0; v < count; ++v)
      kernels::resample(filter, clips()[v % voices].view().floats[0] + at, {12345, step, 0}, out.data(), block);
    benchmark::DoNotOptimize(out.data());
    at = (at + block) % 16384;
  }
  bench::count_frames(state, static_cast<double>(block) * count);
}

/// libsamplerate's fastest sinc, as one would use it for a voice: one converter, fed as it asks.
void libsamplerate_fastest(benchmark::State& state) {
  int error = 0;
  SRC_STATE* converter = src_new(SRC_SINC_FASTEST, 1, &error);
  std::array<float, block> out;
  const float* source = clips().front().view().floats[0];
  long at = 0;
  for (auto _ : state) {
    SRC_DATA data{};
    data.data_in = source + at;
    data.input_frames = 400;
    data.data_out = out.data();
    data.output_frames = block;
    data.src_ratio = 1 / 1.05;
    src_process(converter, &data);
    at = (at + data.input_frames_used) % 16384;
    benchmark::DoNotOptimize(out.data());
  }
  src_delete(converter);
  bench::count_frames(state, block);
}

/// Where the voices of an engine are.
enum class Stand {
  screen,
  world,      ///< in stereo
  world_7_1,  ///< each between two of its speakers
};

void whole_engine(benchmark::State& state, double speed, Quality quality, std::uint32_t count, bool ramps, Stand stand = Stand::screen) {
  const Layout layout = stand == Stand::world_7_1 ? Layout::surround_7_1 : Layout::stereo;
  Mixer mixer({.voices = count, .layout = layout});
  std::vector<float> out(static_cast<std::size_t>(channels(layout) * block));
  for (std::uint32_t v = 0; v < count; ++v) {
    StartVoice start;
    start.voice = v;
    start.clip = clips()[v % voices].view();
    start.step = step_for(speed);
    start.loop = true;
    start.quality = quality;
    start.in_world = stand != Stand::screen;
    start.channels = towards(layout, 0.3 + 0.01 * v, 0);
    while (!mixer.post(start)) mixer.render(out);
  }
  float aim = 0.5F;
  for (auto _ : state) {
    aim = 0.9F - aim;  // every level is on its way, and turns in each block
    for (std::uint32_t v = 0; v < count && ramps; ++v) mixer.post(SetVoiceGain{v, aim, 4800});
    mixer.render(out);
    benchmark::DoNotOptimize(out.data());
  }
  bench::count_frames(state, static_cast<double>(block) * count);
}

BENCHMARK(plain_loop)->Name("unity voice, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, unity, 1.0, Quality::standard, voices, true)->Name("unity voice, a frame/ours");
BENCHMARK_CAPTURE(bare_kernel, standard, Quality::standard, voices)->Name("varied voice, standard (16 taps), a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, standard, 1.05, Quality::standard, voices, true)->Name("varied voice, standard (16 taps), a frame/ours");
BENCHMARK_CAPTURE(whole_engine, steady_again, 1.05, Quality::standard, voices, false)->Name("varied voice in the world, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, in_world, 1.05, Quality::standard, voices, false, Stand::world)
    ->Name("varied voice in the world, a frame/ours");
BENCHMARK_CAPTURE(whole_engine, steady_too, 1.05, Quality::standard, voices, false)->Name("the same in 7.1, from two speakers/yardstick");
BENCHMARK_CAPTURE(whole_engine, in_world_7_1, 1.05, Quality::standard, voices, false, Stand::world_7_1)
    ->Name("the same in 7.1, from two speakers/ours");
BENCHMARK(libsamplerate_fastest)->Name("varied voice, fine, beside libsamplerate's fastest sinc/yardstick");
BENCHMARK_CAPTURE(whole_engine, fine_again, 1.05, Quality::fine, voices, true)
    ->Name("varied voice, fine, beside libsamplerate's fastest sinc/ours");
BENCHMARK_CAPTURE(bare_kernel, fine, Quality::fine, voices)->Name("varied voice, fine (32 taps), a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, fine, 1.05, Quality::fine, voices, true)->Name("varied voice, fine (32 taps), a frame/ours");

// In real time at 48 kHz a frame of 4,000 voices has 5.2 ns each.
constexpr std::uint32_t crowd = 4000;
BENCHMARK_CAPTURE(bare_kernel, crowd, Quality::standard, crowd)->Name("4,000 varied voices, standard, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, crowd, 1.05, Quality::standard, crowd, false)->Name("4,000 varied voices, standard, a frame/ours");

}  // namespace
