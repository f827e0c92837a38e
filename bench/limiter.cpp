#include "dsp/limiter.hpp"

#include <array>
#include <cmath>
#include <vector>

#include "base/random.hpp"
#include "dsp/kernels.hpp"
#include "table.hpp"

namespace {

using namespace tidewater;

constexpr int run = Limiter::most_frames;

std::vector<float> noise(double level) {
  Random random(1);
  std::vector<float> samples(1 << 14);
  for (float& x : samples) x = static_cast<float>(random.between(-level, level));
  return samples;
}

/// What finding the true peak of two channels at eight times the rate takes, and nothing else.
void peaks_alone(benchmark::State& state) {
  const auto samples = noise(1);
  const std::vector<float> rows(8 * Limiter::taps, 0.01F);
  std::array<float, run> peaks;
  std::size_t at = 0;
  for (auto _ : state) {
    for (int channel = 0; channel < 2; ++channel) kernels::peaks(rows.data(), 8, Limiter::taps, samples.data() + at, peaks.data(), run);
    benchmark::DoNotOptimize(peaks.data());
    at = (at + run) % 8192;
  }
  bench::count_frames(state, run);
}

void limiter(benchmark::State& state, double level) {
  const auto samples = noise(level);
  Limiter limiter(48000);
  std::array<float, 2 * run> both;
  std::size_t at = 0;
  for (auto _ : state) {
    std::copy_n(samples.begin() + static_cast<std::ptrdiff_t>(at), run, both.begin());
    std::copy_n(samples.begin() + static_cast<std::ptrdiff_t>(at) + 77, run, both.begin() + run);
    limiter.run(both.data(), run, run);
    benchmark::DoNotOptimize(both.data());
    at = (at + run) % 8192;
  }
  bench::count_frames(state, run);
}

BENCHMARK(peaks_alone)->Name("limiter, 10 dB over, a stereo frame/yardstick");
BENCHMARK_CAPTURE(limiter, loud, 3.0)->Name("limiter, 10 dB over, a stereo frame/ours");
BENCHMARK_CAPTURE(limiter, quiet, 0.05)->Name("limiter, quiet, a stereo frame/ours");

}  // namespace
