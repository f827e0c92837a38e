#include <catch2/catch.hpp>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"(
[sounds.loud]
clips = ["hum.wav"]
loop = true
[sounds.soft]
clips = ["hum.wav"]
loop = true
gain = "-30 dB"
[sounds.softest]
clips = ["hum.wav"]
loop = true
gain = "-40 dB"
[events.loud]
start = "loud"
[events.soft]
start = "soft"
[events.softest]
start = "softest"
)";

}  // namespace

TEST_CASE("when the pool is full the quietest yields, with a fade, and the journal says to whom") {
  Stage stage(book, {.voices = 3});
  stage.raise("loud");
  Playback softest = stage.raise("softest").playback();
  stage.raise("soft");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("loud").outcome == Outcome::started);
  CHECK(stage.render(Seconds{0.2}).steepest() < 0.06);
  CHECK(softest.ended());
  const auto fading = stage.entries(JournalEntry::Kind::fading);
  REQUIRE(fading.size() == 1);
  CHECK(fading[0].sound == "softest");
  CHECK(fading[0].how == "outranked");
  CHECK_THAT(fading[0].why, Contains("went to 'loud'"));
  CHECK(stage.manager->stats().playing == 3);
}

TEST_CASE("a newcomer quieter than all is refused, in words") {
  Stage stage(book, {.voices = 2});
  stage.raise("loud");
  stage.raise("soft");
  CHECK(stage.raise("softest").outcome == Outcome::pool_full);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "all 2 voices are taken by louder sounds");
  CHECK(stage.manager->stats().refused == 1);
}

TEST_CASE("among equals the oldest yields") {
  Stage stage(book, {.voices = 2});
  Playback first = stage.raise("loud").playback();
  Playback second = stage.raise("loud").playback();
  stage.raise("loud");
  stage.render(Seconds{0.1});
  CHECK(first.ended());
  CHECK_FALSE(second.ended());
}

TEST_CASE("hundreds of starts in one frame end in playbacks or in words, and every voice comes back") {
  Stage stage(book, {.voices = 16});
  for (int i = 0; i < 500; ++i) stage.raise(i % 3 == 0 ? "softest" : "loud");
  stage.render(Seconds{0.2});
  const auto stats = stage.manager->stats();
  CHECK(stats.started + stats.refused == 500);
  CHECK(stats.playing == 16);
  stage.manager->stop_all();
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().playing == 0);
  CHECK(stage.manager->stats().fading == 0);
  for (int i = 0; i < 16; ++i) CHECK(stage.raise("loud").outcome == Outcome::started);
}
