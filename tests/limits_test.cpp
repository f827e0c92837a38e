// How often a sound may play at once and how soon again: what is heard, and what the journal says of the rest.

#include <catch2/catch.hpp>
#include <cmath>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr double one = 0.5 * 0.70710678;  // peak of a clip in the middle

/// A book with one looping sound that has these keys, and the events "start" and "stop".
std::string looping(const std::string& keys) {
  return "[sounds.horn]\nclips = [\"hum.wav\"]\nloop = true\ngain = \"-12 dB\"\n" + keys +
         "\n[events.start]\nstart = \"horn\"\n[events.stop]\nstop = \"horn\"\n";
}

/// How many horns are heard in the end: they start together, so their levels add up.
double heard(Stage& stage) { return stage.render(Seconds{0.3}).part(0.2, 0.1).peak() / (one * std::pow(10, -12.0 / 20)); }

std::vector<std::string> ways_out(const Stage& stage) {
  std::vector<std::string> ways;
  for (const auto& entry : stage.entries<noted::Fading>()) ways.push_back(std::string(to_text(entry.how)));
  return ways;
}

}  // namespace

TEST_CASE("asked for again while it plays, a sound overlaps, starts over, or goes on, as its book says") {
  struct Case {
    std::string retrigger;
    Outcome second;
    double heard;
    std::vector<std::string> ways_out;
  };
  for (const auto& expected : {Case{"overlap", Outcome::started, 2, {}}, Case{"restart", Outcome::started, 1, {"restarted"}},
                               Case{"ignore", Outcome::already_playing, 1, {}}}) {
    INFO(expected.retrigger);
    Stage stage(looping("retrigger = \"" + expected.retrigger + "\""));
    const Raised first = stage.raise("start");
    CHECK(stage.raise("start").outcome == expected.second);
    CHECK(heard(stage) == Approx(expected.heard).epsilon(0.01));
    CHECK(ways_out(stage) == expected.ways_out);
    CHECK(first.playback().ended() == (expected.retrigger == "restart"));
    CHECK(stage.manager->stats().refused == 0);  // the book held it back: nothing went wrong

    stage.raise("stop");
    stage.render(Seconds{0.1});
    CHECK(stage.raise("start").outcome == Outcome::started);  // nothing plays: it may start whatever the book says
  }
}

TEST_CASE("a sound that is started over does not click, and begins at its beginning") {
  Stage stage("[sounds.long]\nclips = [\"long.wav\"]\nretrigger = \"restart\"\n[events.long]\nstart = \"long\"\n");
  stage.raise("long");
  stage.render(Seconds{1.5});
  stage.raise("long");
  const Take take = stage.render(Seconds{1.9});
  std::vector<float> mono;
  for (std::size_t i = 0; i < 4800; ++i) mono.push_back(take.left(i));
  CHECK(clicks(mono) < -60);
  CHECK(take.part(1.8, 0.1).peak() == Approx(one).epsilon(0.01));  // two seconds long: the first would be over
}

TEST_CASE("starts are at least the spacing apart, and what comes too soon says so") {
  Stage stage("[sounds.n]\nclips = [\"n-5.wav\"]\nspacing = \"150 ms\"\n[events.n]\nstart = \"n\"\n");
  Take take;
  int started = 0;
  for (int frame = 0; frame < 60; ++frame) {
    started += stage.raise("n").outcome == Outcome::started;
    take.append(stage.render(Seconds{1.0 / 60}).samples);
  }
  // Game frames are 16.7 ms, so the first that is 150 ms later is the ninth: 0, 9, ... 54.
  CHECK(started == 7);
  int onsets = 0;
  bool before = false;
  for (double at = 0; at < 1; at += 0.01) {
    const bool sounds = take.part(at, 0.01).peak() > 0.1;
    onsets += sounds && !before;
    before = sounds;
  }
  CHECK(onsets == 7);
  CHECK(stage.raise("n").outcome == Outcome::too_soon);
  stage.render(Seconds{0.01});
  CHECK(stage.why() == "'n' would begin 100 ms after another start of it; its spacing is 150 ms");
}

TEST_CASE("where a limit is reached, the oldest, the quietest or the newest yields") {
  struct Case {
    std::string when_full;
    Outcome third;
    int yields;  // of three; the third is the new one
  };
  for (const auto& expected :
       {Case{"oldest", Outcome::started, 0}, Case{"quietest", Outcome::started, 1}, Case{"newest", Outcome::limit_reached, 2}}) {
    INFO(expected.when_full);
    Stage stage(looping("limit = 2\nwhen-full = \"" + expected.when_full + "\""));
    std::vector<Raised> raised;
    for (int i = 0; i < 3; ++i) {
      raised.push_back(stage.raise("start"));
      if (i == 1) raised[1].playback().set_gain(Decibels{-6});
      stage.render(Seconds{0.1});
    }
    CHECK(raised[2].outcome == expected.third);
    for (int i = 0; i < 3; ++i) CHECK(raised[static_cast<std::size_t>(i)].playback().ended() == (i == expected.yields));
    stage.raise("stop");
    CHECK(stage.render(Seconds{0.1}).part(0.05, 0.05).peak() == 0);
    if (expected.when_full == "newest") continue;
    const auto fading = stage.entries<noted::Fading>();
    CHECK(fading.front().how == Ending::yielded);
    CHECK(fading.front().why == "2 of 'horn' play already, which is its limit");
  }
}

TEST_CASE("what has been told to go leaves room at once, and what sleeps takes some") {
  Stage stage(looping("limit = 1\nwhen-full = \"newest\"\nfade-out = \"1 s\""));
  stage.raise("start");
  stage.raise("stop");
  CHECK(stage.raise("start").outcome == Outcome::started);
  CHECK(stage.raise("start").outcome == Outcome::limit_reached);

  Stage full(looping("limit = 1\nwhen-full = \"newest\"\nrank = 1") +
                 "[sounds.loud]\nclips = [\"hum.wav\"]\nloop = true\n[events.loud]\nstart = \"loud\"\n",
             {.voices = 1});
  full.raise("start");
  full.raise("loud");
  full.render(Seconds{0.1});
  REQUIRE(full.manager->stats().dormant == 1);
  CHECK(full.raise("start").outcome == Outcome::limit_reached);
}

TEST_CASE("limits may hold for each emitter by itself") {
  for (const std::string rule : {"retrigger = \"ignore\"", "spacing = \"10 s\"", "limit = 1\nwhen-full = \"newest\""}) {
    INFO(rule);
    Stage together(looping(rule));
    CHECK(together.manager->raise("start", {}, Emitter{1}).outcome == Outcome::started);
    CHECK(idle(together.manager->raise("start", {}, Emitter{2}).outcome));

    Stage apart(looping(rule + "\nlimit-for = \"each-emitter\""));
    for (std::uint64_t emitter : {1U, 2U, 3U}) CHECK(apart.manager->raise("start", {}, Emitter{emitter}).outcome == Outcome::started);
    for (std::uint64_t emitter : {1U, 2U, 3U}) CHECK(idle(apart.manager->raise("start", {}, Emitter{emitter}).outcome));
    CHECK(heard(apart) == Approx(3).epsilon(0.01));
    CHECK_THAT(apart.why(), Contains("for this emitter"));
  }
}

TEST_CASE("a limit counts whole sounds, and all layers of one yield together") {
  Stage stage(
      "[sounds.two]\nlimit = 2\n"
      "layers = [ { clips = [\"hum.wav\"], loop = true }, { clips = [\"hum.wav\"], loop = true, delay = \"50 ms\" }, { clips = "
      "[\"n-1.wav\"], chance = \"50 %\" } ]\n[events.two]\nstart = \"two\"\n");
  for (int i = 0; i < 20; ++i) {
    CHECK(stage.raise("two").outcome == Outcome::started);
    stage.render(Seconds{0.25});
  }
  CHECK(stage.manager->stats().voices == 4);
  CHECK(stage.entries<noted::Ended>().size() == 18);
}
