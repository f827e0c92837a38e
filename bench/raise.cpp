#include <array>
#include <memory>
#include <mutex>
#include <string>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "table.hpp"
#include "tidewater/manager.hpp"

namespace {

using namespace tidewater;

Bank small_bank() {
  auto data = std::make_shared<BankData>();
  data->name = "bench";
  data->rate = {48000};
  data->groups.emplace_back().name = "master";
  for (int i = 0; i < 8; ++i) data->clips.push_back(make_clip("clips/number-" + std::to_string(i), 1, std::vector<float>(64, 0.1F)));
  BankSound sound;
  sound.name = "step";
  BankLayer& layer = sound.layers.emplace_back();
  layer.choices.emplace_back();
  for (std::uint32_t i = 0; i < 8; ++i) layer.choices[0].clips.push_back({i, 1, {}});
  sound.pitch = {{-2}, {2}};
  sound.gain = {{-9}, {-6}};
  data->sounds.push_back(sound);
  for (int i = 0; i < 500; ++i) data->events.push_back({"event." + std::to_string(i), {{{Verb::start, {}, {}}, 0}}});
  sound.name = "loop";
  sound.layers[0].loop = true;
  sound.gain = {{-6}, {-6}};
  data->sounds.push_back(sound);
  data->events.push_back({"event.loop", {{{Verb::start, {}, {}}, 1}}});
  return bank_of(std::move(data));
}

/// The least that any such call does: take a lock, look a name up.
void lock_and_look_up(benchmark::State& state) {
  std::unordered_map<std::uint64_t, int> events;
  for (int i = 0; i < 500; ++i) events[hash_name("event." + std::to_string(i))] = i;
  std::mutex mutex;
  std::vector<Name> names;
  for (const auto* text : {"event.3", "event.99", "event.499", "event.250"}) names.emplace_back(text);
  std::size_t i = 0;
  for (auto _ : state) {
    const std::lock_guard lock(mutex);
    benchmark::DoNotOptimize(events.find(names[i++ % names.size()].hash()));
  }
}

/// A raise that starts a sound. Every 64th call lets the mixer finish them, outside the clock.
void raise_and_start(benchmark::State& state, bool with_journal) {
  ManagerOptions options;
  options.voices = 128;
  std::size_t noted = 0;
  if (with_journal) options.journal = [&](const JournalEntry&) { ++noted; };
  SoundManager manager(std::move(options));
  manager.load(small_bank());
  std::vector<float> block(512);
  std::vector<Name> names;
  for (const auto* text : {"event.3", "event.99", "event.499", "event.250"}) names.emplace_back(text);
  constexpr int batch = 64;
  while (state.KeepRunningBatch(batch)) {
    for (std::size_t i = 0; i < batch; ++i) benchmark::DoNotOptimize(manager.raise(names[i % names.size()]));
    state.PauseTiming();
    manager.render(block);
    manager.update(Seconds{});
    state.ResumeTiming();
  }
}

/// An update while one loud loop has the only voice and ten thousand quiet ones are dormant.
void update_with_sleepers(benchmark::State& state) {
  ManagerOptions options;
  options.voices = 1;
  SoundManager manager(std::move(options));
  manager.load(small_bank());
  for (int i = 0; i < 10001; ++i) manager.raise("event.loop");
  std::vector<float> block(128);
  for (auto _ : state) {
    state.PauseTiming();
    manager.render(block);
    state.ResumeTiming();
    manager.update(Seconds{});
  }
}

/// The least that anything does that looks at each of ten thousand things.
void look_at_each(benchmark::State& state) {
  std::vector<std::unique_ptr<std::array<double, 24>>> things;
  for (int i = 0; i < 10000; ++i) things.push_back(std::make_unique<std::array<double, 24>>());
  for (auto _ : state) {
    double highest = 0;
    for (const auto& thing : things) highest = std::max(highest, (*thing)[3]);
    benchmark::DoNotOptimize(highest);
  }
}

BENCHMARK(look_at_each)->Name("update with 10,000 dormant playbacks, a call/yardstick");
BENCHMARK(update_with_sleepers)->Name("update with 10,000 dormant playbacks, a call/ours");
BENCHMARK(lock_and_look_up)->Name("raise, a call/yardstick");
BENCHMARK_CAPTURE(raise_and_start, silent, false)->Name("raise, a call/ours");
BENCHMARK_CAPTURE(raise_and_start, noted, true)->Name("raise with a journal, a call/ours");

}  // namespace
