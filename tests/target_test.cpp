/// Targets of a book: what its platforms keep of the clips, and languages.

#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>

#include "bank/bank_data.hpp"
#include "process.hpp"
#include "stage.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/credits.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/weigh.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string head = "[book]\nname = \"quay\"\nspeech = \"speech\"\nlanguages = [\"en\", \"de\"]\n";

/// A book of sounds with its clips, packed for a target.
struct Shop {
  explicit Shop(const std::string& text) {
    write_stage_clips(folder);
    folder.write_clip("clips/song.wav", sine(440, 4, 2, 0.3), 2);
    folder.write_clip("clips/hot.wav", sine(440, 1, 1, 1.0));
    folder.write_clip("clips/wind.ogg", sine(300, 8, 2, 0.3), 2);
    folder.write_clip("clips/speech/en/hello.wav", sine(300, 0.3, 1, 0.4));
    folder.write_clip("clips/speech/de/hello.wav", sine(600, 0.5, 1, 0.4));
    folder.write_clip("clips/speech/en/bye.wav", sine(330, 0.3, 1, 0.4));
    folder.write("book.toml", head + text);
    const ReadBook read = read_book(folder.path("book.toml"));
    for (const Problem& problem : read.problems) FAIL_CHECK(to_text(problem));
    book = read.book;
  }
  std::vector<PackedBank> pack(const std::string& target, const std::string& into = "banks") const {
    return tidewater::pack(book, folder.path(into), {.target = target});
  }

  Folder folder;
  Book book;
};

Take heard(const Bank& bank, const char* event, double seconds) {
  SoundManager manager({.offline = true, .limiter = false});
  manager.load(bank);
  CHECK(manager.raise(event).outcome == Outcome::started);
  Take take;
  std::vector<float> block(960);
  for (double at = 0; at < seconds; at += 0.01) {
    manager.update(Seconds{0.01});
    manager.render(block);
    take.samples.insert(take.samples.end(), block.begin(), block.end());
  }
  return take;
}

double power(const Take& take) {
  double sum = 0;
  for (const float sample : take.samples) sum += static_cast<double>(sample) * static_cast<double>(sample);
  return sum;
}

const std::string sounds = R"(
[groups.music]
[sounds.tone]
clips = ["tone.wav"]
[sounds.wide]
clips = ["wide.wav"]
[sounds.song]
group = "music"
clips = ["song.wav"]
[events.tone]
start = "tone"
[events.wide]
start = "wide"
[events.song]
start = "song"
)";

}  // namespace

TEST_CASE("a target's clips take less room, and sound as they did: 16 bits, one channel, another rate") {
  const Shop shop(sounds + "[targets.small]\nsamples = \"16-bit\"\nmono = true\nrate = \"32 kHz\"\n");
  const Bank full = open_bank(shop.pack("", "full").front().file), small = open_bank(shop.pack("small").front().file);
  CHECK(full.target().empty());
  CHECK(small.target() == "small");
  CHECK(small.rate() == Hertz{32000});
  CHECK(small.sample_bytes() < full.sample_bytes() / 2);
  for (const Weight& clip : weigh(small).clips) CHECK(clip.how == "16 bits");
  const Take tone = heard(full, "tone", 0.5), dithered = heard(small, "tone", 0.5);
  CHECK(power(dithered) == Approx(power(tone)).epsilon(0.01));
  // What dither and rate leave is far below.
  CHECK(dithered.part(0.1, 0.3).peak() == Approx(tone.part(0.1, 0.3).peak()).epsilon(0.001));
  // Left alone sounds from both sides, at the same power.
  CHECK(power(heard(small, "wide", 0.5)) == Approx(power(heard(full, "wide", 0.5))).epsilon(0.01));
}

TEST_CASE("what streams is encoded as its group says, plays from the bank, and gives the same bytes whenever it is packed") {
  const Shop shop(sounds + R"(
[targets.handheld]
stream-from = "2 s"
codec = "vorbis"
[targets.handheld.groups.music]
codec = "opus"
quality = "60 %"
[targets.desk]
stream-from = "2 s"
codec = "flac"
)");
  const Bank full = open_bank(shop.pack("", "full").front().file);
  const Take song = heard(full, "song", 3.9);
  for (const char* target : {"handheld", "desk"}) {
    INFO(target);
    const PackedBank packed = shop.pack(target, target).front();
    const Bank bank = open_bank(packed.file);
    const auto clips = weigh(bank).clips;
    const auto its = std::find_if(clips.begin(), clips.end(), [](const Weight& w) { return w.name == "song.wav"; });
    REQUIRE(its != clips.end());
    CHECK(its->how == (target == std::string("desk") ? "FLAC, streams" : "Ogg, streams"));
    CHECK(its->bytes < 4 * 48000 * 2 * 4 / 3);
    const Take streamed = heard(bank, "song", 3.9);
    CHECK(power(streamed) == Approx(power(song)).epsilon(0.03));
    const std::string bytes = shop.folder.read(std::string(target) + "/quay.tidebank");
    std::filesystem::remove_all(std::getenv("TIDEWATER_CACHE"));  // as on another machine
    shop.pack(target, "again");
    CHECK((shop.folder.read("again/quay.tidebank") == bytes));
    // What a power cut left of a file that was encoded is not taken for it.
    for (const auto& file : std::filesystem::directory_iterator(std::string(std::getenv("TIDEWATER_CACHE")) + "/encoded"))
      std::ofstream(file.path(), std::ios::binary | std::ios::in | std::ios::out)
              .seekp(static_cast<std::streamoff>(file.file_size()) - 2000)
          << std::string(2000, '\0');
    shop.pack(target, "torn");
    CHECK((shop.folder.read("torn/quay.tidebank") == bytes));
  }
}

TEST_CASE("a loop that streams has no seam, whatever the codec") {
  const Shop shop(
      "[sounds.hum]\nclips = [\"song.wav\"]\nloop = true\n[events.hum]\nstart = \"hum\"\n"
      "[targets.x]\nstream-from = \"2 s\"\ncodec = \"opus\"\n");
  const Take loop = heard(open_bank(shop.pack("x").front().file), "hum", 9);
  std::vector<float> mono;
  for (std::size_t i = 0; i < loop.frames(); ++i) mono.push_back(loop.left(i));
  CHECK(clicks(std::span(mono).subspan(4000)) < -110);
}

TEST_CASE("a bank with speech is packed for each language, and says what is not recorded yet") {
  const Shop shop(R"(
[sounds.hello]
clips = ["speech/en/hello.wav"]
[sounds.bye]
clips = ["speech/en/bye.wav"]
[sounds.tone]
clips = ["tone.wav"]
[events.hello]
start = "hello"
[events.bye]
start = "bye"
[events.tone]
start = "tone"
[banks.voices]
events = ["hello", "bye"]
[banks.rest]
events = ["tone"]
[targets.english]
languages = ["en"]
)");
  const auto packed = shop.pack("");
  std::vector<std::string> files;
  for (const PackedBank& bank : packed) files.push_back(std::filesystem::path(bank.file).filename().string());
  std::sort(files.begin(), files.end());
  CHECK(files == std::vector<std::string>{"rest.tidebank", "voices.de.tidebank", "voices.en.tidebank"});
  const Bank english = open_bank(shop.folder.path("banks/voices.en.tidebank"));
  const Bank german = open_bank(shop.folder.path("banks/voices.de.tidebank"));
  CHECK(english.language() == "en");
  CHECK(german.language() == "de");
  CHECK(english.name() == german.name());
  CHECK(english.content() != german.content());
  CHECK(heard(english, "hello", 0.3).part(0.05, 0.2).pitch() == Approx(300).margin(3));
  CHECK(heard(german, "hello", 0.3).part(0.05, 0.2).pitch() == Approx(600).margin(3));
  CHECK(heard(german, "bye", 0.3).part(0.05, 0.2).pitch() == Approx(330).margin(3));
  for (const Advice& advice : check_clips(shop.book).advice)
    CHECK_FALSE((advice.kind == "unused-clip" && advice.about.starts_with("speech/")));
  const auto without = credits_of(shop.book).without;
  CHECK(std::find(without.begin(), without.end(), "speech/de/hello.wav") != without.end());
  const auto missing = not_recorded(shop.book);
  REQUIRE(missing.size() == 1);
  CHECK(missing[0].file == "speech/de/bye.wav");
  // Where a recording may appear is watched, also before anything is recorded in that language.
  std::filesystem::remove_all(shop.folder.path("clips/speech/de"));
  for (const PackedBank& bank : shop.pack("", "before"))
    if (bank.language == "de")
      CHECK(std::find(bank.made_of.begin(), bank.made_of.end(), shop.folder.path("clips/speech")) != bank.made_of.end());
  CHECK(shop.pack("english", "english").size() == 2);
  CHECK_THROWS_WITH(tidewater::pack(shop.book, shop.folder.path("x"), {.language = "fr"}),
                    Contains("there is no language 'fr'; there is en, de"));
  CHECK_THROWS_WITH(shop.pack("englisch"), Contains("there is no target 'englisch'; did you mean 'english'?"));
}

TEST_CASE("a bank without names is asked by name, sounds the same, and a file beside it has the names") {
  const Shop shop(R"(
[groups.secret-group]
gain = "-3 dB"
[sounds.secret-steps]
group = "secret-group"
clips = { by = "secret-trait", secret-value = ["n-1.wav", "n-2.wav"], "*" = ["n-3.wav"], otherwise = ["n-4.wav", "n-5.wav"] }
pitch = "-3 st .. 3 st"
[sounds.secret-hum]
layers = [ { name = "secret-layer", clips = ["hum.wav"], loop = true } ]
[events.secret-step]
start = "secret-steps"
[events.secret-hum]
start = "secret-hum"
[events.secret-hush]
stop = "secret-hum"
[targets.shop]
names = "stripped"
)");
  shop.pack("", "named");
  shop.pack("shop", "shipped");
  const std::string bytes = shop.folder.read("shipped/quay.tidebank");
  CHECK(bytes.find("secret") == std::string::npos);
  CHECK(bytes.find("n-1") == std::string::npos);
  CHECK(shop.folder.read("named/quay.tidebank").find("secret-layer") != std::string::npos);
  CHECK_THAT(shop.folder.read("shipped/quay.names"), Contains(" secret-layer\n") && Contains(" secret-value\n") && Contains(" n-3.wav\n"));

  std::vector<std::vector<float>> heard;
  for (const std::string folder : {"named", "shipped"}) {
    const Bank bank = open_bank(shop.folder.path(folder + "/quay.tidebank"));
    std::string journal;
    SoundManager manager({.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; }, .offline = true});
    manager.load(bank);
    std::vector<float> all, block(960);
    for (int i = 0; i < 100; ++i) {
      const std::array<const char*, 3> values = {"secret-value", "another", "third"};
      if (i % 7 == 0)
        CHECK(manager.raise("secret-step", {{"secret-trait", values[static_cast<std::size_t>(i / 7) % 3]}}).outcome == Outcome::started);
      if (i % 20 == 0) CHECK(manager.raise("secret-hum"_name).outcome == Outcome::started);
      if (i % 20 == 10) CHECK(manager.raise("secret-hush").outcome == Outcome::done);
      if (i == 50) CHECK(manager.set_gain("secret-group", Decibels{-9}) == Outcome::done);
      manager.update(Seconds{0.01});
      manager.render(block);
      all.insert(all.end(), block.begin(), block.end());
    }
    CHECK(manager.raise("nothing").outcome == Outcome::unknown_event);
    CHECK(manager.unload("quay"));
    CHECK(manager.raise("secret-hum").outcome == Outcome::bank_not_loaded);
    manager.update({});
    heard.push_back(all);
    if (folder == "shipped") CHECK_THAT(journal, Contains("\"event\":\"secret-step\"") && !Contains("secret-layer"));
    shop.folder.write(folder + ".jsonl", journal);
  }
  CHECK((heard[0] == heard[1]));
  const Ran why = run(shop.folder, BUILD_FOLDER "/tidewater journal " + shop.folder.path("shipped.jsonl") + " --names " +
                                       shop.folder.path("shipped/quay.names"));
  CHECK(why.exit == 0);
  CHECK_THAT(why.out, Contains("secret-steps") && Contains("n-3.wav") && !Contains("#"));
}

TEST_CASE("what is wrong in a target is told with its place") {
  Folder folder;
  write_stage_clips(folder);
  const auto told = [&](const std::string& text) {
    const ReadBook read = parse_book(text, folder.path("book.toml"));
    return read.problems.empty() ? std::string() : to_text(read.problems.front());
  };
  const std::string plain = "[book]\nname = \"a\"\n";
  CHECK_THAT(told(plain + "[targets.x]\ncodec = \"ogg\"\n"), Contains("book.toml:4:9: 'ogg' is no codec") && Contains("vorbis"));
  for (const auto* name : {"..", "a/b", "a\\\\b"})
    CHECK_THAT(told(std::string("[book]\nname = \"") + name + "\"\n"), Contains("book.toml:2:8: ") && Contains("cannot be a file"));
  CHECK_THAT(told(plain + "[targets.x]\nrate = \"1 MHz\"\n"), Contains(":4:"));
  CHECK_THAT(told(plain + "[targets.x]\nlanguages = [\"en\"]\n"), Contains("the book has no language 'en'; [book] lists them"));
  CHECK_THAT(told(plain + "[targets.x.groups.musik]\nmono = true\n[groups.music]\n"),
             Contains("there is no group 'musik'; did you mean 'music'?"));
  CHECK_THAT(told("[book]\nname = \"a\"\nspeech = \"speech\"\n"), Contains("'speech' and 'languages' go together"));
  CHECK_THAT(told("[book]\nname = \"a\"\nspeech = \"speech\"\nlanguages = [\"../en\"]\n"), Contains("a list of names of folders"));
}

TEST_CASE(
    "16 bits take clips at full scale, too; a loop with losses stays as it is where a target has one channel; a patch keeps to its base") {
  Shop shop(
      "[sounds.hot]\nclips=[\"hot.wav\"]\n[sounds.wind]\nclips=[\"wind.ogg\"]\nloop=true\nstream=true\n[events.hot]\nstart=\"hot\"\n["
      "events.wind]\nstart=\"wind\"\n[sounds.hi]\nclips=[\"speech/en/hello.wav\"]\n"
      "[targets.small]\nsamples=\"16-bit\"\nmono=true\nrate=\"32 kHz\"\n[targets.desk]\n");
  const std::vector<PackedBank> small = shop.pack("small", "small");
  const Bank bank = open_bank(small.front().file);
  for (const BankClip& clip : data_of(bank).clips) {
    INFO(clip.name);
    if (clip.name == "hot.wav") CHECK(clip.bytes() < 3 * static_cast<std::size_t>(clip.frames));
    if (clip.name == "wind.ogg") CHECK(clip.channels == 2);
  }
  CHECK(small.front().bytes < 200'000);
  const auto with = [&](const std::string& target, Hertz rate) {
    PackOptions options;
    options.target = target;
    options.rate = rate;
    options.patch_of = {small.front().file};
    return options;
  };
  const auto patch = [&](const PackOptions& options) { return pack(shop.book, shop.folder.path("x"), options); };
  CHECK_THROWS_WITH(patch(with("desk", {})), Contains("the patch is for target 'small', as this bank is, and not for 'desk'"));
  CHECK_THROWS_WITH(patch(with("", Hertz{44100})), Contains("the patch is for rate '32000 Hz'"));
  CHECK_NOTHROW(patch(with("small", {})));
}
