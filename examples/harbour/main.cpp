/// A minute at Kelp Quay.
///     harbour             renders it to out/harbour.wav and out/harbour.journal.jsonl
///     harbour --device    plays it live
///     harbour --out DIR   puts the files elsewhere

#include <fmt/format.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <string_view>
#include <thread>

#include "tidewater/audio_file.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"
#include "trip.hpp"

namespace {

using namespace tidewater;
using Clock = std::chrono::steady_clock;

constexpr int frames_a_second = 60;
constexpr Seconds frame_time{1.0 / frames_a_second};

/// The game's own loop: what happens is raised, then the frame ends.
template <class EndFrame>
void play(SoundManager& manager, EndFrame end_frame) {
  harbour::Trip trip;
  for (int frame = 0; frame < harbour::Trip::lasts * frames_a_second; ++frame) {
    for (const auto& [event, surface, walker] : trip.advance(frame * frame_time.value)) {
      if (surface.empty())
        manager.raise(event);
      else
        manager.raise(event, {{"surface", surface}}, walker);
    }
    manager.update(frame_time);
    end_frame();
  }
}

void play_live(const Bank& bank) {
  Report report(bank.rate());
  {
    SoundManager manager({.journal = [&](const JournalEntry& entry) { report.take(entry); }});
    manager.load(bank);
    const Device device(manager);
    fmt::print("    Playing on {}; latency up to {:.0f} ms. Ctrl-C stops.\n", device.description(), device.latency().value * 1000);
    auto next = Clock::now();
    play(manager, [&] { std::this_thread::sleep_until(next += std::chrono::microseconds(1'000'000 / frames_a_second)); });
  }
  fmt::print("{}", report.text());
}

void render(const Bank& bank, const std::filesystem::path& folder) {
  std::filesystem::create_directories(folder);
  const std::string sound = (folder / "harbour.wav").string();
  const std::string log = (folder / "harbour.journal.jsonl").string();
  AudioFileWriter file(sound, bank.rate(), 2);
  JournalFile journal(log);
  Report report(bank.rate());
  const auto began = Clock::now();
  {
    SoundManager manager({.rate = bank.rate(),
                          .journal =
                              [&](const JournalEntry& entry) {
                                journal.write(entry);
                                report.take(entry);
                              },
                          .offline = true});
    manager.load(bank);
    std::vector<float> samples(static_cast<std::size_t>(bank.rate().value) / frames_a_second * 2);
    play(manager, [&] {
      manager.render(samples);
      file.write(samples);
      report.take(samples);
    });
  }
  const std::chrono::duration<double> took = Clock::now() - began;
  file.close();
  journal.close();
  fmt::print("    {:.0f} s of a game in {:.2f} s: {:.0f} times as fast as real time, metering and writing included\n{}",
             report.length().value, took.count(), report.length().value / took.count(), report.text());
  fmt::print("  sound      {}\n  journal    {}\n", sound, log);
}

}  // namespace

int main(int argc, char** argv) {
  std::filesystem::path folder = "out";
  bool live = false;
  for (int i = 1; i < argc; ++i) {
    const std::string_view argument = argv[i];
    if (argument == "--device") {
      live = true;
    } else if (argument == "--out" && i + 1 < argc) {
      folder = argv[++i];
    } else {
      fmt::print(stderr, "usage: harbour [--device] [--out DIR]\n");
      return 2;
    }
  }
  try {
    const Bank bank = compile_book(HARBOUR_FOLDER "/book.toml");
    if (live)
      play_live(bank);
    else
      render(bank, folder);
  } catch (const std::exception& error) {
    fmt::print(stderr, "{}\n", error.what());
    return 1;
  }
  return 0;
}
