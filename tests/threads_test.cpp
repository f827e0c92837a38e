#include <sys/syscall.h>
#include <unistd.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>
#include <mutex>
#include <thread>

#include "audio_thread.hpp"
#include "base/random.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

const std::string book = R"(
[groups.effects]
[sounds.step]
group = "effects"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-30 dB .. -20 dB"
spacing = "2 ms"
[sounds.hum]
clips = ["hum.wav"]
loop = true
gain = "-24 dB"
fade-in = "20 ms"
limit = 40
when-full = "quietest"
[sounds.tune]
clips = ["longer.wav"]
stream = true
gain = "-24 dB"
fade-in = "30 ms"
pitch = "-2 st .. 2 st"
[events.tune]
start = "tune"
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
    switch (random.below(16)) {
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
      case 11: last = manager.raise("tune").playback(); break;
      case 6: manager.update(Seconds{0.001}); break;
      default: last = manager.raise("step").playback(); break;
    }
    if (random.below(8) == 0) std::this_thread::yield();
  }
}

}  // namespace

TEST_CASE(
    "twenty seconds of four game threads at random, streams and stolen voices among them: render never waits, no click, every voice comes "
    "back") {
  Stage stage(book, {.voices = 32}, {}, true);
  std::atomic<bool> done{false};
  std::vector<std::thread> game;
  for (std::uint64_t seed = 1; seed <= 4; ++seed) game.emplace_back([&, seed] { play_at_random(*stage.manager, seed, done); });

  Take take;
  take.samples.resize(2 * 48000 * 20);
  std::thread audio([&] {
    for (std::size_t at = 0; at < take.samples.size(); at += 480)
      render_guarded(*stage.manager, {take.samples.data() + at, std::min<std::size_t>(480, take.samples.size() - at)});
  });
  audio.join();
  done = true;
  for (auto& thread : game) thread.join();

  CHECK(trespasses() == Trespasses{});
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
  const Trespasses before = trespasses();
  {
    const OnAudioThread watched;
    for (int i = 0; i < 20; ++i) stage.manager->raise("step");
  }
  CHECK(trespasses().allocations == before.allocations);
  forgive(before);  // a raise may take its lock
}

TEST_CASE("the watch notices an allocation, a lock and a file on the audio thread") {
  std::mutex mutex;
  const Trespasses before = trespasses();
  {
    const OnAudioThread watched;
    mutex.lock();
    mutex.unlock();
    if (std::FILE* file = fopen("/dev/null", "rb")) std::fclose(file);
    operator delete(operator new(16));
  }
  CHECK(trespasses().allocations - before.allocations >= 2);
#ifndef TIDEWATER_SANITIZED
  CHECK(trespasses().waits - before.waits == 2);
#endif
  forgive(before);
}

#ifndef TIDEWATER_SANITIZED
TEST_CASE("with every system call refused the audio thread renders as before") {
  const auto play = [](bool refuse) {
    Stage stage(book, {.voices = 32}, {}, true);
    for (int i = 0; i < 40; ++i) stage.raise(i % 3 == 0 ? "hum" : "step");
    Take take;
    take.samples.resize(48000);
    bool refused = !refuse;
    int asked = 0;
    std::thread audio([&] {
      if (refuse) refused = refuse_system_calls();
      const int before = refused_system_calls();
      for (std::size_t at = 0; at < take.samples.size(); at += 960) render_guarded(*stage.manager, {take.samples.data() + at, 960});
      asked = refused_system_calls() - before;
      if (refuse && refused) syscall(SYS_getppid);
      if (refuse && refused) refused = refused_system_calls() - before - asked == 1;  // the watch sees what there is
    });
    audio.join();
    CHECK(refused);
    CHECK(asked == 0);
    return take.samples;
  };
  CHECK(play(true) == play(false));
}
#endif

TEST_CASE("a flood of requests between two blocks loses nothing and keeps its order") {
  Stage stage(book, {.voices = 32});
  Playback hum = stage.raise("hum").playback();
  for (int i = 0; i < 9000; ++i) hum.set_gain(Decibels{i % 2 == 0 ? -60.0 : 0.0}, Seconds{});
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.part(0.3, 0.2).peak() == Approx(0.5 * 0.7071 * amplitude(Decibels{-24})).epsilon(0.01));
}
