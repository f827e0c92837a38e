// Moods: named changes of groups that come and go, which one holds, and that nothing of them is left.

#include <catch2/catch.hpp>
#include <cmath>
#include <numeric>
#include <random>

#include "stage.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A hum in `music` on the left and a tone in `weather` on the right, and moods that change them.
const std::string book = R"(
[groups.weather]
low-pass = "8 kHz"
[groups.music]
gain = "-3 dB"
[groups.score]
parent = "music"
[moods.below-deck]
fade-in = "50 ms"
fade-out = "100 ms"
groups = { weather = { gain = "-12 dB", low-pass = "900 Hz" }, music = { gain = "-6 dB" } }
[moods.storm]
rank = 7
fade-in = "20 ms"
fade-out = "20 ms"
groups = { music = { gain = "-20 dB" } }
[moods.dream]
fade-in = "20 ms"
fade-out = "20 ms"
groups = { music = { gain = "0 dB", high-pass = "300 Hz" }, weather = { gain = "silent" } }
[moods.fog]
rank = 2
fade-in = "0 s"
fade-out = "0 s"
groups = { master = { gain = "-1 dB" }, weather = { low-pass = "2 kHz" } }
[moods.far]
groups = { score = { gain = "-2 dB" } }
[scopes.hold]
mood = "below-deck"
[sounds.hum]
group = "score"
clips = ["hum.wav"]
loop = true
pan = "100 % left"
[sounds.wind]
group = "weather"
clips = ["hum.wav"]
loop = true
pan = "100 % right"
[sounds.shot]
group = "weather"
clips = ["tone.wav"]
[events.hum]
start = "hum"
[events.wind]
start = "wind"
[events.shot]
start = "shot"
[events.below]
begin-mood = "below-deck"
[events.above]
end-mood = "below-deck"
)";

struct Heard {
  double left, right;
};
Heard levels(Stage& stage) {
  const Take take = stage.render(Seconds{0.5}).part(0.3, 0.2);
  return {decibels(take.rms(0)).value, decibels(take.rms(1)).value};
}

}  // namespace

TEST_CASE("a mood changes its groups over its fade, and exactly what held before is back after it") {
  Stage stage(book);
  stage.raise("hum");
  stage.raise("wind");
  const Heard before = levels(stage);
  CHECK(stage.manager->set_mood("below-deck") == Outcome::done);
  CHECK(stage.manager->set_mood("below-deck") == Outcome::done);  // twice is once
  const Heard during = levels(stage);
  CHECK(during.left == Approx(before.left - 6).margin(0.02));
  CHECK(during.right == Approx(before.right - 12.4).margin(0.2));  // -12 dB, and what the filter takes away at 500 Hz
  CHECK(stage.manager->mood("below-deck"));
  CHECK(stage.manager->group("music")->gain == Decibels{-3});  // its own level is untouched
  stage.manager->set_mood("below-deck", false);
  CHECK_FALSE(stage.manager->mood("below-deck"));
  const Heard after = levels(stage);
  CHECK(after.left == Approx(before.left).margin(1e-4));
  CHECK(after.right == Approx(before.right).margin(1e-3));
}

TEST_CASE("of moods that change the same thing the highest rank holds, of equals the later; they do not add up") {
  Stage stage(book);
  stage.raise("hum");
  stage.raise("wind");
  const Heard before = levels(stage);
  const auto lower_by = [&] { return Approx(before.left).margin(0.02); };
  stage.manager->set_mood("below-deck");
  stage.manager->set_mood("storm");
  CHECK(levels(stage).left + 20 == lower_by());
  stage.manager->set_mood("dream");                                   // of the rank of below-deck, and later; under storm
  CHECK(levels(stage).left + 20 == Approx(before.left).margin(0.6));  // its high-pass takes a little
  stage.manager->set_mood("storm", false);
  const Heard dream = levels(stage);
  CHECK(dream.left == Approx(before.left).margin(0.6));
  CHECK(dream.right < -100);
  stage.manager->set_mood("dream", false);
  CHECK(levels(stage).left + 6 == lower_by());
  stage.manager->set_mood("below-deck");  // already in force: its place among equals stays
  stage.manager->set_mood("dream");
  stage.manager->set_mood("below-deck");
  CHECK(levels(stage).right < -100);
}

TEST_CASE("whatever the order in which five moods come and go, the end is the same samples") {
  const Stage compiled(book);
  const std::vector<std::string> moods = {"below-deck", "storm", "dream", "fog", "far"};
  const auto tail = [&](const std::vector<int>& order, bool slider) {
    SoundManager manager({.offline = true});
    manager.load(*compiled.bank);
    manager.raise("hum");
    manager.raise("wind");
    std::vector<float> out(2 * 960);
    const auto step = [&] {
      manager.render(out);
      manager.update(Seconds{0.02});
    };
    step();
    for (const int its : order) manager.set_mood(Name(moods[static_cast<std::size_t>(its)])), step();
    if (slider) manager.set_gain("music", Decibels{-5}, Seconds{0.03});
    for (const int its : order) manager.set_mood(Name(moods[static_cast<std::size_t>(its)]), false), step();
    for (std::size_t steps = order.size(); steps < 5; ++steps) step(), step();
    std::vector<float> all;
    for (int i = 0; i < 25; ++i) step();
    for (int i = 0; i < 5; ++i) step(), all.insert(all.end(), out.begin(), out.end());
    return all;
  };
  const std::vector<float> plain = tail({}, false), turned = tail({}, true);
  CHECK(plain != turned);
  std::vector<int> order = {0, 1, 2, 3, 4};
  int differ = 0, tried = 0;
  do {
    if (times(1, 8) > 1 && tried++ % 8 != 0) continue;
    // Filters that were on keep a state: what they leave is below -110 dB.
    const std::vector<float> its = tail(order, tried % 2 == 0);
    const std::vector<float>& wanted = tried % 2 == 0 ? turned : plain;
    for (std::size_t i = 0; i < its.size(); ++i) differ += its[i] == wanted[i] ? 0 : 1;
    tried += times(1, 8) > 1 ? 0 : 1;
  } while (std::next_permutation(order.begin(), order.end()));
  CHECK(differ == 0);
}

TEST_CASE("a slow mood is not cut short by a slider, nor the slider by the mood") {
  Stage stage(book);
  stage.raise("hum");
  const Heard before = levels(stage);
  stage.manager->set_mood("far");  // 300 ms
  stage.render(Seconds{0.05});
  stage.manager->set_gain("score", Decibels{-4}, Seconds{0.02});
  const double soon = decibels(stage.render(Seconds{0.1}).part(0.06, 0.04).rms()).value;
  CHECK(soon < before.left - 4.2);
  CHECK(soon > before.left - 5.8);
  CHECK(levels(stage).left == Approx(before.left - 6).margin(0.02));
}

TEST_CASE("events and scopes begin and end moods") {
  Stage stage(book);
  stage.raise("hum");
  const Heard before = levels(stage);
  stage.raise("below");
  CHECK(levels(stage).left == Approx(before.left - 6).margin(0.02));
  CHECK(stage.why() == "begin-mood 'below-deck'");
  stage.manager->begin("hold");
  stage.raise("above");  // the scope still has it
  CHECK(levels(stage).left == Approx(before.left - 6).margin(0.02));
  stage.manager->end("hold");
  CHECK(levels(stage).left == Approx(before.left).margin(0.02));
  CHECK(stage.manager->set_mood("below-dek") == Outcome::unknown_mood);
  stage.render(Seconds{0.02});
  CHECK_THAT(stage.why(), Contains("no loaded bank has a mood 'below-dek'; did you mean 'below-deck'?"));
}

TEST_CASE("what a mood silences keeps its place without a voice, and the journal names the mood") {
  Stage stage(book);
  stage.raise("wind");
  stage.render(Seconds{0.2});
  CHECK(sounding(stage).size() == 1);
  stage.manager->set_mood("dream");
  stage.render(Seconds{0.3});
  CHECK(stage.raise("wind").outcome == Outcome::silent);
  stage.render(Seconds{0.02});
  CHECK(stage.why() == "the mood 'dream' makes group 'weather' silent");
  CHECK(sounding(stage).size() == 1);
  stage.manager->set_mood("dream", false);
  stage.render(Seconds{0.3});
  CHECK(sounding(stage).size() == 2);
}

TEST_CASE("moods that cannot be are refused with the place and what to do") {
  const auto problems = [](const std::string& text) {
    std::string all;
    for (const Problem& its : parse_book("[book]\nname = \"b\"\n[groups.music]\n" + text, "book.toml").problems) all += to_text(its) + "\n";
    return all;
  };
  CHECK_THAT(problems("[moods.x]\n"), Contains("4:8: a mood changes groups: groups = {"));
  CHECK_THAT(problems("[moods.x]\ngroups = { musik = { gain = \"-6 dB\" } }\n"),
             Contains("5:12: there is no group 'musik'; did you mean 'music'?"));
  CHECK_THAT(problems("[moods.x]\ngroups = { music = { } }\n"), Contains("changes nothing"));
  CHECK_THAT(problems("[moods.x]\ngroups = { music = { gain = nan } }\n"), Contains("gain"));
  CHECK_THAT(problems("[moods.x]\ngroups = { music = { gain = -6 } }\n"), Contains("dB"));
  CHECK_THAT(problems("[moods.x]\ngroups = { music = { volume = \"-6 dB\" } }\n"), Contains("it is called 'gain' here"));
  CHECK_THAT(problems("[moods.x]\nrank = 12\ngroups = { music = { gain = \"-6 dB\" } }\n"), Contains("rank"));
  CHECK_THAT(problems("[scopes.deck]\nmood = \"y\"\n"), Contains("5:8: there is no mood 'y'"));
  CHECK_THAT(problems("[events.e]\nbegin-mood = \"y\"\n"), Contains("there is no mood 'y'; add [moods.y]"));
}
