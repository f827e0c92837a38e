#include "books.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>

#include "base/random.hpp"
#include "media/decode.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/compile.hpp"

namespace tidewater::bench {
namespace {

namespace fs = std::filesystem;

constexpr int clips = 2000;
constexpr double clip_seconds = 3.6;

double seconds_of(const std::function<void()>& work) {
  const auto began = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
}

void write_book(const fs::path& folder) {
  fs::create_directories(folder / "clips");
  Random random(1);
  std::vector<float> samples(static_cast<std::size_t>(clip_seconds * 48000));
  for (int clip = 0; clip < clips; ++clip) {
    const double hertz = random.between(100, 2000);
    for (std::size_t i = 0; i < samples.size(); ++i)
      samples[i] = static_cast<float>(0.3 * std::sin(hertz * static_cast<double>(i) / 7640) + random.between(-0.02, 0.02));
    AudioFileWriter file((folder / "clips" / fmt::format("thing{}-{}.flac", clip / 5, clip % 5)).string(), Hertz{48000}, 1,
                         SampleFormat::pcm_16);
    file.write(samples);
    file.close();
  }
  std::ofstream book(folder / "book.toml");
  book << "[book]\nname = \"many\"\n";
  for (int sound = 0; sound < clips / 5; ++sound)
    book << fmt::format(
        "[sounds.thing{0}]\nclips = [\"thing{0}-*.flac\"]\npitch = \"-1 st .. 1 st\"\n[events.thing{0}]\nstart = \"thing{0}\"\n", sound);
}

}  // namespace

void print_books_table() {
  const fs::path folder = fs::temp_directory_path() / "tidewater-bench-book";
  fs::remove_all(folder);
  fmt::print(stderr, "Making {} clips ...\n", clips);
  write_book(folder);
  setenv("TIDEWATER_CACHE", (folder / "cache").c_str(), 1);
  const std::string path = (folder / "book.toml").string();
  const double decode = seconds_of([&] {
    for (const auto& entry : fs::directory_iterator(folder / "clips")) decode_file(entry.path().string());
  });
  std::size_t advice = 0;
  const auto check = [&] { advice = check_clips(read_book(path).book).advice.size(); };
  const double cold = seconds_of(check);
  const double warm = seconds_of(check);
  std::size_t bytes = 0;
  const auto compile_it = [&] { bytes = compile_book(path).sample_bytes(); };
  const double compiled = seconds_of(compile_it);
  const double again = seconds_of(compile_it);
  fmt::print("\n| {:<64} | {:>10} |\n| {:-<64} | {:->10} |\n",
             fmt::format("a book of {} clips, {:.1f} hours", clips, clips * clip_seconds / 3600), "time", "", ":");
  fmt::print("| {:<64} | {:>8.2f} s |\n", "decoding alone, one core (the yardstick)", decode);
  fmt::print("| {:<64} | {:>8.2f} s |\n", "check, nothing known, all cores", cold);
  fmt::print("| {:<64} | {:>8.2f} s |\n", "check, nothing changed", warm);
  fmt::print("| {:<64} | {:>8.2f} s |\n", fmt::format("compile, {} MiB of samples", bytes >> 20U), compiled);
  fmt::print("| {:<64} | {:>8.2f} s |\n", "compile, nothing changed", again);
  fs::remove_all(folder);
}

}  // namespace tidewater::bench
