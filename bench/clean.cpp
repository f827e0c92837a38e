#include "clean.hpp"

#include <fmt/format.h>
#include <samplerate.h>
#include <soxr.h>

#include <algorithm>
#include <array>
#include <functional>
#include <vector>

#include "dsp/resample.hpp"
#include "listening.hpp"

namespace tidewater::bench {
namespace {

constexpr std::size_t wanted = 8000;
constexpr std::size_t edge = 2000;  // source frames on each side that no filter may miss

std::vector<float> by_us(const std::vector<float>& source, double speed, Quality quality) {
  std::vector<float> out(wanted);
  const auto step = step_for(speed);
  kernels::resample(filter_for(step, quality), source.data() + edge, source.data() + source.size(), {0, step, 0}, out.data(),
                    static_cast<int>(wanted));
  return out;
}

std::vector<float> middle(const std::vector<float>& all, double speed) {
  const auto first = all.begin() + static_cast<std::ptrdiff_t>(edge / speed);
  return {first, first + wanted};
}

std::vector<float> by_samplerate(const std::vector<float>& source, double speed, int converter) {
  std::vector<float> all(static_cast<std::size_t>(static_cast<double>(source.size()) / speed) + 64);
  SRC_DATA data{};
  data.data_in = source.data();
  data.input_frames = static_cast<long>(source.size());
  data.data_out = all.data();
  data.output_frames = static_cast<long>(all.size());
  data.src_ratio = 1 / speed;
  src_simple(&data, converter, 1);
  return middle(all, speed);
}

std::vector<float> by_soxr(const std::vector<float>& source, double speed, unsigned long recipe) {
  std::vector<float> all(static_cast<std::size_t>(static_cast<double>(source.size()) / speed) + 64);
  const soxr_quality_spec_t quality = soxr_quality_spec(recipe, 0);
  std::size_t made = 0;
  soxr_oneshot(speed, 1, 1, source.data(), source.size(), nullptr, all.data(), all.size(), &made, nullptr, &quality, nullptr);
  return middle(all, speed);
}

struct Way {
  const char* name;
  std::function<std::vector<float>(const std::vector<float>&, double)> run;
};

}  // namespace

void print_clean_table() {
  const std::array<Way, 7> ways = {
      Way{"ours, standard (16 taps)", [](const auto& s, double v) { return by_us(s, v, Quality::standard); }},
      Way{"ours, fine (32 taps)", [](const auto& s, double v) { return by_us(s, v, Quality::fine); }},
      Way{"libsamplerate, linear", [](const auto& s, double v) { return by_samplerate(s, v, SRC_LINEAR); }},
      Way{"libsamplerate, fastest sinc", [](const auto& s, double v) { return by_samplerate(s, v, SRC_SINC_FASTEST); }},
      Way{"libsamplerate, medium sinc", [](const auto& s, double v) { return by_samplerate(s, v, SRC_SINC_MEDIUM_QUALITY); }},
      Way{"libsoxr, low quality", [](const auto& s, double v) { return by_soxr(s, v, SOXR_LQ); }},
      Way{"libsoxr, high quality", [](const auto& s, double v) { return by_soxr(s, v, SOXR_HQ); }}};
  prepare_filters();
  fmt::print("\n| {:<40} | {:>17} | {:>17} |\n| {:-<40} | {:->17} | {:->17} |\n", "least signal to noise at x0.8 to x1.2",
             "1 kHz to 10 kHz", "1 kHz to 15 kHz", "", ":", ":");
  for (const Way& way : ways) {
    double to_ten = 300;
    double to_fifteen = 300;
    for (const double speed : {0.8, 0.87, 0.93, 1.07, 1.13, 1.2})
      for (const double hertz : {1000.0, 3000.0, 5000.0, 8000.0, 10000.0, 12000.0, 15000.0}) {
        const double exact = static_cast<double>(step_for(speed)) / static_cast<double>(unity_step);
        const double clean = testing::sine_snr(way.run(testing::sine(hertz, 0.4), exact), hertz * exact, 48000);
        to_fifteen = std::min(to_fifteen, clean);
        if (hertz <= 10000) to_ten = std::min(to_ten, clean);
      }
    fmt::print("| {:<40} | {:>14.1f} dB | {:>14.1f} dB |\n", way.name, to_ten, to_fifteen);
  }
}

}  // namespace tidewater::bench
