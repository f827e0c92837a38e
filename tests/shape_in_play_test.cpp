// Shaped sounds through all that a game does to them: replay, stealing, waking, streaming, unloading.

#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string crowd = R"(
[groups.effects]
[sounds.step]
group = "effects"
pick-for = "each-emitter"
pitch = "-2 st .. 2 st"
gain = "-20 dB .. -10 dB"
together = ["gain", "pitch"]
delay = "0 ms .. 30 ms"
spacing = "20 ms"
limit = 2
when-full = "quietest"
limit-for = "each-emitter"
[sounds.step.clips]
by = "surface"
steel = ["n-1.wav", "n-2.wav"]
otherwise = ["n-3.wav", "n-4.wav"]
[sounds.engine]
group = "effects"
limit = 5
gain = "-12 dB"
low-pass = "800 Hz .. 4 kHz"
fade-out = "40 ms"
[[sounds.engine.layers]]
name = "low"
clips = ["hum.wav"]
loop = true
start-at = "anywhere"
[[sounds.engine.layers]]
name = "high"
clips = ["long.wav"]
loop = true
loop-between = "0.5 s .. 1.5 s"
gain = "-6 dB"
delay = "100 ms"
[[sounds.engine.layers]]
name = "rattle"
clips = ["n-5.wav"]
chance = "50 %"
[sounds.loud]
clips = ["longer.wav"]
rank = 9
[events.step]
start = "step"
[events.engine]
start = "engine"
[events.loud]
start = "loud"
[events.hush]
stop = "engine"
)";

}  // namespace

TEST_CASE("shaped sounds, crowded out and woken, replay bit for bit, with their traits and emitters") {
  Stage stage(crowd, {.voices = 3, .seed = 7});
  Random random(11);
  Take original;
  for (int i = 0; i < 60; ++i) {
    switch (random.below(6)) {
      case 0: stage.manager->raise("engine", {}, Emitter{3}); break;
      case 1: stage.raise("hush"); break;
      case 2: stage.raise("loud"); break;
      default: stage.manager->raise("step", {{"surface", random.below(2) == 0 ? "steel" : "sand"}}, Emitter{1 + random.below(3)}); break;
    }
    original.append(stage.render(Seconds{random.between(0.02, 0.4)}).samples);
  }
  CHECK(stage.manager->stats().dormant > 0);
  std::string text;
  stage.manager.reset();
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";
  CHECK_THAT(text, Contains("\"traits\":{\"surface\":\"steel\"}") && Contains("\"emitter\":2") && Contains("\"layer\":\"high\""));

  const JournalScript script = parse_journal(text, "crowd.jsonl");
  Take again;
  SoundManager manager(options_of(script));
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { again.append(block); });
  REQUIRE(again.samples.size() >= original.samples.size());
  again.samples.resize(original.samples.size());
  CHECK(again.samples == original.samples);
}

TEST_CASE("traits of a journal that make no sense are told with their line") {
  const auto read = [](const std::string& line) { return parse_journal(line, "j.jsonl"); };
  CHECK_THROWS_WITH(read("{\"at\": 0, \"request\": \"raise\", \"event\": \"a\", \"traits\": [\"steel\"]}"),
                    Contains("j.jsonl:1: \"traits\" must be an object of texts"));
  CHECK_THROWS_WITH(read("{\"at\": 0, \"request\": \"raise\", \"event\": \"a\", \"traits\": {\"surface\": 3}}"),
                    Contains("an object of texts"));
  CHECK_THROWS_WITH(read("{\"at\": 0, \"request\": \"raise\", \"event\": \"a\", \"emitter\": -1}"),
                    Contains("\"emitter\" must be a whole number from 0 on"));
}

TEST_CASE("a loop between two points that loses its voice comes back between them") {
  Stage stage(R"(
[sounds.s]
clips = ["parts.wav"]
loop = true
loop-between = "0.5 s .. 1 s"
[sounds.loud]
clips = ["tone.wav"]
rank = 9
[events.s]
start = "s"
[events.loud]
start = "loud"
)",
              {.voices = 1, .limiter = false}, [](const Folder& folder) {
                auto samples = sine(300, 0.5, 1, 0.5);
                for (const float x : sine(700, 0.5, 1, 0.5)) samples.push_back(x);
                folder.write_clip("clips/parts.wav", samples);
              });
  stage.raise("s");
  stage.render(Seconds{0.3});
  stage.raise("loud");
  stage.render(Seconds{3});
  const Take back = stage.render(Seconds{1});
  CHECK(back.part(0.1, 0.8).pitch() == Approx(700).epsilon(0.003));
  CHECK(back.part(0.1, 0.8).peak() == Approx(0.5 * 0.7071).epsilon(0.01));
  CHECK(stage.entries<noted::Woke>().size() == 1);
}

TEST_CASE("a handle holds every layer until the last of them is over") {
  Stage stage(R"([sounds.s]
layers = [ { clips = ["n-1.wav"] }, { clips = ["long.wav"], gain = "-6 dB" } ]
[events.s]
start = "s"
)",
              {.limiter = false});
  const auto handle = stage.raise("s").playback();
  stage.render(Seconds{0.5});  // the first layer is over
  CHECK_FALSE(handle.ended());
  CHECK(stage.manager->stats().voices == 1);
  Playback(handle).bend(Semitones{12}, Seconds{0.02});
  CHECK(stage.render(Seconds{0.3}).part(0.1, 0.1).pitch() == Approx(1000).epsilon(0.01));
  const auto other = stage.raise("s").playback();  // must not take over a slot that is still held
  CHECK_FALSE(handle.ended());
  Playback(handle).stop(Seconds{0.02});
  stage.render(Seconds{0.1});
  CHECK(handle.ended());
  CHECK_FALSE(other.ended());
  stage.render(Seconds{3});
  CHECK(other.ended());
  CHECK(stage.manager->stats().voices + stage.manager->stats().fading + stage.manager->stats().dormant == 0);
}

TEST_CASE("layers that find no voice are refused or wait, each for itself") {
  Stage stage(R"([sounds.s]
layers = [ { name = "loop", clips = ["hum.wav"], loop = true }, { name = "shot", clips = ["n-1.wav"], gain = "-30 dB" } ]
[events.s]
start = "s"
)",
              {.voices = 1});
  CHECK(stage.raise("s").outcome == Outcome::started);
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().voices == 1);
  const auto layers = stage.entries<noted::FurtherLayer>();
  REQUIRE(layers.size() == 1);
  CHECK(layers[0].outcome == Outcome::pool_full);
  CHECK(layers[0].why == "all 1 voices are taken by sounds that are louder or outrank it, and it is too short to wait");
  CHECK(stage.raise("s").outcome == Outcome::started);  // as loud as the first, and younger
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().dormant == 1);
  stage.manager->stop_all();
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().dormant == 0);
}

TEST_CASE("a bank of layered sounds can be unloaded while they play") {
  Stage stage(crowd);
  const auto handle = stage.raise("engine").playback();
  stage.render(Seconds{0.3});
  CHECK(stage.manager->unload("stage"));
  CHECK(stage.render(Seconds{0.1}).part(0.05, 0.05).peak() == 0);
  CHECK(handle.ended());
  CHECK(stage.raise("engine").outcome == Outcome::bank_not_loaded);
}

TEST_CASE("a streamed clip of another rate, in a lossy format, at another pitch, is as from memory") {
  const auto heard = [](bool stream) {
    Stage stage("[sounds.s]\nclips=[\"rate.ogg\"]\nstream=" + std::string(stream ? "true" : "false") +
                    "\npitch=\"3 st\"\nquality=\"fine\"\n[events.s]\nstart=\"s\"\n",
                {.offline = true, .limiter = false}, [](const Folder& folder) {
                  folder.write("clips/x", "");
                  AudioFileWriter file(folder.path("clips/rate.ogg"), Hertz{44100}, 1);
                  file.write(sine(600, 2, 1, 0.4, 44100));
                  file.close();
                });
    stage.raise("s");
    return stage.render(Seconds{2});
  };
  const Take disk = heard(true);
  const Take memory = heard(false);
  CHECK(disk.part(0.3, 1).pitch() == Approx(600 * std::exp2(0.25)).epsilon(1e-4));
  double worst = 0;
  for (std::size_t i = 4800; i < 70000; ++i)
    worst = std::max(worst, std::abs(static_cast<double>(disk.left(i)) - static_cast<double>(memory.left(i))));
  CHECK(worst < 0.001);  // one is brought to the rate while compiling, the other while playing
  CHECK(disk.part(1.75, 0.2).peak() < 0.001);
  CHECK(memory.part(1.75, 0.2).peak() < 0.001);
}

TEST_CASE("two streams of one clip, bent and stopped, do not disturb each other") {
  Stage stage("[sounds.s]\nclips=[\"longer.wav\"]\nstream=true\nloop=true\n[events.s]\nstart=\"s\"\n", {.offline = true, .limiter = false});
  const auto one = stage.raise("s").playback();
  stage.render(Seconds{1});
  const auto other = stage.raise("s").playback();
  Playback(one).bend(Semitones{7}, Seconds{});
  stage.render(Seconds{1});
  Playback(one).stop();
  const Take rest = stage.render(Seconds{9});
  CHECK(rest.part(0.1, 8).pitch() == Approx(300).epsilon(0.001));
  CHECK(rest.part(0.1, 8.8).peak() == Approx(0.5 * 0.7071).epsilon(0.002));
  CHECK(one.ended());
  CHECK_FALSE(other.ended());
}

TEST_CASE("a level of a group reaches the groups below it, and streams and layers, too") {
  Stage stage(R"([groups.people]
level = "-20 LUFS"
[groups.near]
parent = "people"
[groups.far]
parent = "people"
level = "-32 LUFS"
[sounds.a]
group = "near"
clips = ["longer.wav"]
stream = true
[sounds.b]
group = "far"
layers = [ { clips = ["longer.wav"] } ]
[events.a]
start = "a"
[events.b]
start = "b"
)",
              {.offline = true, .limiter = false});
  stage.raise("a");
  const double near = stage.render(Seconds{4}).part(0.5, 3).rms();
  stage.manager->stop_all();
  stage.render(Seconds{0.1});
  stage.raise("b");
  const double far = stage.render(Seconds{4}).part(0.5, 3).rms();
  CHECK(decibels(near / far).value == Approx(12).margin(0.05));
  // A sine of 300 Hz at -20 LUFS, mono: its mean square is 0.69 dB above, K-weighting takes next to nothing there.
  CHECK(decibels(near * 1.4142).value == Approx(-20 + 0.69 + 0.1).margin(0.4));
}

TEST_CASE("a start beyond the clip's end is told, and plays nothing; of a loop it goes round") {
  Stage stage(
      "[sounds.s]\nclips=[\"tone.wav\"]\nstart-at=\"0.5 s\"\n[sounds.two]\nlayers=[{clips=[\"tone.wav\"],start-at=\"2 "
      "s\"},{clips=[\"low.wav\"]}]\n"
      "[sounds.round]\nclips=[\"hum.wav\"]\nloop=true\nstart-at=\"30.05 s\"\n"
      "[events.s]\nstart=\"s\"\n[events.two]\nstart=\"two\"\n[events.round]\nstart=\"round\"\n");
  CHECK(stage.raise("s").outcome == Outcome::past_end);
  CHECK(stage.render(Seconds{0.1}).peak() == 0);
  CHECK(stage.why() == "'s' was to begin beyond the end of 'tone.wav', which lasts 0.500 s; see its start-at");
  CHECK(stage.raise("two").outcome == Outcome::started);
  CHECK(stage.render(Seconds{0.6}).part(0.1, 0.3).pitch() == Approx(250).epsilon(0.001));
  CHECK(stage.raise("round").outcome == Outcome::started);
  CHECK(stage.render(Seconds{0.3}).part(0.1, 0.2).rms() > 0.2);
  CHECK(stage.starts().back().clip_start.value == Approx(0.05));
}
