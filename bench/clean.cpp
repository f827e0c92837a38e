#include "clean.hpp"

#include <fmt/format.h>
#include <samplerate.h>
#include <soxr.h>

#include <algorithm>
#include <array>
#include <functional>
#include <vector>

#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"
#include "instruction_sets.hpp"
#include "listening.hpp"

namespace tidewater::bench {
namespace {

constexpr std::size_t wanted = 8000;
constexpr std::size_t edge = 2000;  // source frames on each side that no filter may miss

std::vector<float> by_filters(const Filters& filters, const std::vector<float>& source, double speed, Quality quality) {
  std::vector<float> out(wanted);
  const auto step = step_for(speed);
  kernels::resample(filters.at(step, quality), source.data() + edge, source.data() + source.size(), {0, step, 0}, out.data(),
                    static_cast<int>(wanted));
  return out;
}

std::vector<float> by_us(const std::vector<float>& source, double speed, Quality quality) {
  static const Filters filters;
  return by_filters(filters, source, speed, quality);
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

/// Hz of the source where the level is 1 dB down.
double treble(double speed, Quality quality) {
  double kept = 1000;
  double lost = 24000;
  while (lost - kept > 10) {
    const double middle = (kept + lost) / 2;
    const auto out = by_us(testing::sine(middle, 0.1 + 0.2 * speed), speed, quality);
    const double heard = middle * speed;
    // Above half the rate it is heard turned over.
    (testing::sine_level(out, heard < 24000 ? heard : 48000 - heard, 48000) >= -1 ? kept : lost) = middle;
  }
  return kept;
}

/// In dB: the most that is heard below 16 kHz of a tone that is not in the source.
double wrong(double speed, Quality quality) {
  double most = -200;
  for (double tone = 250; tone < 24000; tone += 475) {
    auto out = testing::below(by_us(testing::sine(tone, 0.1 + 0.2 * speed), speed, quality), 15400, 48000);
    if (tone * speed < 16000) out = testing::without_sine(out, tone * speed, 48000);
    most = std::max(most, testing::power(out));
  }
  return most;
}

void print_filters() {
  fmt::print(
      "\n| {:<6} | {:>4} | {:>21} | {:>25} | {:>10} | {:>21} | {:>25} |\n| {:-<6} | {:->4} | {:->21} | {:->25} | {:->10} | {:->21} | "
      "{:->25} |\n",
      "speed", "taps", "standard: 1 dB down at", "not of the source < 16 kHz", "fine: taps", "1 dB down at", "not of the source < 16 kHz",
      "", ":", ":", ":", ":", ":", ":");
  for (const double asked : {0.3, 0.6, 0.65, 0.66, 0.8, 0.84, 1.0001, 1.05, 1.12, 1.18, 1.25, 1.33, 1.41, 1.68, 2.0, 2.82, 4.0, 8.0}) {
    const double speed = static_cast<double>(step_for(asked)) / static_cast<double>(unity_step);
    const auto cells = [&](Quality quality) {
      return fmt::format("{:>17.1f} kHz | {:>22.1f} dB", treble(speed, quality) / 1000, wrong(speed, quality));
    };
    fmt::print("| x{:<5.2f} | {:>4} | {} | {:>10} | {} |\n", asked, filter_for(step_for(asked), Quality::standard).taps,
               cells(Quality::standard), filter_for(step_for(asked), Quality::fine).taps, cells(Quality::fine));
  }
}

/// Least signal to noise of both qualities on each instruction set, for the sines of the test of clean pitches.
void print_instruction_sets() {
  fmt::print("\n| {:<43} | {:>10} | {:>10} |\n| {:-<43} | {:->10} | {:->10} |\n", "least signal to noise, 300 Hz to 15 kHz, x0.7 to x1.2",
             "standard", "fine", "", ":", ":");
  for_each_instruction_set([] {
    const Filters filters;
    const auto least = [&](Quality quality) {
      double worst = 300;
      for (const double asked : {0.7, 0.8, 0.87, 0.93, 1.0002, 1.07, 1.13, 1.2})
        for (const double hertz : {300.0, 1000.0, 3000.0, 5000.0, 8000.0, 10000.0, 12000.0, 15000.0}) {
          const double speed = static_cast<double>(step_for(asked)) / static_cast<double>(unity_step);
          const auto out = by_filters(filters, testing::sine(hertz, 0.4), asked, quality);
          worst = std::min(worst, testing::sine_snr(out, hertz * speed, 48000));
        }
      return worst;
    };
    fmt::print("| {:<43} | {:>7.1f} dB | {:>7.1f} dB |\n", kernels::target_name(), least(Quality::standard), least(Quality::fine));
  });
}

}  // namespace

void print_clean_table() {
  const std::array<Way, 7> ways = {
      Way{"ours, standard", [](const auto& s, double v) { return by_us(s, v, Quality::standard); }},
      Way{"ours, fine", [](const auto& s, double v) { return by_us(s, v, Quality::fine); }},
      Way{"libsamplerate, linear", [](const auto& s, double v) { return by_samplerate(s, v, SRC_LINEAR); }},
      Way{"libsamplerate, fastest sinc", [](const auto& s, double v) { return by_samplerate(s, v, SRC_SINC_FASTEST); }},
      Way{"libsamplerate, medium sinc", [](const auto& s, double v) { return by_samplerate(s, v, SRC_SINC_MEDIUM_QUALITY); }},
      Way{"libsoxr, low quality", [](const auto& s, double v) { return by_soxr(s, v, SOXR_LQ); }},
      Way{"libsoxr, high quality", [](const auto& s, double v) { return by_soxr(s, v, SOXR_HQ); }}};
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
  print_filters();
  print_instruction_sets();
}

}  // namespace tidewater::bench
