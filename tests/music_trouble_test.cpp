/// Music, measured by what is heard: a thousand changes, lost banks, broken streams, and books that are wrong.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>
#include <random>
#include <string>
#include <vector>

#include "music.hpp"
#include "stage.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("a thousand changes in a frame leave one track, and no click") {
  ManagerOptions options;
  options.limiter = false;
  std::string book;
  for (const char* name : {"a", "b", "c"})
    book += fmt::format("[tracks.{0}]\nclips = [\"{0}.wav\"]\ntempo = \"120 bpm\"\nparts = [ {{ bars = 1, loop = true }} ]\n", name);
  book += "[tracks.b.from.a]\non = \"now\"\nby = \"cross\"\nover = \"500 ms\"\n[tracks.c.from.b]\non = \"now\"\nby = \"cut\"\n";
  Stage stage(book, options, [](const Folder& folder) {
    for (int i = 0; i < 3; ++i) folder.write_clip(fmt::format("clips/{}.wav", "abc"[i]), held(0.1 * (i + 1), 0, beats(4, 120)), 2);
  });
  stage.manager->play("a");
  Take take = stage.render(Seconds{1});
  std::mt19937 random(3);
  for (int i = 0; i < 1000; ++i) stage.manager->play(Name(std::string(1, "abc"[random() % 3])));
  stage.manager->play("b");
  take.append(stage.render(Seconds{4}).samples);
  CHECK(stage.manager->stats().voices == 1);
  CHECK(steepest(take, 300, take.frames()) < 0.01);
  CHECK(take.left(take.frames() - 1) == Approx(0.2).margin(1e-4));
}

TEST_CASE("an unknown track is told with the nearest name, and one whose bank goes is given up") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage = stage_of(round_of_eight, round_of_eight, options);
  CHECK(stage.manager->play("strom") == Outcome::unknown_track);
  stage.manager->update({});
  CHECK_THAT(stage.why(), Contains("no loaded bank has a track 'strom'") && Contains("did you mean 'storm'?"));
  CHECK(stage.manager->leave("street") == Outcome::nothing_to_stop);
  // A second bank has the track that is planned.
  stage.folder.write("other.toml",
                     "[book]\nname = \"other\"\n[tracks.gale]\nclips = [\"storm.wav\"]\ntempo = \"120 bpm\"\n" + round_of_eight + "\n");
  stage.manager->load(compile_book(stage.folder.path("other.toml")));
  stage.manager->play("calm");
  stage.render(Seconds{0.5});
  CHECK(stage.manager->play("gale") == Outcome::planned);
  stage.manager->unload("other");
  const Take take = stage.render(Seconds{4});
  CHECK_FALSE(heard_from(take, 1).has_value());
  CHECK(steepest(take, 1, take.frames()) < 1e-6);
  bool told = false;
  for (const auto& decision : stage.entries<noted::Decision>()) told = told || decision.outcome == Outcome::bank_not_loaded;
  CHECK(told);
  // The bank that plays goes, too: nothing is stuck.
  CHECK(stage.manager->play("storm") == Outcome::planned);
  stage.manager->unload(stage.bank->name());
  stage.render(Seconds{3});
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.manager->play("storm") == Outcome::unknown_track);
  stage.manager->load(*stage.bank);
  CHECK(stage.manager->play("storm") == Outcome::started);
  CHECK(heard_from(stage.render(Seconds{1}), 1).has_value());
}

TEST_CASE("a track that is loaded anew while it plays goes on, and changes by the new book") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage = stage_of(round_of_eight, round_of_eight + "\non = \"part\"", options);
  stage.manager->play("calm");
  Take take = stage.render(Seconds{1});
  std::string book = stage.folder.read("book.toml");
  book.replace(book.find("on = \"part\""), 11, "on = \"beat\"");
  stage.folder.write("book.toml", book);
  stage.manager->reload(compile_book(stage.folder.path("book.toml")));
  CHECK(stage.manager->play("calm") == Outcome::went_on);
  take.append(stage.render(Seconds{1}).samples);
  stage.manager->play("storm");
  take.append(stage.render(Seconds{1}).samples);
  const std::size_t storm = heard_from(take, 1).value();
  CHECK(static_cast<std::int64_t>(storm) - 63 == beats(4, 97));
}

TEST_CASE("a journal of music sounds the same when it is played again") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage = stage_of(round_of_eight + "\nfade-out = \"300 ms\"", round_of_eight + "\nby = \"cross\"\nover = \"1 bar\"", options);
  Take take;
  stage.manager->play("calm");
  take.append(stage.render(Seconds{1.3}).samples);
  stage.manager->raise("storm");
  take.append(stage.render(Seconds{3.1}).samples);
  stage.manager->play("calm");
  take.append(stage.render(Seconds{5}).samples);
  stage.manager->leave("main", Seconds{0.5});
  take.append(stage.render(Seconds{2}).samples);
  std::string text;
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";
  const JournalScript script = parse_journal(text, "music.jsonl");
  SoundManager manager(options_of(script));
  std::vector<float> again;
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  again.resize(take.samples.size());
  CHECK(again == take.samples);
}

TEST_CASE("what a book says wrong of tracks is told with its place and what to do") {
  Folder folder;
  write_stage_clips(folder);
  const auto problems_of = [&](const std::string& text) {
    std::string all;
    for (const Problem& problem : parse_book(book_head + text, folder.path("book.toml")).problems) all += to_text(problem) + "\n";
    if (!all.empty()) return all;
    folder.write("book.toml", book_head + text);
    for (const Problem& problem : check_clips(read_book(folder.path("book.toml")).book).problems) all += to_text(problem) + "\n";
    // A book compiles if and only if `check` finds no mistake in it.
    if (all.empty())
      CHECK_NOTHROW(compile_book(folder.path("book.toml")));
    else
      CHECK_THROWS(compile_book(folder.path("book.toml")));
    return all;
  };
  const std::string clips = "[tracks.a]\nclips = [\"long.wav\"]\n";
  const std::string timed = clips + "tempo = \"240 bpm\"\n";
  CHECK(problems_of(clips) == "");
  CHECK(problems_of(timed + "parts = [ { bars = 2, loop = true } ]\n") == "");
  CHECK_THAT(problems_of(clips + "tempo = \"0 bpm\"\n"), Contains("outside 10 bpm to 1000 bpm"));
  CHECK_THAT(problems_of(clips + "tempo = \"1e6 bpm\"\n"), Contains("outside 10 bpm to 1000 bpm"));
  CHECK_THAT(problems_of(clips + "tempo = 97\n"), Contains("lacks a unit; write \"97 bpm\""));
  CHECK_THAT(problems_of(timed + "metre = \"7/0\"\nparts = [ { bars = 1 } ]\n"), Contains("\"7/0\" is no metre"));
  CHECK_THAT(problems_of(timed), Contains("a track with a tempo needs its parts"));
  CHECK_THAT(problems_of(timed + "parts = []\n"), Contains("'parts' must be a list of one part or more"));
  CHECK_THAT(problems_of(timed + "parts = [ { bars = 0 } ]\n"), Contains("bars"));
  CHECK_THAT(problems_of(timed + "parts = [ { bars = 3, loop = true } ]\n"), Contains("end at 3.000 s") && Contains("has 2.000 s"));
  CHECK_THAT(problems_of(timed + "parts = [ { bars = 3 } ]\n"), Contains("end at 3.000 s") && Contains("has 2.000 s"));
  CHECK_THAT(problems_of(timed + "first-beat = \"5 s\"\nparts = [ { bars = 1 } ]\n"), Contains("look at the tempo"));
  CHECK_THAT(problems_of(timed + "parts = [ { bars = 1, loop = true }, { bars = 1, loop = true } ]\n"),
             Contains("two parts have loop = true"));
  CHECK_THAT(problems_of("[tracks.a]\nstems = [ { clips = [\"long.wav\"] }, { clips = [\"low.wav\"] } ]\n"),
             Contains("the stems of a track have one rate and one length"));
  CHECK_THAT(problems_of(clips + "bridge = \"a\"\n"), Contains("'a' cannot be its own bridge"));
  CHECK_THAT(problems_of(clips + "bridge = \"b\"\n[tracks.b]\nclips = [\"low.wav\"]\n"),
             Contains("'b' never ends by itself, and a bridge has to"));
  CHECK_THAT(problems_of(clips + "[tracks.a.from.a]\non = \"now\"\n"), Contains("'a' cannot follow itself"));
  CHECK_THAT(problems_of(clips + "[tracks.a.from.nobody]\non = \"now\"\n"), Contains("there is no track 'nobody'"));
  CHECK_THAT(problems_of(clips + "over = \"2 bars\"\n"), Contains("a number of bars goes with a tempo"));
  CHECK_THAT(problems_of(clips + "by = \"cut\"\nover = \"2 s\"\n"), Contains("it goes with by = \"cross\""));
  CHECK_THAT(problems_of(clips + "[sounds.a]\nclips = [\"low.wav\"]\n"), Contains("'a' is a sound, too"));
  CHECK_THAT(problems_of(clips + "[events.x]\nstart = \"a\"\n"), Contains("'a' is a track: { play = \"a\" } begins it"));
  CHECK_THAT(problems_of(clips + "[events.x]\nplay = \"b\"\n"), Contains("there is no track 'b'"));
  CHECK_THAT(problems_of(clips + "[events.x]\nleave = \"mian\"\n"), Contains("there is no stand 'mian'"));
  CHECK_THAT(problems_of("[tracks.a]\nlist = [\"b\"]\n[tracks.b]\nclips = [\"low.wav\"]\n"), Contains("a track of a list has to"));
  CHECK_THAT(problems_of(clips + "on = \"midnight\"\n"), Contains("on"));
  const std::string follow = "follow = [ { gauge = \"danger\", on = \"bar\", ";
  CHECK_THAT(problems_of("[gauges.danger]\n[sounds.x]\nlayers = [ { clips = [\"low.wav\"], " + follow +
                         "gain = [[0, \"silent\"], [1, \"0 dB\"]] } ] } ]\n"),
             Contains("'on' in 'follow' is for the stems of a track"));
  CHECK_THAT(problems_of("[gauges.danger]\n[tracks.x]\nstems = [ { clips = [\"low.wav\"], " + follow +
                         "pitch = [[0, \"0 st\"], [1, \"2 st\"]] } ] } ]\n"),
             Contains("that bends the gain of a stem"));
}

TEST_CASE("`check` hears a round that does not meet, and a clip that is longer than its bars") {
  Folder folder;
  std::vector<float> ramp;
  for (std::int64_t i = 0; i < beats(8, 120); ++i) ramp.push_back(0.5F * static_cast<float>(i) / static_cast<float>(beats(8, 120)));
  folder.write_clip("clips/ramp.wav", ramp);
  folder.write_clip("clips/tone.wav", sine(500, 4.5, 1, 0.5));
  const auto advice_on = [&](const std::string& clip) {
    folder.write("book.toml", book_head + "[tracks.a]\nclips = [\"" + clip +
                                  "\"]\ntempo = \"120 bpm\"\nparts = [ { bars = 1 }, { bars = 1, loop = true } ]\n");
    std::vector<std::string> kinds;
    for (const Advice& advice : check_clips(read_book(folder.path("book.toml")).book).advice) kinds.push_back(advice.kind);
    return kinds;
  };
  const auto has = [](const std::vector<std::string>& kinds, const char* kind) {
    return std::count(kinds.begin(), kinds.end(), kind) == 1;
  };
  const auto ramps = advice_on("ramp.wav"), tones = advice_on("tone.wav");
  CHECK(has(ramps, "part-seam"));
  CHECK_FALSE(has(ramps, "off-bars"));
  CHECK(has(tones, "off-bars"));
  CHECK_FALSE(has(tones, "part-seam"));
}

TEST_CASE("a stream that breaks off ends its track, and another can be played") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage("[tracks.a]\nclips = [\"a.wav\"]\nstream = true\n[tracks.b]\nclips = [\"b.wav\"]\n", options, [](const Folder& folder) {
    folder.write_clip("clips/a.wav", noise(1, 480'000));
    folder.write_clip("clips/b.wav", noise(2, 48'000));
  });
  stage.manager->play("a");
  stage.render(Seconds{1});
  std::filesystem::resize_file(stage.folder.path("clips/a.wav"), 200'000);
  stage.render(Seconds{12});
  CHECK(stage.manager->play("b") != Outcome::unknown_track);
  const Take take = stage.render(Seconds{3});
  CHECK(take.part(2, 0.5).rms() > 0.05);
  CHECK(stage.manager->stats().voices == 1);
}

/// Eight streamed stems in four pairs of opposites, each put to sleep and woken at random: where both of a pair are awake, nothing is left
/// of them. Hours of it are measured by hand: TIDEWATER_HOURS=24 music_test "[hours]".
TEST_CASE("streamed stems are not a frame apart, however long they play", "[hours]") {
  const char* given = std::getenv("TIDEWATER_HOURS");
  const double hours = given == nullptr ? times(100, 20) / 3600.0 : std::atof(given);
  ManagerOptions options;
  options.limiter = false;
  std::string book = "[tracks.a]\ntempo = \"97 bpm\"\nstream = true\nparts = [ { bars = 1 }, { bars = 3, loop = true } ]\nstems = [\n";
  std::string gauges;
  for (int i = 0; i < 8; ++i) {
    gauges += fmt::format("[gauges.g{}]\ndefault = 1\nsmoothing = \"0 s\"\n", i);
    book +=
        fmt::format("  {{ clips = [\"s{0}.ogg\"], follow = [ {{ gauge = \"g{0}\", gain = [[0, \"silent\"], [1, \"0 dB\"]] }} ] }},\n", i);
  }
  Stage stage(gauges + book + "]\n", options, [](const Folder& folder) {
    for (unsigned i = 0; i < 8; ++i) {
      std::vector<float> samples = noise(1 + i / 2, beats(16, 97, 44100));
      for (float& sample : samples) sample *= i % 2 == 0 ? 0.25F : -0.25F;
      write_ogg(folder.path(fmt::format("clips/s{}.ogg", i)), samples, 44100);
    }
  });
  stage.manager->play("a");
  std::mt19937 random(9);
  std::vector<float> block(2 * 2048);
  std::size_t measured = 0, apart = 0;
  const auto turns = static_cast<int>(hours * 3600 * 48000 / 2048 / 12);
  for (int turn = 0; turn < turns; ++turn) {
    std::array<bool, 4> on{};
    for (std::size_t pair = 0; pair < on.size(); ++pair) {
      on[pair] = random() % 2 == 0;
      // Of a pair that sleeps, one more often than the other.
      stage.manager->set_gauge(Name(fmt::format("g{}", 2 * pair)), on[pair] ? 1 : 0);
      stage.manager->set_gauge(Name(fmt::format("g{}", 2 * pair + 1)), on[pair] || random() % 4 == 0 ? 1 : 0);
    }
    double odd = 0;
    for (int i = 0; i < 12; ++i) {
      stage.manager->update(Seconds{0.04});
      stage.manager->render(block);
    }
    for (std::size_t i = 0; i < block.size(); i += 2) odd += static_cast<double>(block[i]) * static_cast<double>(block[i]);
    const bool any_alone = stage.manager->stats().voices % 2 != 0;
    if (any_alone || std::count(on.begin(), on.end(), true) * 2 != static_cast<std::ptrdiff_t>(stage.manager->stats().voices)) continue;
    ++measured;
    if (10 * std::log10(odd / 2048 + 1e-20) > -90) ++apart;
    if (stage.journal.size() > 100'000) stage.journal.clear();
  }
  CHECK(measured > static_cast<std::size_t>(turns) / 20);
  CHECK(apart == 0);
  if (given != nullptr) WARN(fmt::format("{} of {} looks in {} hours: apart", apart, measured, hours));
}
