#include <signal.h>
#include <sndfile.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <thread>

#include "media/decode.hpp"
#include "stage.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

TEST_CASE("a float WAV holds the very samples; 16 bits are near and clip without wrapping") {
  const Folder folder;
  const std::vector<float> samples = {0.1F, -0.2F, 0.3F, 1.5F, -1.5F, 0.25F};
  for (const auto format : {SampleFormat::float_32, SampleFormat::pcm_16}) {
    AudioFileWriter file(folder.path("a.wav"), test_rate, 2, format);
    file.write(samples);
    CHECK_FALSE(fs::exists(folder.path("a.wav")));
    file.close();
    const Audio back = decode_file(folder.path("a.wav"));
    REQUIRE(back.samples.size() == samples.size());
    if (format == SampleFormat::float_32) CHECK(back.samples == samples);
    CHECK(back.samples[1] == Approx(-0.2).margin(1e-4));
    if (format == SampleFormat::pcm_16) CHECK(back.samples[3] == Approx(1).margin(1e-4));
    fs::remove(folder.path("a.wav"));
  }
}

TEST_CASE("a file that is not finished leaves nothing behind") {
  const Folder folder;
  {
    AudioFileWriter file(folder.path("a.wav"), test_rate, 2);
    file.write(std::vector<float>(100));
  }
  CHECK(fs::is_empty(folder.path()));
  CHECK_THROWS_WITH(AudioFileWriter(folder.path("no/such/folder/a.wav"), test_rate, 2), Contains("cannot be written"));
  CHECK_THROWS_WITH(AudioFileWriter(folder.path("a.txt"), test_rate, 2), Contains("use .wav, .flac, .ogg or .aiff"));
}

TEST_CASE("a device whose machine is away for a while counts a gap, and the journal says so") {
  setenv("SDL_AUDIODRIVER", "dummy", 1);
  std::vector<std::string> notices;
  SoundManager manager({.journal = [&](const JournalEntry& entry) {
    if (entry.kind == JournalEntry::Kind::notice) notices.push_back(entry.why);
  }});
  const Device device(manager, {.name = {}, .block = 1024});
  const auto until = [&](const auto& done) {
    for (int i = 0; i < 1000 && !done(); ++i) {
      manager.update(Seconds{});
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    return done();
  };
  REQUIRE(until([&] { return manager.clock().value > 16 * 1024; }));  // it has settled
  const auto before = device.gaps();
  // Another process stops this one for four blocks' time and more.
  if (fork() == 0) {
    kill(getppid(), SIGSTOP);
    usleep(200'000);
    kill(getppid(), SIGCONT);
    _exit(0);
  }
  CHECK(until([&] { return device.gaps() > before; }));
  CHECK(until([&] { return !notices.empty(); }));
  wait(nullptr);
  CHECK_THAT(notices.at(0), Contains("buffer ran dry") && Contains("blocks of more than 1024 frames stand more"));
}

TEST_CASE("a device pulls from the manager until it goes") {
  setenv("SDL_AUDIODRIVER", "dummy", 1);
  SoundManager manager;
  {
    const Device device(manager, {.name = {}, .block = 512});
    CHECK(device.block() >= 32);
    CHECK(device.latency().value == Approx(2.0 * device.block() / 48000));
    CHECK_THAT(device.description(), Contains("dummy") && Contains("48000 Hz"));
    for (int i = 0; i < 500 && manager.clock().value < 4800; ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
    CHECK(manager.clock().value >= 4800);
  }
  const auto stopped = manager.clock();
  std::this_thread::sleep_for(std::chrono::milliseconds(50));
  CHECK(manager.clock() == stopped);
  setenv("SDL_AUDIODRIVER", "no-such-system", 1);
  CHECK_THROWS_WITH(Device(manager), Contains("no sound system to play to"));
}
