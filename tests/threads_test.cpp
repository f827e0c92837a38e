#include <dlfcn.h>
#include <pthread.h>
#include <sched.h>
#include <unistd.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <mutex>
#include <new>
#include <thread>

#include "base/random.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

thread_local bool on_audio_thread = false;
std::atomic<int> allocations_in_render{0};
std::atomic<int> waits_in_render{0};

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

// Locks, files and sleeping pass here on their way to the C library; on the audio thread none may.
namespace {
template <class F>
F* real(const char* name) {
  if (on_audio_thread) ++waits_in_render;
  return reinterpret_cast<F*>(dlsym(RTLD_NEXT, name));
}
}  // namespace
extern "C" {
int pthread_mutex_lock(pthread_mutex_t* mutex) noexcept { return real<int(pthread_mutex_t*)>("pthread_mutex_lock")(mutex); }
int pthread_cond_wait(pthread_cond_t* condition, pthread_mutex_t* mutex) {
  return real<int(pthread_cond_t*, pthread_mutex_t*)>("pthread_cond_wait")(condition, mutex);
}
std::FILE* fopen(const char* path, const char* mode) { return real<std::FILE*(const char*, const char*)>("fopen")(path, mode); }
ssize_t write(int file, const void* bytes, size_t size) { return real<ssize_t(int, const void*, size_t)>("write")(file, bytes, size); }
ssize_t read(int file, void* bytes, size_t size) { return real<ssize_t(int, void*, size_t)>("read")(file, bytes, size); }
int nanosleep(const timespec* time, timespec* left) { return real<int(const timespec*, timespec*)>("nanosleep")(time, left); }
int sched_yield() noexcept { return real<int()>("sched_yield")(); }
}
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
    switch (random.below(14)) {
      case 0: last = manager.raise("hum").playback(); break;
      case 1: manager.raise("hush"); break;
      case 2: last.bend(Semitones{random.between(-5, 5)}); break;
      case 3: last.stop(Seconds{random.between(0, 0.1)}); break;
      case 4: manager.set_gain("effects", Decibels{random.between(-20, 0)}); break;
      case 5: manager.set_mute("effects", random.below(2) == 0); break;
      case 7: last.set_pan(Pan{random.between(-1, 1)}); break;
      case 8: last.set_low_pass(Hertz{random.between(200, 8000)}); break;
      case 9: manager.set_high_pass("effects", Hertz{random.below(2) == 0 ? 0 : random.between(20, 400)}); break;
      case 10: last.set_gain(Decibels{random.between(-12, 0)}); break;
      case 6: manager.update(Seconds{0.001}); break;
      default: last = manager.raise("step").playback(); break;
    }
    if (random.below(8) == 0) std::this_thread::yield();
  }
}

}  // namespace

TEST_CASE(
    "four game threads and the audio thread: render never allocates, locks, sleeps or touches a file; no click; every voice comes back") {
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
  CHECK(waits_in_render == 0);
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

#ifndef TIDEWATER_SANITIZED
TEST_CASE("the harness notices a lock, a file and an allocation on the audio thread") {
  std::mutex mutex;
  const int waits = waits_in_render;
  const int allocations = allocations_in_render;
  on_audio_thread = true;
  mutex.lock();
  mutex.unlock();
  if (std::FILE* file = fopen("/dev/null", "rb")) std::fclose(file);
  operator delete(operator new(16));
  on_audio_thread = false;
  CHECK(waits_in_render - waits == 2);
  CHECK(allocations_in_render - allocations >= 2);
  waits_in_render = waits;
  allocations_in_render = allocations;
}
#endif

TEST_CASE("a flood of requests between two blocks loses nothing and keeps its order") {
  Stage stage(book, {.voices = 32});
  Playback hum = stage.raise("hum").playback();
  for (int i = 0; i < 9000; ++i) hum.set_gain(Decibels{i % 2 == 0 ? -60.0 : 0.0}, Seconds{});
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.part(0.3, 0.2).peak() == Approx(0.5 * 0.7071 * amplitude(Decibels{-24})).epsilon(0.01));
}
