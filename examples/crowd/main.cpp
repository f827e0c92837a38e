/// A hundred thousand crickets on the marsh behind Kelp Quay, all of them hopping about, and one walker who hears the nearest few.
///     crowd             prints what each second of it cost, and who was heard
///     crowd --seconds 5

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <string_view>
#include <vector>

#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

using namespace tidewater;

namespace {

constexpr std::size_t crickets = 100'000;
constexpr double wide = 1000;  // m
constexpr int frames_a_second = 60;

/// The book: one sketched loop, out in the world, by all that this program needs.
constexpr std::string_view book = R"(
[book]
name = "marsh"

[sounds.cricket]
sketch = { source = "crackle", pitch = "30 Hz", length = "1.3 s", high-pass = "3 kHz", hold = true }
loop = true
start-at = "anywhere"
pitch = "-3 st .. 3 st"
place = "world"
near = "50 cm"
radius = "5 cm"
far = "40 m"

[events."cricket.sang"]
start = "cricket"
)";

double milliseconds_since(std::chrono::steady_clock::time_point began) {
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count();
}

void walk(int seconds) {
  const ReadBook read = parse_book(book, "marsh.toml");
  if (!read.problems.empty()) throw Error(to_text(read.problems.front()));
  SoundManager manager({.offline = true, .playbacks = crickets, .emitters = crickets});
  manager.load(compile(read.book));

  std::mt19937 chance(7);  // the standard fixes its numbers, so that every run is the same walk
  const auto between = [&](double low, double high) { return low + (high - low) * (static_cast<double>(chance()) / 4294967296.0); };
  std::vector<Place> places(crickets);
  std::vector<Emitter> emitters(crickets);
  for (std::size_t i = 0; i < crickets; ++i) {
    places[i] = {between(0, wide), 0, between(0, wide)};
    emitters[i] = manager.make_emitter({.place = places[i]});
    manager.raise("cricket.sang", {}, emitters[i]);
  }

  std::printf("%zu crickets on %.0f m by %.0f m, all moving; %u of them have a voice.\n\n", crickets, wide, wide, ManagerOptions().voices);
  std::printf("  second  placed     update, median  worst      sounding  asleep   peak\n");
  std::vector<float> block(static_cast<std::size_t>(manager.rate().value) / frames_a_second * 2);
  for (int second = 1; second <= seconds; ++second) {
    std::vector<double> updates;
    double placing = 0;
    float peak = 0;
    for (int frame = 0; frame < frames_a_second; ++frame) {
      for (Place& place : places) place.x += between(-0.02, 0.02), place.z += between(-0.02, 0.02);
      auto began = std::chrono::steady_clock::now();
      manager.place(emitters, places);
      placing += milliseconds_since(began);
      const double walked = 1.4 * (second - 1 + static_cast<double>(frame) / frames_a_second);
      manager.set_listener(0, {.place = {wide / 4 + walked, 1.7, wide / 2}, .facing = {1, 0, 0}});
      began = std::chrono::steady_clock::now();
      manager.update(Seconds{1.0 / frames_a_second});
      updates.push_back(milliseconds_since(began));
      manager.render(block);
      for (const float sample : block) peak = std::max(peak, std::abs(sample));
    }
    std::sort(updates.begin(), updates.end());
    const Stats stats = manager.stats();
    std::printf("  %6d  %6.2f ms  %11.2f ms  %6.2f ms  %8u  %6u  %6.1f dB\n", second, placing / frames_a_second,
                updates[updates.size() / 2], updates.back(), stats.voices, stats.dormant, decibels(static_cast<double>(peak)).value);
  }
}

}  // namespace

int main(int argc, char** argv) {
  const int seconds = argc == 3 && std::string_view(argv[1]) == "--seconds" ? std::atoi(argv[2]) : argc == 1 ? 8 : 0;
  if (seconds <= 0) {
    std::fputs("usage: crowd [--seconds COUNT]\n", stderr);
    return 2;
  }
  try {
    walk(seconds);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
  return 0;
}
