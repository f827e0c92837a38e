#include <catch2/catch.hpp>

#include "stage.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr double centre = 0.70710678;

const std::string tones = R"(
[groups.effects]
[groups.music]
[groups.bass]
parent = "music"
[sounds.tone]
group = "effects"
clips = ["tone.wav"]
[sounds.hum]
group = "bass"
clips = ["hum.wav"]
loop = true
fade-out = "200 ms"
[sounds.rising]
clips = ["hum.wav"]
loop = true
fade-in = "400 ms"
[events.tone]
start = "tone"
[events.later]
start = "tone"
delay = "250 ms"
[events.hum]
start = "hum"
[events.hush]
stop = "hum"
[events.rise]
start = "rising"
[events.swap]
responses = [ { stop = "hum", fade = "50 ms" }, { start = "tone" }, { start = "rising" } ]
)";

}  // namespace

TEST_CASE("a raised event is heard at its level and pitch, at once, and ends") {
  Stage stage(tones);
  const Raised raised = stage.raise("tone");
  CHECK(raised.outcome == Outcome::started);
  CHECK_FALSE(raised.playback().ended());
  const Take take = stage.render(Seconds{1});
  CHECK(take.onset() < 0.001);
  CHECK(take.part(0.1, 0.3).pitch() == Approx(1000).epsilon(1e-4));
  CHECK(take.peak() == Approx(0.5 * centre).epsilon(0.001));
  CHECK(take.part(0.5, 0.5).peak() == 0);
  CHECK(raised.playback().ended());
}

TEST_CASE("two shots in one frame are both heard") {
  Stage stage(tones);
  stage.raise("tone");
  stage.raise("tone");
  CHECK(stage.render(Seconds{0.2}).peak() == Approx(2 * 0.5 * centre).epsilon(0.001));
}

TEST_CASE("a delay is kept to the frame") {
  Stage stage(tones);
  stage.raise("later");
  const Take take = stage.render(Seconds{1});
  CHECK(take.part(0, 0.25).peak() == 0);
  CHECK(take.onset() == Approx(0.25).margin(1.5 / 48000));
}

TEST_CASE("a loop goes on until it is stopped, and leaves over its fade-out") {
  Stage stage(tones);
  stage.raise("hum");
  CHECK(stage.render(Seconds{3}).part(2.8, 0.2).rms() == Approx(0.25).epsilon(0.01));
  CHECK(stage.raise("hush").outcome == Outcome::done);
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.part(0.102, 0.002).peak() == Approx(0.5 * centre * 0.316).epsilon(0.05));
  CHECK(take.part(0.21, 0.2).peak() == 0);
  CHECK(stage.raise("hush").outcome == Outcome::nothing_to_stop);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "'hum' was not playing");
}

TEST_CASE("a fade-in rises from silence to the level over its time") {
  Stage stage(tones);
  stage.raise("rise");
  const Take take = stage.render(Seconds{1});
  CHECK(take.part(0, 0.02).peak() < 0.01);
  CHECK(take.part(0.198, 0.003).peak() == Approx(0.5 * centre * 0.316).epsilon(0.05));
  CHECK(take.part(0.5, 0.1).peak() == Approx(0.5 * centre).epsilon(0.001));
}

TEST_CASE("an event carries out all its responses") {
  Stage stage(tones);
  stage.raise("hum");
  stage.render(Seconds{0.1});
  const Raised raised = stage.raise("swap");
  CHECK(raised.count == 2);
  stage.render(Seconds{0.3});
  CHECK(stage.manager->stats().playing == 2);
  CHECK(stage.entries(JournalEntry::Kind::fading).size() == 1);
}

TEST_CASE("a playback can be turned down, bent and stopped; after its end nothing happens") {
  Stage stage(tones);
  Playback hum = stage.raise("hum").playback();
  hum.set_gain(Decibels{-6.0206}, Seconds{0.05});
  CHECK(stage.render(Seconds{0.4}).part(0.1, 0.2).peak() == Approx(0.25 * centre).epsilon(0.001));
  hum.bend(Semitones{12}, Seconds{0.05});
  CHECK(stage.render(Seconds{0.4}).part(0.1, 0.2).pitch() == Approx(1000).epsilon(1e-3));
  hum.stop(Seconds{0.1});
  CHECK_FALSE(hum.ended());
  CHECK(stage.render(Seconds{0.4}).part(0.12, 0.2).peak() == 0);
  CHECK(hum.ended());
  hum.stop();
  hum.bend(Semitones{1});
  hum.set_gain(Decibels{3});
  stage.render(Seconds{0.1});
  CHECK(stage.entries(JournalEntry::Kind::decision).back().outcome == Outcome::already_ended);
  Playback nothing;
  nothing.stop();
  CHECK(nothing.ended());
}

TEST_CASE("groups have a level and a mute, and obey the groups above them") {
  Stage stage(tones);
  stage.raise("hum");
  const auto level = [&] { return stage.render(Seconds{0.3}).part(0.1, 0.2).peak(); };
  CHECK(level() == Approx(0.5 * centre).epsilon(0.001));
  stage.manager->set_gain("music", Decibels{-6.0206});
  CHECK(level() == Approx(0.25 * centre).epsilon(0.001));
  CHECK(stage.manager->read_meter("music").peak.value == Approx(decibels(0.25 * centre).value).margin(6.1));
  stage.manager->set_mute("master", true);
  CHECK(level() == 0);
  CHECK(stage.raise("tone").outcome == Outcome::silent);
  stage.manager->set_mute("master", false);
  CHECK(level() > 0.2 * centre);
  CHECK(stage.manager->set_gain("musik", Decibels{0}) == Outcome::unknown_group);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "there is no group 'musik'; did you mean 'music'?");
  CHECK(stage.entries(JournalEntry::Kind::decision)[1].why == "group 'master' is muted");
}

TEST_CASE("no sound came: the outcome and the journal say why") {
  Stage stage(tones);
  SoundManager empty;
  CHECK(empty.raise("tone").outcome == Outcome::unknown_event);
  CHECK(stage.raise("tune").outcome == Outcome::unknown_event);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "no loaded bank has this event; did you mean 'tone'?");
  CHECK(stage.manager->unload("stage"));
  CHECK(stage.raise("tone").outcome == Outcome::bank_not_loaded);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "the bank 'stage' with this event was unloaded");
  CHECK_FALSE(stage.manager->unload("stage"));
}

TEST_CASE("a bank that is unloaded fades out, and can be loaded again") {
  Stage stage(tones);
  stage.raise("hum");
  stage.render(Seconds{0.1});
  CHECK_THROWS_WITH(stage.manager->load(*stage.bank), Contains("'stage' is loaded already"));
  stage.manager->unload("stage");
  const Take take = stage.render(Seconds{0.2});
  CHECK(take.steepest() < 0.05);
  CHECK(take.part(0.01, 0.1).peak() == 0);
  stage.manager->load(*stage.bank);
  CHECK(stage.raise("tone").outcome == Outcome::started);
}

TEST_CASE("game time that passes without a rendered block is reported once") {
  Stage stage(tones);
  stage.raise("hum");
  for (int i = 0; i < 200; ++i) stage.manager->update(Seconds{1.0 / 60});
  const auto notices = stage.entries(JournalEntry::Kind::notice);
  REQUIRE(notices.size() == 1);
  CHECK_THAT(notices[0].why, Contains("nothing calls render"));
}

TEST_CASE("a stereo clip keeps its sides") {
  Stage stage("[sounds.w]\nclips=[\"wide.wav\"]\n[events.w]\nstart=\"w\"\n");
  stage.raise("w");
  const Take take = stage.render(Seconds{0.3});
  CHECK(take.rms() == Approx(0.5 * centre).epsilon(0.01));
  for (std::size_t i = 0; i < take.frames(); ++i) REQUIRE(take.right(i) == 0);
}
