/// A bank that is taken apart, and packed again.

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>

#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string everything = R"([book]
name = "stage"
level = "-23 LUFS"
[groups.near]
gain = "-3.3 dB"
low-pass = "9 kHz"
[groups."far away"]
parent = "near"
high-pass = "123.4 Hz"
mute = true
quality = "fine"
[sounds.steps]
group = "near"
clips = { by = ["surface", "weight"], "steel, *" = ["n-1.wav", { file = "n-2.wav", gain = "-2.7 dB" }], "planks, heavy" = ["n-3.wav"], otherwise = [] }
pitch = "-2 st .. 2.1 st"
gain = "silent .. -6 dB"
pan = "7 % left .. 50 % right"
delay = "0 ms .. 30 ms"
low-pass = "500 Hz .. 8 kHz"
high-pass = "31.7 Hz"
together = ["gain", "pitch", "low-pass"]
spread = "middle"
pick-for = "each-emitter"
limit-for = "each-emitter"
rank = 7
preload = false
[sounds."two \"parts\""]
group = "far away"
layers = [ { name = "hum", clips = ["hum.wav"], loop = true, start-at = "anywhere", gain = "-4 dB" }, { clips = ["wide.wav", { file = "quiet.wav", weight = 5 }, { file = "n-4.wav", weight = 0.1 }], pick = "random", chance = "7 %", delay = "20 ms .. 33 ms", pitch = "30 ct" } ]
retrigger = "restart"
fade-in = "30 ms"
fade-out = "83 ms"
limit = 3
when-full = "quietest"
spacing = "15 ms"
[sounds.within]
clips = ["long.wav"]
loop = true
loop-between = "0.31 s .. 1.4 s"
loop-crossfade = "20 ms"
[sounds.song]
clips = ["longer.wav"]
loop = true
stream = true
gain = "-9 dB"
start-at = "0.1 s .. 0.7 s"
pick = "in-order"
[events.song]
start = "song"
[events."song.ended"]
responses = [ { stop = "song" }, { stop = "two \"parts\"", fade = "0 s" } ]
[events.step]
responses = [ { start = "steps", delay = "70.3 ms" }, { start = "two \"parts\"" } ]
[events.within]
start = "within"
)";

Take heard(const Bank& bank, std::span<const char* const> events) {
  SoundManager manager({.seed = 11, .offline = true, .limiter = false});
  manager.load(bank);
  Take take;
  std::vector<float> block(2 * 480);
  for (int i = 0; i < 200; ++i) {
    if (i % 10 == 0)
      manager.raise(events[static_cast<std::size_t>(i / 10) % events.size()], {{"surface", "steel"}, {"weight", "light"}}, Emitter{3});
    manager.update(Seconds{0.01});
    manager.render(block);
    take.append(block);
  }
  return take;
}

}  // namespace

TEST_CASE("a bank is taken apart into a book and clips that pack to the same again, and sound so") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", everything);
  const ReadBook read = read_book(folder.path("book.toml"));
  for (const Problem& problem : read.problems) FAIL_CHECK(to_text(problem));
  for (const char* rate : {"48000", "44100", "32000"}) {
    INFO(rate);
    const std::string its = folder.path(rate);
    const Bank bank = open_bank(pack(read.book, its, {.rate = Hertz{std::stod(rate)}}).front().file);
    const Unpacked unpacked = unpack(bank, its + "/apart");
    CHECK(unpacked.the_same);
    CHECK(unpacked.clips == bank.clips());
    const Bank again = open_bank(pack(read_book(unpacked.book).book, its + "/again", {.rate = bank.rate()}).front().file);
    CHECK(again.content() == bank.content());
    if (bank.rate() == Hertz{48000}) {
      const std::array events = {"step", "song", "within", "song.ended"};
      CHECK((heard(again, events).samples == heard(bank, events).samples));
    }
    CHECK_THROWS_WITH(unpack(bank, its + "/apart"), Contains("there is a book already"));
  }
}

TEST_CASE("clips of one layer that go round between points of their own keep them in their files") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml",
               "[book]\nname = \"a\"\n[sounds.s]\nclips = [\"long.wav\", \"longer.wav\"]\nloop = true\nloop-between = \"0.2 s .. 1.1 "
               "s\"\nstream = false\n"
               "[events.s]\nstart = \"s\"\n");
  ReadBook read = read_book(folder.path("book.toml"));
  REQUIRE(read.problems.empty());
  const Bank compiled = compile(read.book);
  auto data = std::make_shared<BankData>(data_of(compiled));
  data->clips[1].loop_from += 77;  // as from a file that says so
  const Unpacked unpacked = unpack(bank_of(data), folder.path("apart"));
  const Bank again = compile(read_book(unpacked.book).book);
  REQUIRE(again.clips() == 2);
  for (std::size_t c = 0; c < 2; ++c) {
    CHECK(data_of(again).clips[c].loop_from == data->clips[c].loop_from);
    CHECK(data_of(again).clips[c].frames == data->clips[c].frames);
  }
}

TEST_CASE("a bank that calls its clips by paths outside is taken apart inside its folder") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", "[book]\nname = \"a\"\n[sounds.s]\nclips = [\"n-*.wav\"]\n[events.s]\nstart = \"s\"\n");
  const Bank compiled = compile_book(folder.path("book.toml"));
  auto data = std::make_shared<BankData>(data_of(compiled));
  const std::vector<std::string> names = {"../../escaped.wav", "/tmp/tidewater-escaped.wav", "a/../../b.wav", "..", "n-1.wav"};
  for (std::size_t c = 0; c < names.size(); ++c) data->clips[c].name = names[c];
  const Unpacked unpacked = unpack(bank_of(data), folder.path("deep/apart"));
  CHECK(unpacked.clips == 5);
  CHECK_FALSE(std::filesystem::exists(folder.path("deep/escaped.flac")));
  CHECK_FALSE(std::filesystem::exists(folder.path("escaped.wav")));
  CHECK_FALSE(std::filesystem::exists("/tmp/tidewater-escaped.wav"));
  std::size_t files = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder.path("deep/apart/clips")))
    files += entry.is_regular_file() ? 1 : 0;
  CHECK(files == 5);
}
