#include <vector>

#include "dsp/kernels.hpp"
#include "dsp/rate_converter.hpp"
#include "table.hpp"

namespace {

using namespace tidewater;

constexpr int frames = 4800;

/// 128 products added up for each frame, and nothing else.
void bare_sums(benchmark::State& state) {
  const std::vector<float> weights(128, 0.01F), source(8192, 0.1F);
  std::vector<float> out(frames);
  for (auto _ : state) {
    for (int i = 0; i < frames; ++i) out[static_cast<std::size_t>(i)] = kernels::dot(weights.data(), source.data() + i, 128);
    benchmark::DoNotOptimize(out.data());
  }
  bench::count_frames(state, frames);
}

void bring_to_48_khz(benchmark::State& state) {
  const auto converter = converter_for(Hertz{44100}, Hertz{48000});
  const std::vector<float> source(8192, 0.1F);
  std::vector<float> out(frames);
  for (auto _ : state) {
    converter->convert(source.data(), -converter->half(), 0, frames, out.data(), 1);
    benchmark::DoNotOptimize(out.data());
  }
  bench::count_frames(state, frames);
}

BENCHMARK(bare_sums)->Name("a stream brought from 44.1 to 48 kHz, a mono frame/yardstick");
BENCHMARK(bring_to_48_khz)->Name("a stream brought from 44.1 to 48 kHz, a mono frame/ours");

}  // namespace
