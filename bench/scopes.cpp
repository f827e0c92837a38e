#include "scopes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <functional>
#include <memory>
#include <vector>

#include "bank/bank_data.hpp"
#include "dsp/resample.hpp"
#include "mix/mixer.hpp"
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
}

}  // namespace tidewater::bench
