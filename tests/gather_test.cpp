#include <catch2/catch.hpp>
#include <filesystem>

#include "stage.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/gather.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

std::size_t clips_in(const Book& book) {
  std::size_t count = 0;
  for (const auto& sound : book.sounds) sound.each_clip([&](const BookLayer&, const BookClip&) { ++count; });
  return count;
}

}  // namespace

TEST_CASE("gathering makes a sound and an event of each kind of file, keeps what is there, and adds nothing twice") {
  const Folder desk;
  setenv("TIDEWATER_CACHE", desk.path("cache").c_str(), 1);
  for (const auto* name :
       {"gull-1.wav", "gull-2.wav", "steps/Wet Planks a.wav", "steps/Wet Planks b.wav", "horn.wav", "bell_01.flac", "take2.wav"})
    desk.write_clip(std::string("clips/") + name, sine(500, 0.1));
  desk.write("clips/readme.txt", "not a clip");
  const std::string before = "# Mine.\n[book]\nname = \"b\"   # short\n\n[sounds.horn]\nclips = [\"horn.wav\"]";
  desk.write("book.toml", before);
  const Gathered gathered = gather(desk.path("clips"), desk.path("book.toml"));
  CHECK(gathered.sounds == std::vector<std::string>{"bell", "gull", "steps-wet-planks", "take"});
  CHECK(gathered.clips == 6);
  CHECK(desk.read("book.toml") == before);  // nothing is written yet
  take_in(gathered, desk.path("book.toml"));
  const std::string after = desk.read("book.toml");
  CHECK(after.substr(0, before.size()) == before);
  CHECK_THAT(after, Contains("[sounds.gull]\nclips = [\"gull-*.wav\"]") && Contains("[events.gull]\nstart = \"gull\"") &&
                        Contains("[sounds.steps-wet-planks]\nclips = [\"steps/Wet Planks *.wav\"]"));
  CHECK(read_book(desk.path("book.toml")).problems.empty());
  CHECK(gather(desk.path("clips"), desk.path("book.toml")).added.empty());
  desk.write_clip("clips/horn-2.wav", sine(500, 0.1));
  const Gathered later = gather(desk.path("clips"), desk.path("book.toml"));
  CHECK(later.added.empty());
  REQUIRE(later.notes.size() == 1);
  CHECK_THAT(later.notes[0], Contains("there is a sound 'horn' that does not use \"horn-2.wav\""));
  // A book that is not there yet is made.
  take_in(gather(desk.path("clips"), desk.path("new.toml")), desk.path("new.toml"));
  CHECK(read_book(desk.path("new.toml")).book.sounds.size() == 5);
  // By the folder that it lies in, however that is written.
  CHECK(gather(desk.path("clips"), desk.path("clips/../new-one.toml")).added ==
        gather(desk.path("clips"), desk.path("new-one.toml")).added);
  CHECK_THROWS_WITH(gather(desk.path(), desk.path("book.toml")), Contains("is not inside"));
  CHECK_THROWS_WITH(gather(desk.path("nowhere"), desk.path("book.toml")), Contains("there is no such folder"));
}

TEST_CASE("gathering writes nothing that a book cannot say or play: each such file is told, and the book is good") {
  const Folder desk;
  setenv("TIDEWATER_CACHE", desk.path("cache").c_str(), 1);
  for (const auto* name : {"Door_01.wav", "Door_02.wav", "take..1.wav", "caf\xe9.wav", "a\tb.wav", "caf\xc3\xa9.wav", "q?.wav",
                           "br{ace}.wav", "say \"hey\".wav", "back\\slash.wav"})
    desk.write_clip(std::string("clips/") + name, sine(500, 0.1));
  for (const auto* name : {"._Door_01.wav", ".trash/old.wav", "broken.wav", "readme.txt"})
    desk.write(std::string("clips/") + name, "nothing");
  desk.write("book.toml", "[book]\nname = \"b\"\n");
  const Gathered gathered = gather(desk.path("clips"), desk.path("book.toml"));
  std::string skipped;
  for (const auto& file : gathered.skipped) skipped += file + "\n";
  CHECK_THAT(skipped, Contains("'caf\\xE9.wav': its name is not UTF-8") && Contains("'a\\x09b.wav': ") &&
                          Contains("'q?.wav': in a book,") && Contains("'br{ace}.wav': ") &&
                          Contains("'broken.wav': it cannot be read as audio"));
  CHECK(gathered.skipped.size() == 5);
  take_in(gathered, desk.path("book.toml"));
  const std::string book = desk.read("book.toml");
  CHECK_THAT(book,
             Contains("[sounds.door]\nclips = [\"Door_*.wav\"]") && Contains("\"take..1.wav\"") && !Contains("broken") && !Contains("._"));
  const ReadBook read = read_book(desk.path("book.toml"));
  for (const auto& problem : read.problems) FAIL_CHECK(to_text(problem));
  CHECK(check_clips(read.book).problems.empty());
  CHECK(read.book.sounds.size() == 5);
  CHECK(clips_in(read.book) == 6);
  CHECK_NOTHROW(compile_book(desk.path("book.toml")));
  // A pattern does not take in what is hidden or cannot be said, either.
  desk.write("book.toml", "[book]\nname = \"b\"\n[sounds.all]\nclips = [\"*or_*.wav\", \"caf*.wav\"]\n[events.a]\nstart = \"all\"\n");
  CHECK(clips_in(read_book(desk.path("book.toml")).book) == 3);
  CHECK_NOTHROW(compile_book(desk.path("book.toml")));
}

TEST_CASE("folders side by side that hold the same kinds of files become sounds by trait; others do not") {
  const Folder desk;
  setenv("TIDEWATER_CACHE", desk.path("cache").c_str(), 1);
  for (const auto* name :
       {"steps/tile/tile_01.wav", "steps/tile/tile_02.wav", "steps/wood/wood_01.wav", "doors/oak/open-1.wav", "doors/oak/open-2.wav",
        "doors/oak/close-1.wav", "doors/iron/open-1.wav", "doors/iron/close-1.wav", "doors/iron/close-2.wav", "amb/sea/waves.wav",
        "amb/town/cars.wav", "gulls/cry-1.wav", "hens/cry-1.wav", "hit/soft wood/1.wav", "hit/hard wood/1.wav"})
    desk.write_clip(std::string("clips/") + name, sine(500, 0.1));
  const Gathered gathered = gather(desk.path("clips"), desk.path("book.toml"));
  CHECK(gathered.sounds == std::vector<std::string>{"amb-sea-waves", "amb-town-cars", "doors-close", "doors-open", "gulls-cry", "hens-cry",
                                                    "hit-hard-wood-1", "hit-soft-wood-1", "steps"});
  CHECK_THAT(gathered.added,
             Contains("# One sound by trait: the game raises steps with kind = \"tile\" or \"wood\". Call the trait as you like.\n"
                      "[sounds.steps]\nclips = { files = \"steps/{kind}/*.wav\", otherwise = [\"steps/tile/*.wav\"] }") &&
                 Contains("clips = { files = \"doors/{kind}/open-*.wav\", otherwise = [\"doors/iron/open-*.wav\"] }"));
  take_in(gathered, desk.path("book.toml"));
  const Bank bank = compile_book(desk.path("book.toml"));
  std::vector<JournalEntry> journal;
  SoundManager manager({.journal = [&](const JournalEntry& entry) { journal.push_back(entry); }});
  manager.load(bank);
  CHECK(manager.raise("steps", {{"kind", "wood"}}).outcome == Outcome::started);
  CHECK(manager.raise("doors-close", {{"kind", "oak"}}).outcome == Outcome::started);
  manager.update(Seconds{0.1});
  std::string clips;
  for (const auto& entry : journal)
    if (const auto* decision = entry.as<noted::Decision>(); decision != nullptr && decision->start) clips += decision->start->clip + " ";
  CHECK_THAT(clips, Contains("steps/wood/wood_01.wav") && Contains("doors/oak/close-1.wav"));
  // Nothing is left to be gathered.
  CHECK(gather(desk.path("clips"), desk.path("book.toml")).added.empty());
}
