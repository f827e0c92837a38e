#include "banks.hpp"

#include <fmt/format.h>
#include <sndfile.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <string>
#include <thread>
#include <vector>

#include "../tool/memory_kept.hpp"
#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/advice.hpp"
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

double resident_mib() {
  std::ifstream statm("/proc/self/statm");
  std::size_t whole = 0, pages = 0;
  statm >> whole >> pages;
  return static_cast<double>(pages) * 4096 / (1 << 20);
}

/// Many clips of so many frames, and half as many sounds and events.
Bank many(std::size_t clips, std::size_t frames, const std::string& name = "many", bool loop = false) {
  const auto data = std::make_shared<BankData>();
  data->name = name;
  data->rate = Hertz{48000};
  data->groups.emplace_back().name = "master";
  const std::vector<float> samples(frames, 0.25F);
  const BankClip clip = make_clip("", 1, samples, true);
  for (std::size_t c = 0; c < clips; ++c) data->clips.emplace_back(clip).name = fmt::format("clips/number-{}.flac", c);
  for (std::uint32_t s = 0; s < clips / 2; ++s) {
    BankSound sound;
    sound.name = fmt::format("sound-{}", s);
    sound.layers.emplace_back().choices = {{{}, {{2 * s, 1, {}}, {2 * s + 1, 1, {}}}}};
    sound.layers[0].loop = loop;
    data->sounds.push_back(sound);
    data->events.push_back({fmt::format("event.{}", s), {{{Verb::start, {}, {}}, s}}});
  }
  return bank_of(data);
}

void row(const std::string& what, double yardstick, double ours) {
  fmt::print("| {:<64} | {:>9.2f} ms | {:>9.2f} ms | {:>6.2f} |\n", what, yardstick, ours, ours / yardstick);
  std::fflush(stdout);
}

constexpr int block = 512;
constexpr std::chrono::duration<double> block_time{block / 48000.0};

/// A game that plays live, a block each 10.7 ms, on this thread.
class Live {
 public:
  explicit Live(std::uint32_t voices) : manager({.voices = voices}) {}

  /// An update and a block; true where it is heard. Then an event, if there is one.
  bool step(const std::string& event = {}) {
    manager.update(Seconds{block_time.count()});
    const auto began = std::chrono::steady_clock::now();
    manager.render(samples_);
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
    longest = std::max(longest, took / block_time);
    if (!event.empty()) manager.raise(Name(event));
    next_ += std::chrono::duration_cast<std::chrono::steady_clock::duration>(block_time);
    std::this_thread::sleep_until(next_);
    return std::any_of(samples_.begin(), samples_.end(), [](float sample) { return sample != 0; });
  }

  SoundManager manager;
  double longest = 0;  ///< of a block's time, that rendering it took

 private:
  std::vector<float> samples_ = std::vector<float>(2 * block);
  std::chrono::steady_clock::time_point next_ = std::chrono::steady_clock::now();
};

/// In which block after a raise a sound is first heard, 1 for the next.
void first_sound(const std::string& bank, bool prefetched) {
  Live game(64);
  game.manager.load(open_bank(bank), Preload::none);
  std::vector<int> blocks;
  for (int i = 0; i < 50; ++i) {
    const std::string event = fmt::format("event.{}", i + (prefetched ? 1000 : 0));
    if (prefetched) {
      game.manager.prefetch(Name(event));
      for (int wait = 0; wait < 3; ++wait) game.step();
    }
    game.step(event);
    int count = 1;
    while (!game.step() && count < 100) ++count;
    blocks.push_back(count);
    game.manager.stop_all();
    for (int wait = 0; wait < 3; ++wait) game.step();
  }
  std::sort(blocks.begin(), blocks.end());
  fmt::print("| first sound of a clip of 105 KiB, {:<18} | in block {}, the slowest of 50 in block {} |\n",
             prefetched ? "prefetched" : "not prefetched", blocks[blocks.size() / 2], blocks.back());
  std::fflush(stdout);
}

/// What a game with 256 voices waits for the lock while a bank is loaded in the background and unloaded, again and again.
void beside_a_load(const std::string& large) {
  const Bank bank = open_bank(large);
  Live game(256);
  game.manager.load(many(512, 48000, "voices", true));
  std::vector<double> waits;
  for (int v = 0; v < 256; ++v) game.manager.raise(Name(fmt::format("event.{}", v)));
  for (int i = 0; i < 20; ++i) game.step();
  std::atomic<bool> done{false};
  std::thread loader([&] {
    while (!done) {
      const BankLoading loading = game.manager.load_in_background(bank, Preload::none);
      while (!loading.done() && !done) std::this_thread::sleep_for(std::chrono::microseconds(50));
      game.manager.unload("many");
    }
  });
  std::thread asker([&] {
    while (!done) {
      const auto began = std::chrono::steady_clock::now();
      (void)game.manager.stats();
      waits.push_back(std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - began).count());
      std::this_thread::sleep_for(std::chrono::microseconds(20));
    }
  });
  game.longest = 0;
  for (int i = 0; i < 500; ++i) game.step();
  done = true;
  loader.join();
  asker.join();
  std::sort(waits.begin(), waits.end());
  fmt::print(
      "| waiting for the lock beside loads of 10,000 clips, 256 voices | 99 %: {:.2f} us; the longest block took {:.0f} % of its time |\n",
      waits[waits.size() * 99 / 100], 100 * game.longest);
}

/// Packing two hours of clips: so many of 3.6 s, and a book that plays them all.
Book write_book(const fs::path& folder, int clips, const std::string& ending) {
  fs::create_directories(folder / "clips");
  std::string text =
      "[book]\nname = \"large\"\n[targets.flac]\ncodec = \"flac\"\nstream-from = \"1 s\"\n[targets.vorbis]\ncodec = "
      "\"vorbis\"\nstream-from = \"1 s\"\n";
  Random random(3);
  std::vector<float> samples(static_cast<std::size_t>(3.6 * 48000));
  for (int c = 0; c < clips; ++c) {
    float slow = 0;
    for (float& x : samples) x = slow += (static_cast<float>(random.between(-0.3, 0.3)) - slow) * 0.05F;
    AudioFileWriter file((folder / "clips" / fmt::format("{}{}", c, ending)).string(), Hertz{48000}, 1, SampleFormat::pcm_16);
    file.write(samples);
    file.close();
    text += fmt::format("[sounds.s{0}]\nclips = [\"{0}{1}\"]\n[events.e{0}]\nstart = \"s{0}\"\n", c, ending);
  }
  const std::string path = (folder / "book.toml").string();
  std::ofstream(path) << text;
  return read_book(path).book;
}

/// The encoder alone, on every core.
void encode_all(const fs::path& folder, int clips, int format) {
  std::atomic<int> next{0};
  std::vector<std::thread> threads;
  for (unsigned t = 0; t < std::max(1U, std::thread::hardware_concurrency()); ++t)
    threads.emplace_back([&] {
      for (int c = next++; c < clips; c = next++) {
        const std::string name = (folder / "clips" / fmt::format("{}", c)).string();
        SF_INFO info{};
        SNDFILE* in = sf_open((name + ".wav").c_str(), SFM_READ, &info);
        std::vector<short> samples(static_cast<std::size_t>(info.frames));
        sf_readf_short(in, samples.data(), info.frames);
        sf_close(in);
        info.format = format;
        SNDFILE* out = sf_open((name + ".new").c_str(), SFM_WRITE, &info);
        for (std::size_t at = 0; at < samples.size(); at += 4096)
          sf_writef_short(out, samples.data() + at, static_cast<sf_count_t>(std::min<std::size_t>(4096, samples.size() - at)));
        sf_close(out);
        fs::remove(name + ".new");
      }
    });
  for (auto& thread : threads) thread.join();
}

/// From a disk that has nothing left to do of what was measured before.
double took_from_rest(const std::function<void()>& work) {
  ::sync();
  return took(1, work);
}

void packing(const fs::path& folder) {
  tool::keep_memory();  // as the tool does; both sides of each row
  constexpr int clips = 2000;
  setenv("TIDEWATER_CACHE", (folder / "cache").c_str(), 1);
  const Book book = write_book(folder, clips, ".wav");
  struct Target {
    const char* name;
    int format;
  };
  for (const Target& target : {Target{"flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_16}, Target{"vorbis", SF_FORMAT_OGG | SF_FORMAT_VORBIS}}) {
    const PackOptions options{.target = target.name};
    const auto packs = [&] { pack(book, (folder / target.name).string(), options); };
    const double encoded = took_from_rest([&] { encode_all(folder, clips, target.format); });
    row(fmt::format("2,000 clips, two hours, packed as {} from nothing / the encoder alone", target.name), encoded, took_from_rest(packs));
    fs::copy_file(folder / "clips/1.wav", folder / "clips/0.wav", fs::copy_options::overwrite_existing);
    row("the same with one clip changed / the same, all", encoded, took_from_rest(packs));
    row("the same with nothing changed / the same, all", encoded, took_from_rest(packs));
    fs::copy_file(folder / "clips/2.wav", folder / "clips/0.wav", fs::copy_options::overwrite_existing);
  }
  const fs::path compressed = folder / "compressed";
  const Book other = write_book(compressed, clips, ".flac");
  const double decoded = took_from_rest([&] {
    std::atomic<int> next{0};
    std::vector<std::thread> threads;
    for (unsigned t = 0; t < std::max(1U, std::thread::hardware_concurrency()); ++t)
      threads.emplace_back([&] {
        for (int c = next++; c < clips; c = next++) decode(compressed / "clips" / fmt::format("{}.flac", c));
      });
    for (auto& thread : threads) thread.join();
  });
  fs::remove_all(folder / "cache");
  row("check of as many in FLAC, nothing known / decoding them", decoded, took_from_rest([&] { check_clips(other); }));
  unsetenv("TIDEWATER_CACHE");
}

}  // namespace

void print_resident(const std::string& path) {
  SoundManager manager({.playbacks = 256});
  std::vector<float> samples(1024);
  manager.render(samples);
  const double before = resident_mib();
  const Bank bank = open_bank(path);
  const double opened = resident_mib();
  manager.load(bank, Preload::none);
  fmt::print("| resident memory of a process that opens it: {:.1f} MiB more; with the load of all but its clips {:.1f} MiB |\n",
             opened - before, resident_mib() - before);
}

void print_banks_table() {
  const fs::path folder = fs::temp_directory_path() / "tidewater-bench-banks";
  fmt::print("\n| {:<64} | {:>12} | {:>12} | {:>6} |\n| {:-<64} | {:->12} | {:->12} | {:->6} |\n", "banks", "yardstick", "ours", "ratio",
             "", ":", ":", ":");
  ReadBook harbour = read_book(HARBOUR_FOLDER "/book.toml");
  harbour.book.banks.clear();  // all of it in one
  const std::string packed = pack(harbour.book, folder.string()).front().file;
  std::vector<fs::path> clips;
  for (const auto& entry : fs::recursive_directory_iterator(HARBOUR_FOLDER "/clips"))
    if (entry.path().string().find("reedish") == std::string::npos &&  // which is a bank of its own
        (entry.path().extension() == ".flac" || entry.path().extension() == ".ogg"))
      clips.push_back(entry.path());
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

  const std::string gibi = (folder / "gibi.tidebank").string();
  {
    const Bank bank = many(10'000, 53'600);
    write_bank(bank, gibi);
  }
  std::vector<std::byte> head(fs::file_size(table));
  row(fmt::format("{:.2f} GiB of 10,000 clips, opened / as many bytes as its table read",
                  static_cast<double>(fs::file_size(gibi)) / (1 << 30)),
      took(10, [&] { std::ifstream(gibi, std::ios::binary).read(reinterpret_cast<char*>(head.data()), 3 << 20); }),
      took(10, [&] { open_bank(gibi); }));
  const std::string other_process = "/proc/" + std::to_string(getpid()) + "/exe resident " + gibi;
  if (std::system(other_process.c_str()) != 0) fmt::print("| resident memory: not measured |\n");
  packing(folder / "packing");
  first_sound(gibi, true);
  first_sound(gibi, false);
  beside_a_load(gibi);
  fs::remove_all(folder);
}

}  // namespace tidewater::bench
