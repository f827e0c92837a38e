#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <numbers>
#include <thread>

#include "stage.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using namespace std::chrono_literals;
using Catch::Matchers::Contains;

namespace {

/// A child process, ended with its object.
class Process {
 public:
  explicit Process(const std::string& command) : pid_(fork()) {
    if (pid_ != 0) return;
    setpgid(0, 0);
    execl("/bin/sh", "sh", "-c", ("exec " + command).c_str(), nullptr);
    _exit(127);
  }
  ~Process() { end(SIGTERM); }
  Process(const Process&) = delete;
  Process& operator=(const Process&) = delete;

  void end(int signal) {
    if (pid_ <= 0) return;
    kill(-pid_, signal);  // and what it started
    waitpid(pid_, nullptr, 0);
    pid_ = -1;
  }

 private:
  pid_t pid_;
};

/// PulseAudio on a socket of its own, with a sink that nobody hears.
struct Server {
  explicit Server(const Folder& folder) : folder_(folder), process(command()) { wait(); }

  std::string command() const {
    return "pulseaudio -n --daemonize=no --use-pid-file=no --exit-idle-time=-1 --disallow-exit --log-target=null "
           "-L 'module-native-protocol-unix auth-anonymous=1 socket=" +
           folder_.path("socket") +
           "' "
           "-L 'module-null-sink sink_name=deaf rate=48000 channels=2' 2>/dev/null";
  }
  void wait() const {
    for (int i = 0; i < 600 && std::system("pactl info >/dev/null 2>&1") != 0; ++i) std::this_thread::sleep_for(50ms);
  }

  const Folder& folder_;
  Process process;
};

/// The right channel of the sink: a tone from the server's own player, that tells a busy machine from a fault of ours.
/// Its buffer, and how much it is asked for at a time, are those that SDL has for blocks of 8192 frames.
std::string yardstick(const Folder& folder) {
  std::vector<float> tone = sine(1000, 20, 2, 0.25);
  for (std::size_t i = 0; i < tone.size(); i += 2) tone[i] = 0;
  folder.write("yardstick", {reinterpret_cast<const char*>(tone.data()), tone.size() * sizeof(float)});
  return "sh -c 'while cat " + folder.path("yardstick") +
         "; do :; done | pacat --device=deaf --format=float32le --rate=48000 --channels=2 --latency-msec=170 --process-time-msec=20 "
         "2>/dev/null'";
}

/// What came out of the sink.
Take recorded(const Folder& folder, const std::string& name) {
  const std::string bytes = folder.read(name);
  Take take;
  take.samples.resize(bytes.size() / sizeof(float) / 2 * 2);
  std::memcpy(take.samples.data(), bytes.data(), take.samples.size() * sizeof(float));
  return take;
}

/// Where a steady tone of this level is as it should be: the longest such stretch in seconds, and the share of all.
struct Steady {
  double begin = 0, length = 0, share = 0;
};

Steady steady(const Take& take, int channel, double rms) {
  constexpr double slice = 0.01;
  Steady result;
  int slices = 0;
  int good = 0;
  double run = 0;
  for (double at = 0; at + slice <= take.seconds(); at += slice, ++slices) {
    const bool as_it_should = std::abs(take.part(at, slice).rms(channel) / rms - 1) < 0.05;
    good += as_it_should;
    run = as_it_should ? run + slice : 0;
    if (run > result.length) result = {at + slice - run, run, 0};
  }
  result.share = slices == 0 ? 0 : static_cast<double>(good) / slices;
  return result;
}

/// A game that runs for a while.
void play(SoundManager& manager, std::chrono::milliseconds length) {
  for (auto left = length; left > 0ms; left -= 10ms) {
    manager.update(Seconds{0.01});
    std::this_thread::sleep_for(10ms);
  }
}

}  // namespace

TEST_CASE("a real sound server hears the tone without a gap; when it dies the game goes on, and sound returns with it") {
  if (std::system("command -v pulseaudio >/dev/null && command -v parec >/dev/null") != 0)
    FAIL("pulseaudio and pulseaudio-utils are missing; scripts/install-packages --with-tests installs them");
  const Folder folder;
  setenv("HOME", folder.path().c_str(), 1);
  setenv("XDG_RUNTIME_DIR", folder.path().c_str(), 1);
  setenv("PULSE_SERVER", ("unix:" + folder.path("socket")).c_str(), 1);
  setenv("SDL_AUDIODRIVER", "pulseaudio", 1);
  auto server = std::make_unique<Server>(folder);

  auto other_player = std::make_unique<Process>(yardstick(folder));

  Stage stage("[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\npan=\"100 % left\"\n[events.hum]\nstart=\"hum\"\n", {}, {}, true);
  Device device(*stage.manager, {.name = {}, .block = 8192});
  CHECK_THAT(device.description(), Contains("pulseaudio"));
  stage.raise("hum");
  play(*stage.manager, 500ms);
  const auto record = [&] {
    std::filesystem::remove(folder.path("heard"));
    Process recorder("parec --device=deaf.monitor --format=float32le --rate=48000 --channels=2 --latency-msec=50 > " +
                     folder.path("heard"));
    const auto enough = [&] {
      return std::filesystem::exists(folder.path("heard")) && std::filesystem::file_size(folder.path("heard")) > 2 * 4 * 48000 * 3 / 2;
    };
    for (int i = 0; i < 200 && !enough(); ++i) play(*stage.manager, 50ms);
    const Take all = recorded(folder, "heard");
    return all.part(0.3, all.seconds());
  };
  const auto check_tone = [&] {
    // One take of three quarters of a second without a gap is asked for. A machine that is busy with other things may
    // starve the sound server for longer than any buffer: then the server's own player has gaps as well.
    constexpr double unbroken = 0.75;
    Take take;
    Steady ours;
    double our_gaps = 0;
    double their_gaps = 0;
    for (int tries = 0; tries < 5 && ours.length < unbroken; ++tries) {
      take = record();
      ours = steady(take, 0, 0.5 * std::numbers::sqrt2 / 2);
      our_gaps += 1 - ours.share;
      their_gaps += 1 - steady(take, 1, 0.25 * std::numbers::sqrt2 / 2).share;
    }
    if (ours.length < unbroken) {
      WARN("no take without a gap: " << 20 * our_gaps << " % of our tone is missing, and " << 20 * their_gaps
                                     << " % of that of the server's own player");
      CHECK(our_gaps <= 3 * their_gaps + 0.1);
    }
    REQUIRE(ours.length > 0.03);
    const Take tone = take.part(ours.begin, ours.length);
    CHECK(tone.pitch() == Approx(500).epsilon(0.002));
  };
  check_tone();

  // What is played on it is decided alike when its journal is played again, down to the frames on which everything ends.
  {
    std::vector<std::string> live, again;
    std::string text;
    const auto decided = [](const JournalEntry& entry) {
      const bool is = entry.as<noted::Decision>() != nullptr || entry.as<noted::Fading>() != nullptr ||
                      entry.as<noted::Woke>() != nullptr || entry.as<noted::Ended>() != nullptr;
      return is ? to_json(entry) : std::string();
    };
    Stage shots(
        "[sounds.shot]\nclips=[\"n-*.wav\"]\npitch=\"-3 st .. 3 st\"\n[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n[events.shot]\nstart="
        "\"shot\"\n[events.hum]\nstart=\"hum\"\n");
    {
      SoundManager manager({.voices = 3, .journal = [&](const JournalEntry& entry) {
                              text += to_json(entry) + "\n";
                              if (const std::string line = decided(entry); !line.empty()) live.push_back(line);
                            }});
      manager.load(*shots.bank);
      const Device second(manager, {.name = {}, .block = 512});
      for (int i = 0; i < 150; ++i) {
        Playback one = manager.raise(i % 5 == 0 ? "hum" : "shot").playback();
        if (i % 4 == 0) one.bend(Semitones{2.0 * (i % 3)});
        if (i % 7 == 0) one.set_gain(Decibels{-3.0 * (i % 5)});
        manager.update(Seconds{0.01});
        std::this_thread::sleep_for(std::chrono::milliseconds(7 + i % 5));
      }
    }
    const JournalScript script = parse_journal(text, "live");
    ManagerOptions options = options_of(script);
    options.journal = [&](const JournalEntry& entry) {
      if (const std::string line = decided(entry); !line.empty()) again.push_back(line);
    };
    {
      SoundManager manager(std::move(options));
      replay(script, *shots.bank, manager, [](std::span<const float>) {});
    }
    CHECK(live.size() > 200);
    CHECK(again == live);
  }

  server->process.end(SIGKILL);
  play(*stage.manager, 600ms);
  const auto gone = stage.manager->clock();
  play(*stage.manager, 1000ms);
  CHECK_FALSE(device.connected());
  // At the pace of a clock of its own: machines are noisy, so only roughly.
  CHECK(seconds(stage.manager->clock() - gone, test_rate).value > 0.3);

  std::filesystem::remove(folder.path("socket"));
  server = std::make_unique<Server>(folder);
  for (int i = 0; i < 100 && !device.connected(); ++i) play(*stage.manager, 100ms);
  REQUIRE(device.connected());
  other_player = std::make_unique<Process>(yardstick(folder));
  check_tone();
  // A sink that nobody hears pulls at its own pace, and the new server may drop us once more while it starts: only the
  // notices of the device count, the first and the last.
  std::vector<std::string> notices;
  for (const auto& entry : stage.entries<noted::Notice>())
    if (entry.why.starts_with("the sound device is")) notices.push_back(entry.why);
  REQUIRE(notices.size() >= 2);
  CHECK_THAT(notices.front(), Contains("is gone"));
  CHECK_THAT(notices.back(), Contains("is back"));
}
