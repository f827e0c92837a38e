#include <atomic>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <new>
#include <thread>

#include "base/random.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

thread_local bool on_audio_thread = false;
std::atomic<int> allocations_in_render{0};

}  // namespace

#ifndef TIDEWATER_SANITIZED  // sanitizers have allocators of their own
// Whatever allocates passes here; on the audio thread nothing may.
void* operator new(std::size_t size) {
  if (on_audio_thread) ++allocations_in_render;
  if (void* memory = std::malloc(size == 0 ? 1 : size)) return memory;
  throw std::bad_alloc();
}
void operator delete(void* memory) noexcept {
  if (on_audio_thread) ++allocations_in_render;
  std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept { operator delete(memory); }
#endif

namespace {

const std::string book = R"(
[groups.effects]
[sounds.step]
group = "effects"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-30 dB .. -20 dB"
[sounds.hum]
clips = ["hum.wav"]
loop = true
gain = "-24 dB"
fade-in = "20 ms"
[events.step]
start = "step"
[events.hum]
start = "hum"
[events.hush]
stop = "hum"
)";

void play_at_random(SoundManager& manager, std::uint64_t seed, const std::atomic<bool>& done) {
  Random random(seed);
  Playback last;
  while (!done) {
    switch (random.below(9)) {
      case 0: last = manager.raise("hum").playback(); break;
      case 1: manager.raise("hush"); break;
      case 2: last.bend(Semitones{random.between(-5, 5)}); break;
      case 3: last.stop(Seconds{random.between(0, 0.1)}); break;
      case 4: manager.set_gain("effects", Decibels{random.between(-20, 0)}); break;
      case 5: manager.set_mute("effects", random.below(2) == 0); break;
      case 6: manager.update(Seconds{0.001}); break;
      default: last = manager.raise("step").playback(); break;
    }
    if (random.below(8) == 0) std::this_thread::yield();
  }
}

}  // namespace

TEST_CASE("four game threads and the audio thread: no allocation in render, no click, every voice comes back") {
  Stage stage(book, {.voices = 32});
  std::atomic<bool> done{false};
  std::vector<std::thread> game;
  for (std::uint64_t seed = 1; seed <= 4; ++seed) game.emplace_back([&, seed] { play_at_random(*stage.manager, seed, done); });

  Take take;
  take.samples.resize(48000 * 4);
  std::thread audio([&] {
    on_audio_thread = true;
    for (std::size_t at = 0; at < take.samples.size(); at += 480)
      stage.manager->render({take.samples.data() + at, std::min<std::size_t>(480, take.samples.size() - at)});
    on_audio_thread = false;
  });
  audio.join();
  done = true;
  for (auto& thread : game) thread.join();

  CHECK(allocations_in_render == 0);
  for (const float x : take.samples) REQUIRE(std::isfinite(x));
  // 32 sounding and as many leaving, each at most -20 dB of 0.5 and 1.2 kHz: what the material itself allows.
  CHECK(take.steepest() < 64 * 0.05 * 0.16);
  stage.manager->stop_all();
  stage.render(Seconds{1});
  CHECK(stage.manager->stats().playing == 0);
  CHECK(stage.manager->stats().fading == 0);
}

TEST_CASE("raising does not allocate once it has warmed up") {
  Stage stage(book, {.voices = 32});
  const auto round = [&] {
    for (int i = 0; i < 20; ++i) stage.raise("step");
    stage.render(Seconds{0.5});
    stage.journal.clear();
  };
  for (int i = 0; i < 20; ++i) round();
  on_audio_thread = true;
  for (int i = 0; i < 20; ++i) stage.manager->raise("step");
  on_audio_thread = false;
  CHECK(allocations_in_render == 0);
}
