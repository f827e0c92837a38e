#include <fmt/format.h>

#include <catch2/catch.hpp>
#include <set>

#include "audio_thread.hpp"
#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("a clip that several sounds use is held once") {
  const Stage stage("[sounds.a]\nclips=[\"tone.wav\"]\n[sounds.b]\nclips=[\"tone.wav\", \"low.wav\"]\n");
  CHECK(data_of(*stage.bank).clips.size() == 2);
  CHECK(stage.bank->sounds() == std::vector<std::string_view>{"a", "b"});
}

TEST_CASE("clips of any rate keep their pitch, length and level") {
  for (const double rate : {8000.0, 22050.0, 44100.0, 96000.0}) {
    Folder folder;
    folder.write_clip("clips/a.wav", sine(1000, 0.5, 1, 0.5, rate), 1, rate);
    folder.write("book.toml", book_head + "[sounds.a]\nclips=[\"a.wav\"]\n[events.a]\nstart=\"a\"\n");
    SoundManager manager;
    manager.load(compile_book(folder.path("book.toml")));
    manager.raise("a");
    Take take;
    take.samples.resize(2 * 28800);
    render_guarded(manager, take.samples);
    INFO(rate << " Hz");
    CHECK(take.part(0.1, 0.3).pitch() == Approx(1000).epsilon(1e-4));
    CHECK(take.part(0.1, 0.3).peak() == Approx(0.5 * 0.7071).epsilon(0.002));
    CHECK(take.part(0.504, 0.05).peak() < 0.002);
  }
}

TEST_CASE("a loop of another rate is as seamless as before") {
  Folder folder;
  folder.write_clip("clips/b.wav", sine(440, 0.5, 1, 0.5, 44100), 1, 44100);
  folder.write("book.toml", book_head + "[sounds.b]\nclips=[\"b.wav\"]\nloop=true\n[events.b]\nstart=\"b\"\n");
  SoundManager manager;
  manager.load(compile_book(folder.path("book.toml")));
  manager.raise("b");
  Take take;
  take.samples.resize(2 * 96000);
  render_guarded(manager, take.samples);
  std::vector<float> mono;
  for (std::size_t i = 4800; i < take.frames(); ++i) mono.push_back(take.left(i));
  CHECK(sine_snr(mono, 440, 48000) > 80);
}

TEST_CASE("a loop of any length and rate goes round without a tick and at its pitch") {
  Random random(21);
  for (int round = 0; round < times(200, 20); ++round) {
    const double rate = std::array{8000.0, 11025.0, 22050.0, 32000.0, 44100.0, 44056.0, 96000.0, 192000.0}[random.below(8)];
    const double bank_rate = round % 4 == 0 ? 44100 : 48000;
    const auto frames = round % 10 == 0 ? 3 + random.below(8) : static_cast<std::uint32_t>(std::exp2(random.between(1.6, 15.6)));
    // A tone that fits the loop in whole periods, below 0.45 of the lower rate.
    const double highest = 0.45 * std::min(rate, bank_rate) / rate * frames;
    if (highest < 1) continue;
    const double periods = 1 + random.below(static_cast<std::uint32_t>(std::min(highest, 5000.0)));
    const bool head = random.below(2) == 0;
    const std::uint32_t before = head ? 1 + random.below(3000) : 0;
    const double hertz = periods * rate / frames;
    INFO(frames << " frames at " << rate << " Hz for " << bank_rate << " Hz, " << periods << " periods, head of " << before);
    Folder folder;
    folder.write_clip("clips/b.wav", sine(hertz, (before + frames) / rate, 1, 0.5, rate), 1, rate);
    folder.write("book.toml",
                 book_head + "[sounds.b]\nclips=[\"b.wav\"]\nloop=true\nstream=false\n" +
                     (head ? "loop-between=\"" + std::to_string(before) + " .. " + std::to_string(before + frames) + " frames\"\n" : "") +
                     "[events.b]\nstart=\"b\"\n");
    const Bank bank = compile_book(folder.path("book.toml"), {Hertz{bank_rate}});
    SoundManager manager({.rate = {bank_rate}, .offline = true, .limiter = false});
    manager.load(bank);
    manager.raise("b");
    std::vector<float> all(2 * 160000), mono;
    manager.render(all);
    for (std::size_t i = 2 * 24000; i < all.size(); i += 2) mono.push_back(all[i]);
    const BankClip& clip = data_of(bank).clips.at(0);
    const auto made = static_cast<double>(clip.frames - clip.loop_from);
    const double rounds = std::round(made * rate / bank_rate / frames);
    const double heard = periods * rounds / made * bank_rate;
    CHECK(std::abs(1200 * std::log2(heard / hertz)) < 0.1);
    CHECK(sine_snr(mono, heard, bank_rate) > 110);
  }
}

TEST_CASE("clips that cannot be played are all told in one run, with the place in the book that names them") {
  Folder folder;
  folder.write("clips/text.wav", "this is not audio");
  folder.write("clips/empty.flac", "");
  folder.write_clip("clips/hollow.wav", {});
  folder.write_clip("clips/six.wav", std::vector<float>(600, 0.1F), 6);
  folder.write_clip("clips/nan.wav", {0.1F, std::nanf(""), 0.2F});
  std::string header = folder.read("clips/six.wav");
  header[22] = '\x40';  // the channels' field: a million of them
  header[23] = '\x42';
  folder.write("clips/million.wav", header);
  folder.write("book.toml", book_head + "[sounds.a]\nclips=[\"*\"]\n");
  try {
    compile_book(folder.path("book.toml"));
    FAIL("a book of broken clips was compiled");
  } catch (const Error& error) {
    const std::string text = error.what();
    CHECK_THAT(text, Contains("book.toml:4:8: clip 'text.wav': it cannot be read as audio"));
    CHECK_THAT(text, Contains("'empty.flac': the file is empty (0 bytes)"));
    CHECK_THAT(text, Contains("'hollow.wav': it holds no samples"));
    CHECK_THAT(text, Contains("'six.wav': it has 6 channels; mix it down"));
    CHECK_THAT(text, Contains("'nan.wav': frame 1 is not a number"));
    CHECK_THAT(text, Contains("'million.wav': it"));
  }
}

TEST_CASE("a clip that was prepared before is the same from the cache, and is prepared again when it or its use changes") {
  const Folder folder;
  setenv("TIDEWATER_CACHE", folder.path("cache").c_str(), 1);
  folder.write_clip("clips/a.wav", sine(1000, 0.5, 1, 0.5, 44100), 1, 44100);
  folder.write_clip("clips/b.wav", sine(500, 1.5, 2, 0.5), 2);
  const std::string sounds = "[sounds.a]\nclips=[\"a.wav\"]\n[sounds.b]\nclips=[\"b.wav\"]\nstream=true\n";
  const std::string events = "[events.a]\nstart=\"a\"\n[events.b]\nstart=\"b\"\n";
  const auto heard = [&](const std::string& book) {
    folder.write("book.toml", book_head + book + events);
    SoundManager manager({.offline = true});
    manager.load(compile_book(folder.path("book.toml")));
    manager.raise("a");
    manager.raise("b");
    Take take;
    take.samples.resize(2 * 96000);
    manager.render(take.samples);
    return take;
  };
  const auto kept = [&] {
    std::vector<std::filesystem::path> files;
    for (const auto& file : std::filesystem::directory_iterator(folder.path("cache/prepared"))) files.push_back(file.path());
    return files;
  };
  const Take fresh = heard(sounds);
  REQUIRE(kept().size() == 2);
  CHECK(heard(sounds).samples == fresh.samples);
  CHECK(heard(sounds + "[groups.x]\n").samples == fresh.samples);
  CHECK(kept().size() == 2);
  // Another use of it, other contents, and files of the cache that were cut or spoilt.
  heard("[sounds.a]\nclips=[\"a.wav\"]\nloop=true\nloop-crossfade=\"20 ms\"\n" + sounds.substr(sounds.find("[sounds.b]")));
  CHECK(kept().size() == 3);
  for (const auto& file : kept()) std::filesystem::resize_file(file, std::filesystem::file_size(file) - 100);
  CHECK(heard(sounds).samples == fresh.samples);
  for (const auto& file : kept()) folder.write("cache/prepared/" + file.filename().string(), "nothing of use");
  CHECK(heard(sounds).samples == fresh.samples);
  folder.write_clip("clips/a.wav", sine(700, 0.5, 1, 0.5, 44100), 1, 44100);
  CHECK_FALSE(heard(sounds).samples == fresh.samples);
  // A bit that flips anywhere in the cache changes nothing that is heard.
  const std::string levelled =
      "[groups.g]\nlevel=\"-30 LUFS\"\n[sounds.a]\ngroup=\"g\"\nclips=[\"a.wav\"]\n" + sounds.substr(sounds.find("[sounds.b]"));
  const Take expected = heard(levelled);
  Random random(3);
  for (int round = 0; round < 60; ++round) {
    std::vector<std::string> files = {"cache/files.jsonl", "cache/clips.jsonl"};
    for (const auto& file : kept()) files.push_back("cache/prepared/" + file.filename().string());
    const std::string& file = files[random.below(static_cast<std::uint32_t>(files.size()))];
    std::string bytes = folder.read(file);
    // Half of them in the first hundred bytes, where the sizes stand.
    const std::size_t at =
        random.below(static_cast<std::uint32_t>(round % 2 == 0 ? std::min<std::size_t>(bytes.size(), 100) : bytes.size()));
    bytes[at] = static_cast<char>(bytes[at] ^ (1 << random.below(8)));
    folder.write(file, bytes);
    INFO("byte " << at << " of " << file);
    REQUIRE(heard(levelled).samples == expected.samples);
  }
  // Where nothing can be kept, all is prepared each time.
  folder.write("blocked", "");
  setenv("TIDEWATER_CACHE", folder.path("blocked").c_str(), 1);
  CHECK(heard(sounds).part(0.1, 0.2).rms() > 0.1);
}

TEST_CASE("a bank's content is the same for the same book and clips, and other for any other") {
  const Folder folder;
  write_stage_clips(folder);
  const auto content = [&](const std::string& book) {
    folder.write("book.toml", book_head + book);
    return compile_book(folder.path("book.toml")).content().value;
  };
  const std::string book = "[groups.g]\n[sounds.s]\nclips=[\"tone.wav\"]\n[events.e]\nstart=\"s\"\n";
  const std::uint64_t first = content(book);
  CHECK(first != 0);
  CHECK(content("# a comment\n" + book) == first);
  std::set<std::uint64_t> others = {first};
  for (const std::string other : {"[groups.g]\ngain=\"-1 dB\"\n[sounds.s]\nclips=[\"tone.wav\"]\n[events.e]\nstart=\"s\"\n",
                                  "[groups.g]\n[sounds.s]\nclips=[\"tone.wav\"]\nspread=\"middle\"\n[events.e]\nstart=\"s\"\n",
                                  "[groups.g]\n[sounds.s]\nclips=[\"tone.wav\"]\n[events.e]\nstart=\"s\"\ndelay=\"1 ms\"\n"})
    CHECK(others.insert(content(other)).second);
  auto samples = sine(1000, 0.5, 1, 0.5);
  samples[9000] += 0.001F;
  folder.write_clip("clips/tone.wav", samples);
  CHECK(others.insert(content(book)).second);
}

TEST_CASE("a compiler that keeps what it prepared makes the same banks, byte for byte, whatever changes between") {
  const Folder folder;
  write_stage_clips(folder);
  Random random(11);
  Compiler compiler;
  double level = -6, pitch = 300;
  std::string clips = "\"n-*.wav\"";
  bool loops = false;
  for (int i = 0; i < times(24, 6); ++i) {
    switch (random.below(6)) {
      case 0: level = random.between(-20, 0); break;
      case 1: pitch = random.between(100, 900); break;
      case 2: clips = random.below(2) == 0 ? "\"n-1.wav\", \"low.wav\"" : "\"n-*.wav\""; break;
      case 3: loops = !loops; break;
      case 4:
        folder.write_clip("clips/n-1.wav", std::vector<float>(4000 + random.below(2000), static_cast<float>(random.between(0.1, 0.5))));
        break;
      default: break;  // nothing changes
    }
    folder.write(
        "book.toml",
        book_head +
            fmt::format("[groups.effects]\nlevel = \"-20 LUFS\"\n[sounds.steps]\ngroup = \"effects\"\nclips = [{}]\ngain = \"{:.1f} dB\"\n"
                        "[sounds.hum]\nclips = [\"hum.wav\"]\nloop = {}\n[sounds.sketched]\nsketch = {{ source = \"tone\", pitch = "
                        "\"{:.0f} Hz\" }}\n",
                        clips, level, loops, pitch));
    const ReadBook read = read_book(folder.path("book.toml"));
    REQUIRE(read.problems.empty());
    const std::vector<Bank> kept = compiler.compile_banks(read.book), anew = compile_banks(read.book);
    REQUIRE(kept.size() == anew.size());
    write_bank(kept.front(), folder.path("kept.tidebank"));
    write_bank(anew.front(), folder.path("anew.tidebank"));
    CHECK(folder.read("kept.tidebank") == folder.read("anew.tidebank"));
  }
  folder.write("book.toml", book_head + "[sounds.gone]\nclips = [\"n-1.wav\"]\n");
  const ReadBook read = read_book(folder.path("book.toml"));
  folder.write("clips/n-1.wav", "this is no sound");
  CHECK_THROWS_WITH(compiler.compile_banks(read.book), Catch::Matchers::Contains("n-1.wav"));
}
