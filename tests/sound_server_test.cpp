#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <thread>

#include "stage.hpp"
#include "tidewater/device/device.hpp"

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
    kill(pid_, signal);
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
    for (int i = 0; i < 200 && std::system("pactl info >/dev/null 2>&1") != 0; ++i) std::this_thread::sleep_for(50ms);
  }

  const Folder& folder_;
  Process process;
};

Take recorded(const Folder& folder, const std::string& name) {
  const std::string bytes = folder.read(name);
  Take take;
  take.samples.resize(bytes.size() / sizeof(float) / 2 * 2);
  std::memcpy(take.samples.data(), bytes.data(), take.samples.size() * sizeof(float));
  return take;
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

  Stage stage("[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n[events.hum]\nstart=\"hum\"\n");
  Device device(*stage.manager, {.name = {}, .block = 2048});
  CHECK_THAT(device.description(), Contains("pulseaudio"));
  stage.raise("hum");
  play(*stage.manager, 300ms);
  const auto record = [&](const std::string& name) {
    Process recorder("parec --device=deaf.monitor --format=float32le --rate=48000 --channels=2 --latency-msec=50 > " + folder.path(name));
    const auto enough = [&] {
      return std::filesystem::exists(folder.path(name)) && std::filesystem::file_size(folder.path(name)) > 2 * 4 * 48000 * 5 / 4;
    };
    for (int i = 0; i < 200 && !enough(); ++i) play(*stage.manager, 50ms);
  };
  // A machine that is busy with other things may starve the sound server now and then: one unbroken take is asked for.
  const auto unbroken = [&](const std::string& name) {
    Take take;
    for (int tries = 0; tries < 8; ++tries) {
      std::filesystem::remove(folder.path(name));
      record(name);
      take = recorded(folder, name).part(0.3, 0.8);
      bool even = take.frames() > 30000;
      for (double at = 0; at < 0.75 && even; at += 0.01) even = std::abs(take.part(at, 0.01).rms() / take.rms() - 1) < 0.05;
      if (even) return take;
    }
    FAIL_CHECK("no take without a gap in eight");
    return take;
  };
  const Take before = unbroken("before");
  CHECK(before.pitch() == Approx(500).epsilon(0.002));
  CHECK(before.peak() == Approx(0.5 * 0.7071).epsilon(0.02));

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
  const Take after = unbroken("after");
  CHECK(after.pitch() == Approx(500).epsilon(0.002));
  CHECK(after.peak() == Approx(0.5 * 0.7071).epsilon(0.02));
  // A sink that nobody hears pulls at its own pace, and the new server may drop us once more while it starts: only the
  // notices of the device count, the first and the last.
  std::vector<std::string> notices;
  for (const auto& entry : stage.entries(JournalEntry::Kind::notice))
    if (entry.why.starts_with("the sound device")) notices.push_back(entry.why);
  REQUIRE(notices.size() >= 2);
  CHECK_THAT(notices.front(), Contains("is gone"));
  CHECK_THAT(notices.back(), Contains("is back"));
}
