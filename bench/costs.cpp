#include "costs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <functional>
#include <memory>
#include <vector>

#include "bank/bank_data.hpp"
#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"
#include "dsp/speakers.hpp"
#include "instruction_sets.hpp"
#include "mix/mixer.hpp"
#include "ten_speeds.hpp"

namespace tidewater::bench {
namespace {

constexpr int frames_a_block = 256;
constexpr std::uint32_t voices = 256;
constexpr int rounds = 60;
constexpr int blocks_a_round = 10;

struct Cost {
  const char* what = "";
  std::uint32_t besides = 0;  ///< voices of the pool that are silent
  std::uint32_t groups = 1;
  bool limiter = false;
  bool world = false;
  bool sixteen_bits = false;
  bool unity = false;
  std::function<void(Mixer&, std::uint32_t voice, int round)> each_block{};  ///< of each voice
};

class Engine {
 public:
  Engine(const Cost& way, const std::vector<BankClip>& clips)
      : way_(way), mixer_({.voices = voices + way.besides, .limiter = way.limiter}) {
    for (std::uint32_t g = 1; g < way.groups; ++g) mixer_.post(DefineGroup{g, 0, 1});
    for (std::uint32_t v = 0; v < voices; ++v) {
      StartVoice start;
      start.voice = v + way.besides;
      start.clip = clips[v].view();
      start.step = way.unity ? unity_step : step_for(ten_speeds[v % ten_speeds.size()]);
      start.loop = true;
      start.group = v % way.groups;
      start.gain = 0.001F;
      start.in_world = way.world;
      start.channels = towards(Layout::stereo, 0.3 + 0.01 * v, 0);
      while (!mixer_.post(start)) mixer_.render(out_);
    }
    mixer_.render(out_);
  }

  /// Nanoseconds a frame of each voice.
  double run() {
    const auto began = std::chrono::steady_clock::now();
    for (int i = 0; i < blocks_a_round; ++i) {
      for (std::uint32_t v = 0; v < voices && way_.each_block; ++v) way_.each_block(mixer_, v + way_.besides, round_);
      ++round_;
      mixer_.render(out_);
    }
    return std::chrono::duration<double, std::nano>(std::chrono::steady_clock::now() - began).count() / blocks_a_round / frames_a_block /
           voices;
  }

 private:
  const Cost& way_;
  Mixer mixer_;
  std::array<float, 2 * frames_a_block> out_{};
  int round_ = 0;
};

/// The kernel alone, over the same clips at the same speeds.
double kernel_alone(const std::vector<BankClip>& clips, std::size_t& at) {
  alignas(64) std::array<float, frames_a_block> out;
  const auto began = std::chrono::steady_clock::now();
  for (int i = 0; i < blocks_a_round; ++i) {
    for (std::uint32_t v = 0; v < voices; ++v) {
      const auto step = step_for(ten_speeds[v % ten_speeds.size()]);
      const ClipSamples clip = clips[v].view();
      kernels::resample(filter_for(step, Quality::standard), clip.floats[0] + at, clip.floats[0] + clip.frames, {12345, step, 0},
                        out.data(), frames_a_block);
      __asm__ volatile("" : : "r"(out.data()) : "memory");
    }
    at = (at + frames_a_block) % 16384;
  }
  return std::chrono::duration<double, std::nano>(std::chrono::steady_clock::now() - began).count() / blocks_a_round / frames_a_block /
         voices;
}

/// By instruction set: how long it takes to make all filters, what they keep, and their kernels alone.
void print_filters_table() {
  fmt::print("\n| {:<10} | {:>14} | {:>12} |\n| {:-<10} | {:->14} | {:->12} |\n", "filters", "made in", "of memory", "", ":", ":");
  for_each_instruction_set([] {
    double least = 1e9;
    std::size_t bytes = 0;
    for (int i = 0; i < 5; ++i) {
      const auto began = std::chrono::steady_clock::now();
      const Filters filters;
      least = std::min(least, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count());
      bytes = filters.memory();
    }
    fmt::print("| {:<10} | {:>11.3f} ms | {:>8.1f} KiB |\n", kernels::target_name(), least, static_cast<double>(bytes) / 1024);
  });
}

}  // namespace

void print_costs_table() {
  std::vector<BankClip> floats, shorts;
  for (std::uint32_t v = 0; v < voices; ++v) {
    std::vector<float> samples(20000);
    for (std::size_t i = 0; i < samples.size(); ++i) samples[i] = std::sin(0.01F * static_cast<float>(i * (v + 1)));
    floats.push_back(make_clip("c", 1, samples));
    shorts.push_back(make_clip("c", 1, samples, true));
  }
  const auto turning_gain = [](Mixer& mixer, std::uint32_t v, int round) {
    mixer.post(SetVoiceGain{v, round % 2 == 0 ? 0.002F : 0.001F, 4800});
  };
  const auto moving_place = [](double turn) {
    std::array<std::vector<Amplitudes>, 2> places;
    for (std::uint32_t v = 0; v < voices; ++v)
      for (const std::size_t i : {0U, 1U}) places[i].push_back(towards(Layout::stereo, 0.3 + 0.01 * v + turn * static_cast<double>(i), 0));
    return [places](Mixer& mixer, std::uint32_t v, int round) {
      mixer.post(SetVoiceChannels{v, places[static_cast<std::size_t>(round % 2)][v], 800});
    };
  };
  const std::array<Cost, 14> ways = {{
      {.what = "steady, on the screen"},
      {.what = "the same of 16-bit clips", .sixteen_bits = true},
      {.what = "a command in each block, which changes nothing",
       .each_block =
           [](Mixer& mixer, std::uint32_t v, int) {
             mixer.post(SetVoiceGain{v, 0.001F, 4800});
           }},
      {.what = "a command and a ramp that turns in each block", .each_block = turning_gain},
      {.what = "a command and a place on the screen that moves",
       .each_block =
           [](Mixer& mixer, std::uint32_t v, int round) {
             mixer.post(SetVoiceSide{v, round % 2 == 0 ? 0.5F : -0.5F, 4800});
           }},
      {.what = "a command and a pitch that moves",
       .each_block =
           [](Mixer& mixer, std::uint32_t v, int round) {
             mixer.post(SetVoiceStep{v, step_for(ten_speeds[v % ten_speeds.size()] * (round % 2 == 0 ? 0.99 : 1)), 4800});
           }},
      {.what = "in the world", .world = true},
      {.what = "in the world, a command and a place that moves", .world = true, .each_block = moving_place(0.02)},
      {.what = "in the world, one that leaps", .world = true, .each_block = moving_place(0.5)},
      {.what = "in 16 groups", .groups = 16},
      {.what = "with the limiter, quiet", .limiter = true},
      {.what = "beside 64 idle voices", .besides = 64},
      {.what = "at unity", .unity = true},
      {.what = "at unity, a command and a ramp that turns", .unity = true, .each_block = turning_gain},
  }};
  std::vector<std::unique_ptr<Engine>> engines;
  for (const Cost& way : ways) engines.push_back(std::make_unique<Engine>(way, way.sixteen_bits ? shorts : floats));
  std::vector<double> least(ways.size() + 1, 1e9);
  std::size_t at = 64;
  for (int round = 0; round < rounds; ++round) {
    least.back() = std::min(least.back(), kernel_alone(floats, at));
    for (std::size_t i = 0; i < ways.size(); ++i) least[i] = std::min(least[i], engines[i]->run());
  }
  fmt::print("\nWhat a frame costs, {} varied voices of standard quality at ten speeds, blocks of {} frames:\n\n", voices, frames_a_block);
  fmt::print("| {:<47} | {:>10} | {:>14} |\n| {:-<47} | {:->10} | {:->14} |\n", "what", "a frame", "beside steady", "", ":", ":");
  fmt::print("| {:<47} | {:>7.2f} ns | {:>14} |\n", "the kernel alone", least.back(), "");
  for (std::size_t i = 0; i < ways.size(); ++i)
    fmt::print("| {:<47} | {:>7.2f} ns | {:>+11.2f} ns |\n", ways[i].what, least[i], least[i] - least[0]);
  print_filters_table();
}

}  // namespace tidewater::bench
