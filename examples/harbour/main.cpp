/// A minute at Kelp Quay, of packed banks: what a game ships, and nothing that makes it.
///     harbour                      renders it to out/harbour.wav and out/harbour.journal.jsonl
///     harbour --device             plays it live
///     harbour --banks DIR          takes the banks from there: those of another target
///     harbour --language reedish   what the passengers speak, in place of kelpish
///     harbour --settings FILE      reads the player's settings from there; writes a file to turn if there is none
///     harbour --out DIR            puts the files elsewhere

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "banks.hpp"
#include "scene.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/settings_file.hpp"
#include "trip.hpp"

namespace {

using namespace tidewater;
using Clock = std::chrono::steady_clock;

constexpr int frames_a_second = 60;
constexpr Seconds frame_time{1.0 / frames_a_second};

struct Options {
  std::filesystem::path out = "out";
  std::string banks = HARBOUR_BANKS;
  std::string language = "kelpish";
  std::string settings;
  bool live = false;
};

/// Applies the player's settings. For a player who has none yet, writes them as the book has them.
void apply_settings(SoundManager& manager, const Options& options) {
  if (options.settings.empty()) return;
  const SettingsRead read = read_settings(options.settings);
  if (!read.problem.empty()) std::fprintf(stderr, "%s\n", read.problem.c_str());
  Settings settings = read.settings;
  for (const char* group : {"music", "effects", "voices"}) settings.set_level(group, settings.level(group));
  settings.apply(manager);
  if (!std::filesystem::exists(options.settings))
    if (const std::string problem = write_settings(settings, options.settings); !problem.empty())
      std::fprintf(stderr, "%s\n", problem.c_str());
}

/// The game's own loop: what moves is placed and what happens is raised, then the frame ends.
template <class EndFrame>
void play(SoundManager& manager, const Options& options, EndFrame end_frame) {
  apply_settings(manager, options);
  harbour::Trip trip;
  harbour::Scene scene(manager);
  harbour::Banks banks(manager, options.banks, options.language);
  for (int frame = 0; frame < harbour::Trip::lasts * frames_a_second; ++frame) {
    const double now = frame * frame_time.value;
    const std::vector<harbour::Happening> happened = trip.advance(now);
    banks.advance(trip.time());
    scene.play(trip, happened);
    manager.update(frame_time);
    end_frame();
  }
}

void play_live(const Options& options) {
  SoundManager manager;
  const Device device(manager);
  std::printf("    Playing on %s; latency up to %.0f ms. Ctrl-C stops.\n", device.description().c_str(), device.latency().value * 1000);
  auto next = Clock::now();
  play(manager, options, [&] { std::this_thread::sleep_until(next += std::chrono::microseconds(1'000'000 / frames_a_second)); });
}

void render(const Options& options) {
  std::filesystem::create_directories(options.out);
  const std::string sound = (options.out / "harbour.wav").string();
  const std::string log = (options.out / "harbour.journal.jsonl").string();
  JournalFile journal(log);
  const auto began = Clock::now();
  {
    SoundManager manager({.journal = journal.sink(), .offline = true});
    AudioFileWriter file(sound, manager.rate(), 2);
    std::vector<float> samples(static_cast<std::size_t>(manager.rate().value) / frames_a_second * 2);
    std::uint64_t most_in_memory = 0;
    play(manager, options, [&] {
      manager.render(samples);
      file.write(samples);
      most_in_memory = std::max(most_in_memory, manager.stats().clip_bytes);
    });
    file.close();
    const std::chrono::duration<double> took = Clock::now() - began;
    const Stats stats = manager.stats();
    std::printf("    %.0f s of a game in %.2f s: %.0f times as fast as real time\n", harbour::Trip::lasts, took.count(),
                harbour::Trip::lasts / took.count());
    std::printf("  asked      %llu events raised, some by other events; sounds started: %llu; requests refused: %llu\n",
                static_cast<unsigned long long>(stats.raised), static_cast<unsigned long long>(stats.started),
                static_cast<unsigned long long>(stats.refused));
    std::printf("  memory     %.1f MiB of clips at most, and %.1f MiB at the end\n", static_cast<double>(most_in_memory) / 1048576,
                static_cast<double>(stats.clip_bytes) / 1048576);
  }
  journal.close();
  std::printf("  sound      %s\n  journal    %s\n", sound.c_str(), log.c_str());
}

/// False where something is not to be understood.
bool read(int argc, char** argv, Options& options) {
  for (int i = 1; i < argc; ++i) {
    const std::string_view argument = argv[i];
    if (argument == "--device") {
      options.live = true;
      continue;
    }
    if (i + 1 == argc) return false;
    if (argument == "--out")
      options.out = argv[++i];
    else if (argument == "--banks")
      options.banks = argv[++i];
    else if (argument == "--settings")
      options.settings = argv[++i];
    else if (argument == "--language")
      options.language = argv[++i];
    else
      return false;
  }
  return true;
}

}  // namespace

int main(int argc, char** argv) {
  Options options;
  if (!read(argc, argv, options)) {
    std::fputs("usage: harbour [--device] [--banks DIR] [--language NAME] [--settings FILE] [--out DIR]\n", stderr);
    return 2;
  }
  try {
    if (options.live)
      play_live(options);
    else
      render(options);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
  return 0;
}
