#include <samplerate.h>

#include <array>
#include <cmath>
#include <functional>
#include <vector>

#include "bank/bank_data.hpp"
#include "dsp/resample.hpp"
#include "dsp/speakers.hpp"
#include "mix/mixer.hpp"
#include "table.hpp"
#include "ten_speeds.hpp"

namespace {

using namespace tidewater;
using bench::ten_speeds;

constexpr int block = 256;
constexpr std::uint32_t voices = 512;

const std::vector<BankClip>& clips(bool sixteen_bits = false) {
  const auto make = [](bool short_ones) {
    std::vector<BankClip> list;
    for (std::uint32_t v = 0; v < voices; ++v) {
      std::vector<float> samples(20000);
      for (std::size_t i = 0; i < samples.size(); ++i) samples[i] = std::sin(0.01F * static_cast<float>(i * (v + 1)));
      list.push_back(make_clip("c", 1, samples, short_ones));
    }
    return list;
  };
  static const std::vector<BankClip> floats = make(false), shorts = make(true);
  return sixteen_bits ? shorts : floats;
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

/// A bare kernel over all clips, each at one of ten speeds, without voices, gains or buses.
void bare_kernel(benchmark::State& state, const std::function<kernels::TapFilter(std::uint64_t step)>& filter, std::uint32_t count) {
  alignas(64) std::array<float, block> out;
  std::size_t at = 64;
  for (auto _ : state) {
    for (std::uint32_t v = 0; v < count; ++v) {
      const auto step = step_for(ten_speeds[v % ten_speeds.size()]);
      const ClipSamples clip = clips()[v % voices].view();
      kernels::resample(filter(step), clip.floats[0] + at, clip.floats[0] + clip.frames, {12345, step, 0}, out.data(), block);
      benchmark::DoNotOptimize(out.data());
    }
    at = (at + block) % 16384;
  }
  bench::count_frames(state, static_cast<double>(block) * count);
}

/// The yardstick is how it is commonly done, and was here: two of some hundred rows of 16 or 32 taps mixed.
struct RowKernel {
  explicit RowKernel(Quality quality) {
    const bool standard = quality == Quality::standard;
    for (std::size_t i = 0; i < filters.size(); ++i) {
      filters[i] = filter_for(step_for(standard ? 1.18 : 1.6), quality);
      rows[i] = rows_of(filters[i], standard ? 7 : 9, true);
      filters[i].rows = {rows[i].data(), standard ? 16 : 32, standard ? 7 : 9, true};
    }
  }
  std::array<kernels::TapFilter, 3> filters;  // one for each cutoff that ten speeds have
  std::array<std::vector<float>, 3> rows;
};
void row_kernel(benchmark::State& state, Quality quality, std::uint32_t count) {
  static const RowKernel standard(Quality::standard), fine(Quality::fine);
  const auto& filters = (quality == Quality::standard ? standard : fine).filters;
  bare_kernel(
      state,
      [&](std::uint64_t step) {
        return filters[step <= unity_step ? 0 : step <= step_for(1.1892) ? 1 : 2];
      },
      count);
}
void our_kernel(benchmark::State& state, Quality quality, std::uint32_t count) {
  bare_kernel(
      state, [quality](std::uint64_t step) { return filter_for(step, quality); }, count);
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

enum class Speeds { unity, ten };

void whole_engine(benchmark::State& state, Speeds speeds, Quality quality, std::uint32_t count, bool ramps, Stand stand = Stand::screen,
                  bool sixteen_bits = false) {
  const Layout layout = stand == Stand::world_7_1 ? Layout::surround_7_1 : Layout::stereo;
  Mixer mixer({.voices = count, .layout = layout});
  std::vector<float> out(static_cast<std::size_t>(channels(layout) * block));
  for (std::uint32_t v = 0; v < count; ++v) {
    StartVoice start;
    start.voice = v;
    start.clip = clips(sixteen_bits)[v % voices].view();
    start.step = speeds == Speeds::unity ? unity_step : step_for(ten_speeds[v % ten_speeds.size()]);
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
BENCHMARK_CAPTURE(whole_engine, unity, Speeds::unity, Quality::standard, voices, true)->Name("unity voice, a frame/ours");
BENCHMARK_CAPTURE(row_kernel, standard, Quality::standard, voices)->Name("kernel alone, standard, ten speeds, a frame/yardstick");
BENCHMARK_CAPTURE(our_kernel, standard, Quality::standard, voices)->Name("kernel alone, standard, ten speeds, a frame/ours");
BENCHMARK_CAPTURE(row_kernel, standard_again, Quality::standard, voices)->Name("varied voice, standard, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, standard, Speeds::ten, Quality::standard, voices, true)->Name("varied voice, standard, a frame/ours");
BENCHMARK_CAPTURE(row_kernel, fine, Quality::fine, voices)->Name("kernel alone, fine, ten speeds, a frame/yardstick");
BENCHMARK_CAPTURE(our_kernel, fine, Quality::fine, voices)->Name("kernel alone, fine, ten speeds, a frame/ours");
BENCHMARK_CAPTURE(row_kernel, fine_again, Quality::fine, voices)->Name("varied voice, fine, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, fine, Speeds::ten, Quality::fine, voices, true)->Name("varied voice, fine, a frame/ours");
BENCHMARK_CAPTURE(whole_engine, floats, Speeds::ten, Quality::standard, voices, true)
    ->Name("varied voice of a 16-bit clip, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, shorts, Speeds::ten, Quality::standard, voices, true, Stand::screen, true)
    ->Name("varied voice of a 16-bit clip, a frame/ours");
BENCHMARK_CAPTURE(whole_engine, steady_again, Speeds::ten, Quality::standard, voices, false)
    ->Name("varied voice in the world, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, in_world, Speeds::ten, Quality::standard, voices, false, Stand::world)
    ->Name("varied voice in the world, a frame/ours");
BENCHMARK_CAPTURE(whole_engine, steady_too, Speeds::ten, Quality::standard, voices, false)
    ->Name("the same in 7.1, from two speakers/yardstick");
BENCHMARK_CAPTURE(whole_engine, in_world_7_1, Speeds::ten, Quality::standard, voices, false, Stand::world_7_1)
    ->Name("the same in 7.1, from two speakers/ours");
BENCHMARK(libsamplerate_fastest)->Name("varied voice, fine, beside libsamplerate's fastest sinc/yardstick");
BENCHMARK_CAPTURE(whole_engine, fine_too, Speeds::ten, Quality::fine, voices, true)
    ->Name("varied voice, fine, beside libsamplerate's fastest sinc/ours");

// In real time at 48 kHz, nine tenths of a core, a frame of 7,000 voices has 2.7 ns each.
constexpr std::uint32_t crowd = 7000;
BENCHMARK_CAPTURE(row_kernel, crowd, Quality::standard, crowd)->Name("7,000 varied voices, standard, a frame/yardstick");
BENCHMARK_CAPTURE(whole_engine, crowd, Speeds::ten, Quality::standard, crowd, false)->Name("7,000 varied voices, standard, a frame/ours");

}  // namespace
