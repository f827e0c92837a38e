#include "banks.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <functional>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater::bench {
namespace {

namespace fs = std::filesystem;

/// Milliseconds, the least of several.
double took(int times, const std::function<void()>& work) {
  double least = 1e9;
  for (int i = 0; i < times; ++i) {
    const auto began = std::chrono::steady_clock::now();
    work();
    least = std::min(least, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count());
  }
  return least;
}

void decode(const fs::path& path) {
  SF_INFO info{};
  SNDFILE* file = sf_open(path.c_str(), SFM_READ, &info);
  std::vector<float> samples(static_cast<std::size_t>(info.frames * info.channels));
  sf_readf_float(file, samples.data(), info.frames);
  sf_close(file);
}

void load_all(const std::string& path) { SoundManager({.offline = true, .playbacks = 64}).load(open_bank(path)); }

void read_all(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::vector<char> bytes(fs::file_size(path));
  in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
}

/// Many clips of so many frames, and half as many sounds and events.
Bank many(std::size_t clips, std::size_t frames) {
  const auto data = std::make_shared<BankData>();
  data->name = "many";
  data->rate = Hertz{48000};
  data->groups.emplace_back().name = "master";
  const std::vector<float> samples(frames, 0.25F);
  for (std::size_t c = 0; c < clips; ++c) data->clips.push_back(make_clip(fmt::format("clips/number-{}.flac", c), 1, samples, true));
  for (std::uint32_t s = 0; s < clips / 2; ++s) {
    BankSound sound;
    sound.name = fmt::format("sound-{}", s);
    sound.layers.emplace_back().choices = {{{}, {{2 * s, 1, {}}, {2 * s + 1, 1, {}}}}};
    data->sounds.push_back(sound);
    data->events.push_back({fmt::format("event.{}", s), {{{BankResponse::Kind::start, {}, {}}, s}}});
  }
  return bank_of(data);
}

void row(const std::string& what, double yardstick, double ours) {
  fmt::print("| {:<64} | {:>9.2f} ms | {:>9.2f} ms | {:>6.2f} |\n", what, yardstick, ours, ours / yardstick);
  std::fflush(stdout);
}

}  // namespace

void print_banks_table() {
  const fs::path folder = fs::temp_directory_path() / "tidewater-bench-banks";
  fmt::print("\n| {:<64} | {:>12} | {:>12} | {:>6} |\n| {:-<64} | {:->12} | {:->12} | {:->6} |\n", "banks", "yardstick", "ours", "ratio",
             "", ":", ":", ":");
  const ReadBook harbour = read_book(HARBOUR_FOLDER "/book.toml");
  const std::string packed = pack(harbour.book, folder.string()).front().file;
  std::vector<fs::path> clips;
  for (const auto& entry : fs::recursive_directory_iterator(HARBOUR_FOLDER "/clips"))
    if (entry.path().extension() == ".flac" || entry.path().extension() == ".ogg") clips.push_back(entry.path());
  const double decoded = took(5, [&] {
    for (const auto& clip : clips) decode(clip);
  });
  row("the harbour, opened / its clips decoded", decoded, took(20, [&] { open_bank(packed); }));
  row("the harbour, in memory and verified / its clips decoded", decoded, took(20, [&] { load_all(packed); }));

  const std::string table = (folder / "table.tidebank").string(), large = (folder / "large.tidebank").string();
  write_bank(many(10'000, 64), table);
  row("10,000 short clips, 5,000 sounds and events / the bytes read", took(10, [&] { read_all(table); }),
      took(10, [&] { open_bank(table); }));
  write_bank(many(2'000, 67'000), large);
  row("2,000 clips of 128 KiB, in memory and verified / the bytes read", took(5, [&] { read_all(large); }),
      took(5, [&] { load_all(large); }));
  fs::remove_all(folder);
}

}  // namespace tidewater::bench
