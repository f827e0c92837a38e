/// The cost of music: planning a change, and the update of a book that has none.

#include "music.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <mutex>
#include <string>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "music/music.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

constexpr int music_runs = 9, calls = 2000;
constexpr Hertz music_rate{48000};

std::shared_ptr<BankData> bank_of_tracks(bool tracks) {
  auto data = std::make_shared<BankData>();
  data->name = "music";
  data->rate = music_rate;
  data->groups.resize(1);
  data->groups[0].name = "master";
  data->clips.push_back(make_clip("round.wav", 1, std::vector<float>(950'103, 0.1F)));
  for (const char* name : {"one", "two", "three"}) {
    BankSound& sound = data->sounds.emplace_back();
    sound.name = name;
    BankLayer& layer = sound.layers.emplace_back();
    layer.loop = true;
    layer.choices.resize(1);
    layer.choices[0].clips.push_back({0, 1, {}, 1});
    if (!tracks) continue;
    BankTrack& track = sound.track.emplace_back();
    track.tempo = {97};
    track.parts = {{"opening", 4, false}, {"round", 4, true}};
    track.rate = music_rate;
    track.frames = 950'103;
    track.loop_from = 475'052;
    track.loops = true;
    track.changes.push_back({"", On::part, By::cross, {2}, ""});
  }
  data->events.push_back({"plain", {{{Verb::start, {}, {}}, 0}}});
  return data;
}

double nanoseconds_since(std::chrono::steady_clock::time_point began) {
  return std::chrono::duration<double, std::nano>(std::chrono::steady_clock::now() - began).count();
}

/// A mutex and a look-up: the least that a call can cost.
double look_up_cost() {
  std::mutex mutex;
  std::unordered_map<std::string, int> known;
  for (int i = 0; i < 1000; ++i) known["event." + std::to_string(i)] = i;
  const std::string name = "event.500";
  volatile int found = 0;
  const auto began = std::chrono::steady_clock::now();
  for (int i = 0; i < calls; ++i) {
    const std::lock_guard lock(mutex);
    found = found + known.find(name)->second;
  }
  return nanoseconds_since(began) / calls;
}

/// Calls of `play` that plan a change, each in place of the one before.
double planning() {
  SoundManager manager({.offline = true});
  manager.load(bank_of(bank_of_tracks(true)));
  manager.play("one");
  std::vector<float> block(2 * 48000);
  manager.render(block);
  manager.update(Seconds{1});
  const auto began = std::chrono::steady_clock::now();
  for (int i = 0; i < calls; ++i) manager.play(i % 2 == 0 ? "two" : "three");
  return nanoseconds_since(began) / calls;
}

/// The next part of a track that has played for a day.
double boundary_after_a_day() {
  PlayingTrack track;
  track.track = 1;
  track.timing = TrackTiming(bank_of_tracks(true)->sounds[0].track[0]);
  const std::int64_t day = std::int64_t{24} * 3600 * 48000;
  volatile std::int64_t sum = 0;
  const auto began = std::chrono::steady_clock::now();
  for (int i = 0; i < calls; ++i) sum = sum + Music::boundary(track, On::part, ScopeFrame{day + 1000 * i}).value;
  return nanoseconds_since(began) / calls;
}

double update_of(bool tracks, bool plays) {
  SoundManager manager({.offline = true});
  manager.load(bank_of(bank_of_tracks(tracks)));
  for (int i = 0; i < 20; ++i) manager.raise("plain");
  if (plays) manager.play("two");
  std::vector<float> block(2 * 64);
  double sum = 0;
  for (int i = 0; i < calls; ++i) {
    manager.render(block);
    const auto began = std::chrono::steady_clock::now();
    manager.update(Seconds{0.001});
    sum += nanoseconds_since(began);
  }
  return sum / calls;
}

template <class Measure>
double least(Measure measure) {
  double best = 1e18;
  for (int run = 0; run < music_runs; ++run) best = std::min(best, measure());
  return best;
}

}  // namespace

void print_music_table() {
  fmt::print("Music, the least of {} runs:\n\n| what | yardstick | ours | reach |\n| --- | ---: | ---: | ---: |\n", music_runs);
  const double look_up = least(look_up_cost);
  fmt::print("| `play`, which plans a change; yardstick: a mutex and a look-up | {:.0f} ns | {:.0f} ns | 2,000 ns |\n", look_up,
             least(planning));
  fmt::print("| the next part of a track that has played for a day | | {:.0f} ns | |\n", least(boundary_after_a_day));
  const double without = least([] { return update_of(false, false); });
  const double loaded = least([] { return update_of(true, false); });
  fmt::print("| an update with tracks loaded, none of which plays; yardstick: without tracks | {:.0f} ns | {:.0f} ns | 1 % more |\n",
             without, loaded);
  fmt::print("| an update while a track plays | {:.0f} ns | {:.0f} ns | |\n", without, least([] { return update_of(true, true); }));
}

}  // namespace tidewater::bench
