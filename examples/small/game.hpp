#pragma once
/// Shared by the small examples: a manager that plays a book, and prints each decision and the level of the sound. A real game opens a
/// device (tidewater/device/device.hpp) instead of calling `render`.

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/author/compile.hpp"
#include "tidewater/guards.hpp"
#include "tidewater/manager.hpp"

struct Game {
  explicit Game(std::string_view book) : manager({.journal = [](const tidewater::JournalEntry& entry) { print(entry); }, .offline = true}) {
    manager.load(tidewater::compile(tidewater::parse_book(book, "book.toml").book));
  }

  /// Runs game frames, each with one update and a sixtieth of a second of sound. Prints the mean level, if it is to be told.
  void play(double seconds, bool told = true) {
    double sum = 0;
    std::vector<float> block(2 * 800);
    const int frames = static_cast<int>(std::lround(seconds * 60));
    for (int frame = 0; frame < frames; ++frame) {
      manager.update(tidewater::Seconds{1.0 / 60});
      manager.render(block);
      for (const float sample : block) sum += static_cast<double>(sample) * static_cast<double>(sample);
    }
    const double level = 10 * std::log10(sum / (1600.0 * std::max(1, frames)) + 1e-12);
    if (!told) return;
    if (level < -100)
      std::printf("%6.2f s of silence\n", seconds);
    else
      std::printf("%6.2f s at %.0f dB\n", seconds, level);
  }

  tidewater::SoundManager manager;

 private:
  static void print(const tidewater::JournalEntry& entry) {
    if (const auto* its = entry.as<tidewater::noted::Decision>(); its != nullptr && !its->event.empty())
      std::printf("         %s: %s%s%s%s%s\n", its->event.c_str(), std::string(to_text(its->outcome)).c_str(),
                  its->sound.empty() ? "" : " ", its->sound.c_str(), its->why.empty() ? "" : ", ", its->why.c_str());
  }
};
