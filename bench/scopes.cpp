#include "scopes.hpp"

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "dsp/resample.hpp"
#include "mix/mixer.hpp"
#include "scope_delays.hpp"
#include "ten_speeds.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr int block_frames = 256;
constexpr std::uint32_t voice_count = 256;
constexpr int measured_rounds = 9, blocks_of_a_round = 60;

/// 256 varied loops in one scope, whose law `change` makes; nanoseconds a frame of a voice, the least of each round.
class Voices256 {
 public:
  explicit Voices256(const std::function<void(ScopeLaw&, MixFrame)>& change) : mixer_({.voices = voice_count}), block_(2 * block_frames) {
    clip_ = make_clip("loop", 1, std::vector<float>(10007, 0.1F));
    for (std::uint32_t voice = 0; voice < voice_count; ++voice) {
      StartVoice start;
      start.voice = voice;
      start.scope = 1;
      start.clip = clip_.view();
      start.step = step_for(1 + 0.0007 * voice);
      start.loop = true;
      mixer_.post(start);
    }
    run(40);
    SetScope command{1, 512, {}};
    const MixFrame from{(mixer_.clock().value + quantum - 1) / quantum * quantum};
    change(command.law, from);
    mixer_.post(command);
    run(40);
  }
  void measure() {
    const auto began = Clock::now();
    run(blocks_of_a_round);
    const double each =
        std::chrono::duration<double, std::nano>(Clock::now() - began).count() / blocks_of_a_round / block_frames / voice_count;
    least = least == 0 ? each : std::min(least, each);
  }
  double least = 0;

 private:
  void run(int blocks) {
    for (int i = 0; i < blocks; ++i) mixer_.render(block_);
  }
  BankClip clip_;
  Mixer mixer_;
  std::vector<float> block_;
};

/// Ten thousand loops in one scope, of which 64 sound.
std::unique_ptr<SoundManager> ten_thousand() {
  const auto data = std::make_shared<BankData>();
  data->name = "scopes";
  data->rate = Hertz{48000};
  data->groups.emplace_back().name = "master";
  data->scopes.push_back({{}, "world", 0});
  data->clips.push_back(make_clip("loop", 1, std::vector<float>(4800, 0.1F)));
  BankSound sound;
  sound.name = "loop";
  sound.scope = 1;
  sound.layers.emplace_back().choices = {{{}, {{0, 1, {}}}}};
  sound.layers.back().loop = true;
  data->sounds.push_back(sound);
  data->events.push_back({"loop", {{{Verb::start, {}, {}}, 0}}});
  sound.name = "short";
  sound.layers.back().loop = false;
  data->sounds.push_back(sound);
  data->events.push_back({"short", {{{Verb::start, {}, {}}, 1}}});
  sound.name = "few";
  sound.limit = 4;
  sound.when_full = WhenFull::newest;
  data->sounds.push_back(sound);
  data->events.push_back({"few", {{{Verb::start, {}, {}}, 2}}});
  auto manager = std::make_unique<SoundManager>(ManagerOptions{.voices = 64, .playbacks = 12'000});
  manager->load(BankInside::make(data));
  return manager;
}

void print_call(const char* what, SoundManager& manager, const std::function<void()>& call, const std::function<void()>& between) {
  std::vector<float> block(2 * block_frames);
  std::vector<double> times;
  for (int i = 0; i < 400; ++i) {
    for (int frame = 0; frame < 4; ++frame) {
      manager.render(block);
      manager.update(Seconds{});
    }
    const auto began = Clock::now();
    call();
    times.push_back(std::chrono::duration<double, std::micro>(Clock::now() - began).count());
    between();
  }
  std::sort(times.begin(), times.end());
  fmt::print("| {:<24} | {:>8.1f} us | {:>8.1f} us |\n", what, times[times.size() / 2], times[times.size() * 99 / 100]);
}

/// A loop of a prime number of frames, of which no two places are alike.
BankClip noise() {
  Random random(3);
  std::vector<float> samples(10007);
  float last = 0;
  for (float& sample : samples) sample = last = 0.9F * last + static_cast<float>(random.between(-0.02, 0.02));
  return make_clip("noise", 1, samples);
}

std::vector<float> rendered(Mixer& mixer, std::size_t frames, std::size_t block) {
  std::vector<float> heard(2 * frames);
  for (std::size_t at = 0; at < frames; at += block) mixer.render(std::span(heard).subspan(2 * at, 2 * std::min(block, frames - at)));
  return heard;
}

/// Plays a loop twice, once through changes of its scope. After the last change, compares it with the loop that had none, at the place that
/// the scope's time says.
struct Comparison {
  std::size_t differ = 0;  ///< samples
  double residual = 0;     ///< dB below the loop
};
Comparison compare(double ratio, std::size_t block, const std::vector<std::function<void(ScopeLaw&, MixFrame)>>& changes) {
  constexpr std::size_t between = 96'000, settled = 24'000, compared = 80'000;
  const BankClip clip = noise();
  StartVoice start;
  start.scope = 1;
  start.clip = clip.view();
  start.step = step_for(ratio);
  start.loop = true;
  Mixer plain({.voices = 1}), changed({.voices = 1});
  for (Mixer* mixer : {&plain, &changed}) mixer->post(start);
  SetScope command{1, 512, {}};
  for (const auto& change : changes) {
    rendered(changed, between, block);
    change(command.law, {(changed.clock().value + quantum - 1) / quantum * quantum});
    changed.post(command);
  }
  rendered(changed, settled, block);
  const std::int64_t time = command.law.time_at(changed.clock());
  const std::vector<float> as_ever = rendered(plain, static_cast<std::size_t>(time / unity_scale) + compared, block);
  const std::vector<float> heard = rendered(changed, compared, block);
  const float* const beside = as_ever.data() + 2 * (time / unity_scale);
  Comparison result;
  double apart = 0, power = 0;
  for (std::size_t i = 0; i < heard.size(); ++i) {
    result.differ += heard[i] != beside[i] ? 1 : 0;
    apart += std::pow(static_cast<double>(heard[i] - beside[i]), 2);
    power += std::pow(static_cast<double>(beside[i]), 2);
  }
  result.residual = apart == 0 ? -HUGE_VAL : 10 * std::log10(apart / power);
  return result;
}

void print_exactness() {
  const auto hold = [](ScopeLaw& law, MixFrame at) { law.hold(at, 512); };
  const auto resume = [](ScopeLaw& law, MixFrame at) { law.resume(at); };
  const auto slow = [](ScopeLaw& law, MixFrame at) { law.scale(at, unity_scale / 4, 14'400); };
  const auto full = [](ScopeLaw& law, MixFrame at) { law.scale(at, unity_scale, 14'400); };
  fmt::print("\nA loop beside the same loop without changes, 80,000 stereo frames:\n\n");
  fmt::print("| change | rate | block | samples that differ | residual | reach |\n| --- | ---: | ---: | ---: | ---: | --- |\n");
  const auto row = [](const char* what, double ratio, std::size_t block, const Comparison& its, const char* reach) {
    const std::string residual = its.differ == 0 ? "none" : fmt::format("{:.0f} dB", its.residual);
    fmt::print("| {:<28} | {:>6} | {:>5} | {:>6} | {:>8} | {} |\n", what, ratio, block, its.differ, residual, reach);
  };
  for (const double ratio : {1.0, 1.1371})
    for (const std::size_t block : std::initializer_list<std::size_t>{64, 100, 480, 1024, 4096})
      row("paused and resumed", ratio, block, compare(ratio, block, {hold, resume}), "0 differ");
  for (const std::size_t block : std::initializer_list<std::size_t>{64, 480, 4096})
    row("x0.25 in 300 ms and back", 1, block, compare(1, block, {slow, full}), "0 differ");
  for (const std::size_t block : std::initializer_list<std::size_t>{64, 480, 4096})
    row("x0.25 in 300 ms and back", 1.1371, block, compare(1.1371, block, {slow, full}), "-120 dB");

  const testing::ScopeDelays delays = testing::random_scope_delays(100);
  fmt::print(
      "\n{} random delays across pauses and ramps: {} on another frame than the scope's time says, {} out of order, {} missed (reach: 0)\n",
      delays.due, delays.wrong_frame, delays.out_of_order, delays.missed);
}

/// A million raises between two blocks, beside as many look-ups under a mutex.
void print_flood() {
  constexpr int raises = 1'000'000;
  std::unordered_map<std::uint64_t, int> known{{hash_name("loop"), 1}};
  std::mutex mutex;
  int found = 0;
  const auto seconds_of = [](const std::function<void()>& work) {
    const auto began = Clock::now();
    for (int i = 0; i < raises; ++i) work();
    return std::chrono::duration<double>(Clock::now() - began).count();
  };
  fmt::print(
      "\n| a million raises in one frame (reach 0.5 s) | yardstick: a mutex and a look-up | ours | playbacks |\n"
      "| --- | ---: | ---: | ---: |\n");
  for (const auto& flood : {std::pair("loops, until there are as many playbacks as may be", "loop"),
                            {"short sounds, until all voices are taken", "short"},
                            {"a sound that plays four times at most", "few"},
                            {"an event that no bank has", "nothing"}}) {
    const auto manager = ten_thousand();
    const double yardstick = seconds_of([&] {
      const std::lock_guard lock(mutex);
      found += known.find(hash_name("loop"))->second;
    });
    const double ours = seconds_of([&] { manager->raise(flood.second); });
    fmt::print("| {:<50} | {:.3f} s | {:.2f} s | {:>5} |\n", flood.first, yardstick, ours, manager->stats().playbacks);
  }
  benchmark::DoNotOptimize(found);
}

}  // namespace

void print_scopes_table() {
  Voices256 plain([](ScopeLaw&, MixFrame) {}), held([](ScopeLaw&law, MixFrame from) { law.hold(from, 512); }),
      half([](ScopeLaw&law, MixFrame from) { law.scale(from, unity_scale / 2, 0); }),
      ramp([](ScopeLaw&law, MixFrame from) { law.scale(from, unity_scale / 2, 48'000'000); });
  for (int round = 0; round < measured_rounds; ++round)
    for (Voices256* its : {&plain, &held, &half, &ramp}) its->measure();
  fmt::print("\n256 varied voices in one scope, a frame of each:\n\n| scope | a voice | beside one that sounds |\n| --- | ---: | ---: |\n");
  for (const auto& [what, its] :
       {std::pair("at the mixer's speed", &plain), {"paused", &held}, {"at half speed", &half}, {"getting slower", &ramp}})
    fmt::print("| {:<24} | {:>7.3f} ns | {:>6.1f} % |\n", what, its->least, 100 * its->least / plain.least);

  const auto manager = ten_thousand();
  std::vector<float> block(2 * block_frames);
  for (int i = 0; i < 10'000; ++i) {
    manager->raise("loop");
    if (i % 500 == 0) manager->render(block), manager->update(Seconds{});
  }
  fmt::print("\nCalls about a scope with {} playbacks, {} of them dormant, which is as long as each holds the lock:\n\n",
             manager->stats().playbacks, manager->stats().dormant);
  fmt::print("| call | median | 99 % |\n| --- | ---: | ---: |\n");
  print_call(
      "pause", *manager, [&] { manager->pause("world"); }, [&] { manager->resume("world"); });
  print_call(
      "resume", *manager, [&] { manager->resume("world"); }, [&] { manager->pause("world"); });
  manager->resume("world");
  bool slow = false;
  print_call(
      "set_time_scale", *manager, [&] { manager->set_time_scale("world", (slow = !slow) ? 0.5 : 1.0); }, [] {});
  manager->begin("world");
  print_call(
      "begin, a restart", *manager, [&] { manager->begin("world"); },
      [&] {
        for (int i = 0; i < 100; ++i) manager->raise("loop");
      });
  print_call(
      "end", *manager, [&] { manager->end("world"); },
      [&] {
        manager->begin("world");
        for (int i = 0; i < 100; ++i) manager->raise("loop");
      });
  print_flood();
  print_exactness();
}

}  // namespace tidewater::bench
