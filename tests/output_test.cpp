#include <signal.h>
#include <sndfile.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <thread>

#include "media/decode.hpp"
#include "media/largest_wav.hpp"
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

TEST_CASE("on a full disk what was there before stays, and nothing else is left behind") {
  const Folder folder;
  // No file may grow beyond this: writing fails as on a full disk, and without a signal.
  signal(SIGXFSZ, SIG_IGN);
  rlimit before{};
  getrlimit(RLIMIT_FSIZE, &before);
  const auto with_room_for = [&](rlim_t bytes, const std::function<void()>& work) {
    rlimit little = before;
    little.rlim_cur = bytes;
    setrlimit(RLIMIT_FSIZE, &little);
    std::string words;
    try {
      work();
    } catch (const Error& error) {
      words = error.what();
    }
    setrlimit(RLIMIT_FSIZE, &before);
    return words;
  };
  for (const std::string name : {"a.wav", "a.flac", "a.ogg", "a.aiff"})
    for (const rlim_t room : {0U, 100U, 20000U}) {
      folder.write(name, "an old and whole file");
      INFO(name << " with room for " << room);
      CHECK_THAT(with_room_for(room,
                               [&] {
                                 AudioFileWriter file(folder.path(name), test_rate, 1);
                                 for (int i = 0; i < 100; ++i) file.write(sine(997 + i, 0.05, 1, 0.9));
                                 file.close();
                               }),
                 Contains(folder.path(name)) && Contains("is the disk full?"));
      CHECK(folder.read(name) == "an old and whole file");
    }
  folder.write("j.jsonl", "an old and whole journal");
  CHECK_THAT(with_room_for(50,
                           [&] {
                             JournalFile journal(folder.path("j.jsonl"));
                             for (int i = 0; i < 1000; ++i) journal.write(JournalEntry{{}, noted::End{}});
                             journal.close();
                           }),
             Contains("j.jsonl: could not be written to the end"));
  CHECK(folder.read("j.jsonl") == "an old and whole journal");
  CHECK(std::distance(fs::directory_iterator(folder.path()), {}) == 5);
}

TEST_CASE("two that write one file do not mix: the last to finish is there, whole") {
  const Folder folder;
  AudioFileWriter one(folder.path("a.wav"), test_rate, 1);
  AudioFileWriter other(folder.path("a.wav"), test_rate, 1);
  const auto low = sine(300, 0.5);
  const auto high = sine(3000, 0.7);
  for (std::size_t at = 0; at < low.size(); at += 1000) one.write(std::span(low).subspan(at, 1000));
  for (std::size_t at = 0; at < high.size(); at += 800) other.write(std::span(high).subspan(at, 800));
  other.close();
  CHECK(decode_file(folder.path("a.wav")).samples == high);
  one.close();
  CHECK(decode_file(folder.path("a.wav")).samples == low);
  CHECK(std::distance(fs::directory_iterator(folder.path()), {}) == 1);
}

TEST_CASE("a file keeps its permissions and its place behind a link; a device is written to as it is") {
  const Folder folder;
  folder.write("real.wav", "old");
  fs::permissions(folder.path("real.wav"), fs::perms::owner_read | fs::perms::owner_write);
  fs::create_symlink(folder.path("real.wav"), folder.path("link.wav"));
  AudioFileWriter file(folder.path("link.wav"), test_rate, 1);
  file.write(sine(300, 0.1));
  file.close();
  CHECK(fs::is_symlink(folder.path("link.wav")));
  CHECK(fs::status(folder.path("real.wav")).permissions() == (fs::perms::owner_read | fs::perms::owner_write));
  CHECK(decode_file(folder.path("real.wav")).samples.size() == 4800);
  JournalFile nowhere("/dev/null");
  nowhere.write(JournalEntry{{}, noted::End{}});
  nowhere.close();
  CHECK(fs::exists("/dev/null"));
  if (fs::exists("/dev/full")) {
    JournalFile full("/dev/full");
    full.write(JournalEntry{{}, noted::End{}});
    CHECK_THROWS_WITH(full.close(), Contains("No space left on device"));
  }
}

TEST_CASE("what grows beyond a WAV file's sizes goes on as RF64, sample for sample, and only then") {
  const Folder folder;
  const auto usual = largest_wav;
  for (const auto format : {SampleFormat::float_32, SampleFormat::pcm_16})
    for (const bool large : {false, true}) {
      largest_wav = large ? 100'000 : usual;
      AudioFileWriter file(folder.path("a.wav"), test_rate, 2, format);
      const auto samples = sine(440, 1, 2, 0.8);
      for (std::size_t at = 0; at < samples.size(); at += 3000)
        file.write(std::span(samples).subspan(at, std::min<std::size_t>(3000, samples.size() - at)));
      file.close();
      largest_wav = usual;
      CHECK(folder.read("a.wav").substr(0, 4) == (large ? "RF64" : "RIFF"));
      const Audio back = decode_file(folder.path("a.wav"));
      REQUIRE(back.samples.size() == samples.size());
      if (format == SampleFormat::float_32)
        CHECK(back.samples == samples);
      else
        for (std::size_t i = 0; i < samples.size(); i += 97) CHECK(back.samples[i] == Approx(samples[i]).margin(1e-4));
    }
  CHECK(std::distance(fs::directory_iterator(folder.path()), {}) == 1);
}

TEST_CASE("a device whose machine is away for a while counts a gap, and the journal says so") {
  setenv("SDL_AUDIODRIVER", "dummy", 1);
  std::vector<std::string> notices;
  SoundManager manager({.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices.push_back(notice->why);
  }});
  const Device device(manager, {.name = {}, .block = 1024, .required = true});
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
    const Device device(manager, {.name = {}, .block = 512, .required = true});
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

TEST_CASE("a game goes on without a sound card where none is required, and says so") {
  setenv("SDL_AUDIODRIVER", "no-such-system", 1);
  std::string notices;
  SoundManager manager({.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices += notice->why + "\n";
  }});
  {
    const Device device(manager, {.name = {}, .block = 256, .required = false});
    CHECK_FALSE(device.connected());
    CHECK(device.block() == 256);
    CHECK_THAT(device.description(), Contains("no device"));
    for (int i = 0; i < 500 && manager.clock().value < 9600; ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
    CHECK(manager.clock().value >= 9600);  // the clock goes on
    // One comes.
    setenv("SDL_AUDIODRIVER", "dummy", 1);
    for (int i = 0; i < 1000 && !device.connected(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
    CHECK(device.connected());
    CHECK_THAT(device.description(), Contains("dummy"));
  }
  manager.update(Seconds{});
  CHECK_THAT(notices, Contains("there is no sound system to play to") && Contains("Sounds go on unheard until there is one"));
}
