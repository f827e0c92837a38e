#include "growth.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <functional>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

namespace fs = std::filesystem;

double milliseconds_of(const std::function<void()>& work) {
  const auto began = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count();
}

/// A folder of `files` short clips, all links to one, and a book.
std::string book_of(const fs::path& folder, int files, const std::string& text) {
  fs::remove_all(folder);
  fs::create_directories(folder / "clips");
  AudioFileWriter clip((folder / "clips" / "c0.wav").string(), Hertz{48000}, 1, SampleFormat::pcm_16);
  clip.write(std::vector<float>(480, 0.1F));
  clip.close();
  for (int i = 1; i < files; ++i) fs::create_hard_link(folder / "clips" / "c0.wav", folder / "clips" / fmt::format("c{}.wav", i));
  std::ofstream(folder / "book.toml") << "[book]\nname = \"many\"\n" << text;
  return (folder / "book.toml").string();
}

std::string lines(int count, const std::function<std::string(int)>& line) {
  std::string text;
  for (int i = 0; i < count; ++i) text += line(i);
  return text;
}

double reading(const fs::path& folder, int files, const std::string& text) {
  const std::string path = book_of(folder, files, text);
  const double time = milliseconds_of([&] { read_book(path); });
  fs::remove_all(folder);
  return time;
}

/// A bank of loops, one event for each of `events` names.
Bank loops(int events) {
  const auto data = std::make_shared<BankData>();
  data->name = "many";
  data->rate = Hertz{48000};
  data->clips = {make_clip("c", 1, std::vector<float>(48000, 0.1F))};
  data->groups.emplace_back().name = "master";
  BankSound sound;
  sound.name = "loop";
  sound.layers.emplace_back().choices = {{{}, {{0, 1, {}}}}};
  sound.layers.back().loop = true;
  data->sounds.push_back(sound);
  for (int i = 0; i < events; ++i) data->events.push_back({fmt::format("event.{}", i), {{{Verb::start, {}, {}}, 0}}});
  return bank_of(data);
}

double with_sleepers(int count, const std::function<void(SoundManager&)>& work) {
  SoundManager manager({.voices = 8, .offline = true, .playbacks = 1 << 18});
  manager.load(loops(1));
  for (int i = 0; i < count; ++i) manager.raise("event.0");
  return milliseconds_of([&] { work(manager); });
}

double raising(int events, int times, int traits, const char* name) {
  SoundManager manager({.journal = [](const JournalEntry& entry) { to_json(entry); }, .offline = true});
  manager.load(loops(events));
  std::vector<std::string> names;
  for (int i = 0; i < traits; ++i) names.push_back(fmt::format("trait-{}", i));
  std::vector<Trait> list;
  for (const auto& trait : names) list.push_back({Name(trait), "value"});
  manager.raise(name, std::span<const Trait>(list));  // what is looked up once is known then
  manager.update({});
  return milliseconds_of([&] {
    for (int i = 0; i < times; ++i) manager.raise(name, std::span<const Trait>(list));
    manager.update({});
  });
}

}  // namespace

void print_growth_table() {
  const fs::path folder = fs::temp_directory_path() / "tidewater-bench-growth";
  struct Row {
    const char* what;
    int small;
    std::function<double(int)> time;
  };
  const std::vector<Row> rows = {
      {"reading a chain of so many sounds, each like the one before", 2000,
       [&](int n) {
         return reading(folder, 1, "[sounds.s0]\nclips = [\"c0.wav\"]\n" + lines(n - 1, [](int i) {
                                     return fmt::format("[sounds.s{}]\nlike = \"s{}\"\ngain = \"-{} dB\"\n", i + 1, i, i % 9);
                                   }));
       }},
      {"reading so many sounds of a clip each, and an event for each", 2000,
       [&](int n) {
         return reading(folder, n, lines(n, [](int i) {
                          return fmt::format("[sounds.s{0}]\nclips = [\"c{0}.wav\"]\n[events.e{0}]\nstart = \"s{0}\"\n", i);
                        }));
       }},
      {"reading one sound with a pattern that fits so many files", 2000,
       [&](int n) { return reading(folder, n, "[sounds.s]\nclips = [\"*.wav\"]\n"); }},
      {"reading so many sounds whose clips are all missing", 2000,
       [&](int n) {
         return reading(folder, n, lines(n, [](int i) { return fmt::format("[sounds.s{0}]\nclips = [\"d{0}.wav\"]\n", i); }));
       }},
      {"stop_all with so many dormant playbacks", 10000, [](int n) { return with_sleepers(n, [](SoundManager& m) { m.stop_all(); }); }},
      {"unload with so many dormant playbacks", 10000, [](int n) { return with_sleepers(n, [](SoundManager& m) { m.unload("many"); }); }},
      {"1,000 raises of an unknown name beside so many events", 1000, [](int n) { return raising(n, 1000, 0, "event.none"); }},
      {"100 raises with so many traits, written to a journal", 100, [](int n) { return raising(1, 100, n, "event.0"); }}};
  fmt::print("\n| {:<64} | {:>8} | {:>11} | {:>11} | {:>6} |\n| {:-<64} | {:->8} | {:->11} | {:->11} | {:->6} |\n", "what", "size",
             "at the size", "at 10 x", "ratio", "", ":", ":", ":", ":");
  for (const Row& row : rows) {
    double small = 1e9;
    double large = 1e9;
    for (int round = 0; round < 3; ++round) {
      small = std::min(small, row.time(row.small));
      large = std::min(large, row.time(10 * row.small));
    }
    fmt::print("| {:<64} | {:>8} | {:>8.2f} ms | {:>8.2f} ms | {:>6.1f} |\n", row.what, row.small, small, large, large / small);
    std::fflush(stdout);
  }
}

}  // namespace tidewater::bench
