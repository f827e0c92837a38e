#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "audio_thread.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/replay.hpp"

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
[sounds.shot]
clips = ["tone.wav"]
gain = "-45 dB"
[sounds.long]
clips = ["long.wav", "longer.wav"]
gain = "-10 dB"
[sounds.important]
clips = ["hum.wav"]
gain = "-20 dB"
rank = 8
loop = true
[events.later]
responses = [ { start = "long", delay = "1 s" } ]
[events.faint-later]
responses = [ { start = "softest", delay = "1 s" }, { start = "shot", delay = "1 s" } ]
[events.shot]
start = "shot"
[events.long]
start = "long"
[events.important]
start = "important"
[events.hush]
responses = [ { stop = "important" }, { stop = "loud" } ]
[events.loud]
start = "loud"
[events.soft]
start = "soft"
[events.softest]
start = "softest"
)";

}  // namespace

TEST_CASE("when the pool is full the quietest loses its voice, with a fade, and the journal says to whom") {
  Stage stage(book, {.voices = 3});
  stage.raise("loud");
  const Playback shot = stage.raise("shot").playback();
  stage.raise("soft");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("loud").outcome == Outcome::started);
  CHECK(stage.render(Seconds{0.2}).steepest() < 0.06);
  CHECK(shot.ended());
  const auto fading = stage.entries<noted::Fading>();
  REQUIRE(fading.size() == 1);
  CHECK(fading[0].sound == "shot");
  CHECK(fading[0].how == Ending::outranked);
  CHECK_THAT(fading[0].why, Contains("went to 'loud', which is not quieter"));
  CHECK(stage.manager->stats().voices == 3);
}

TEST_CASE("a short newcomer quieter than all is refused, in words; a loop begins dormant") {
  Stage stage(book, {.voices = 2});
  stage.raise("loud");
  stage.raise("loud");
  CHECK(stage.raise("shot").outcome == Outcome::pool_full);
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Contains("all 2 voices are taken by sounds that are louder or outrank it"));
  CHECK(stage.raise("soft").outcome == Outcome::dormant);
  CHECK(stage.manager->stats().dormant == 1);
}

TEST_CASE("rank goes before loudness") {
  Stage stage(book, {.voices = 1});
  const Playback loud = stage.raise("loud").playback();
  CHECK(stage.raise("important").outcome == Outcome::started);
  stage.render(Seconds{0.1});
  CHECK(stage.entries<noted::Fading>().at(0).how == Ending::dormant);
  CHECK_FALSE(loud.ended());
  CHECK(stage.raise("loud").outcome == Outcome::dormant);
}

TEST_CASE("a loop that lost its voice comes back by itself, faded in, at its right place in time") {
  // A clip whose place can be heard: its frequency rises steadily.
  Folder folder;
  std::vector<float> sweep(96000);
  double phase = 0;
  for (std::size_t i = 0; i < sweep.size(); ++i) {
    phase += (500 + 1000 * static_cast<double>(i) / 96000) / 48000;
    sweep[i] = static_cast<float>(0.1 * std::sin(2 * 3.14159265358979 * phase));
  }
  write_stage_clips(folder);
  folder.write_clip("clips/sweep.wav", sweep);
  // Varied pitches and other rates, too: then its place lies between two frames of the clip.
  const std::pair<const char*, double> way =
      GENERATE(std::pair("0 st", 48000.0), std::pair("1.46 st", 48000.0), std::pair("-2.3 st", 48000.0), std::pair("0 st", 44100.0),
               std::pair("5 st", 96000.0));
  const std::string pitch = way.first;
  const double rate = way.second;
  INFO(pitch << " at " << rate << " Hz");
  folder.write("book.toml", book_head + book + "[sounds.sweep]\nclips=[\"sweep.wav\"]\nloop=true\npitch=\"" + pitch +
                                "\"\n[events.sweep]\nstart=\"sweep\"\n");
  const Bank bank = compile_book(folder.path("book.toml"));
  const auto listen = [&](bool disturbed) {
    SoundManager manager({.rate = Hertz{rate}, .voices = 1});
    manager.load(bank);
    Take take;
    manager.raise("sweep");
    Playback loud;
    for (int frame = 0; frame < 90; ++frame) {
      // The first time before it is heard.
      if (disturbed && (frame == 0 || frame == 30 || frame == 55)) loud = manager.raise("loud").playback();
      if (disturbed && frame % 25 == 15) loud.stop();
      manager.update(Seconds{1.0 / 60});
      std::vector<float> block(1600);
      render_guarded(manager, block);
      take.append(block);
    }
    return take;
  };
  const Take alone = listen(false);
  const Take disturbed = listen(true);
  CHECK(disturbed.steepest() < 0.08);
  // Well after it woke it is sample for sample where it would have been.
  for (std::size_t i = 72 * 800; i < alone.frames(); ++i) REQUIRE(disturbed.left(i) == Approx(alone.left(i)).margin(1e-6));
}

TEST_CASE("voices do not flutter between sounds of nearly the same level") {
  Stage stage(book, {.voices = 1});
  Playback first = stage.raise("soft").playback();
  Playback second = stage.raise("soft").playback();
  for (int i = 0; i < 100; ++i) {
    (i % 2 == 0 ? first : second).set_gain(Decibels{1.5});
    (i % 2 == 0 ? second : first).set_gain(Decibels{0});
    stage.render(Seconds{0.02});
  }
  CHECK(stage.entries<noted::Woke>().empty());
  first.set_gain(Decibels{6});
  stage.render(Seconds{0.1});
  CHECK(stage.entries<noted::Woke>().size() == 1);
}

TEST_CASE("ten thousand dormant playbacks can be held, bent, stopped and unloaded") {
  Stage stage(book, {.voices = 4});
  for (int i = 0; i < 4; ++i) stage.raise("important");
  std::vector<Playback> many;
  for (int i = 0; i < 10000; ++i) many.push_back(stage.raise("softest").playback());
  CHECK(stage.manager->stats().dormant == 10000);
  stage.render(Seconds{0.1});
  many[77].bend(Semitones{3});
  many[78].stop();
  CHECK(many[78].ended());
  CHECK(stage.manager->stats().dormant == 9999);
  stage.manager->unload("stage");
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().dormant == 0);
  CHECK(stage.manager->stats().voices == 0);
}

TEST_CASE("a long sound that sleeps past its end is over; a crowded minute replays bit for bit") {
  Stage stage(book, {.voices = 2});
  Take original;
  const auto hear = [&](double time) {
    const Take take = stage.render(Seconds{time});
    original.append(take.samples);
  };
  Random random(4);
  const char* events[] = {"loud", "soft", "shot", "long", "important", "hush"};
  for (int i = 0; i < 150; ++i) {
    stage.raise(events[random.below(6)]);
    hear(random.between(0.01, 0.3));
  }
  stage.manager->stop_all();
  hear(0.2);
  CHECK(stage.entries<noted::Woke>().size() > 5);
  stage.manager.reset();
  std::string text;
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";
  const JournalScript script = parse_journal(text, "j");
  std::vector<float> again;
  SoundManager manager(options_of(script));
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  CHECK(again == original.samples);
}

TEST_CASE("among equals the oldest yields") {
  Stage stage(book, {.voices = 2});
  Playback first = stage.raise("loud").playback();
  Playback second = stage.raise("loud").playback();
  stage.raise("loud");
  stage.render(Seconds{0.1});
  CHECK(stage.entries<noted::Fading>().at(0).playback == first.id());
  CHECK_FALSE(second.ended());
}

TEST_CASE("hundreds of starts in one frame end in playbacks or in words, and every voice comes back") {
  Stage stage(book, {.voices = 16});
  for (int i = 0; i < 500; ++i) stage.raise(i % 3 == 0 ? "softest" : "loud");
  stage.render(Seconds{0.2});
  const auto stats = stage.manager->stats();
  CHECK(stats.started + stats.refused == 500);
  CHECK(stats.voices == 16);
  CHECK(stats.dormant > 100);
  stage.manager->stop_all();
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.manager->stats().fading == 0);
  CHECK(stage.manager->stats().dormant == 0);
  for (int i = 0; i < 16; ++i) CHECK(stage.raise("loud").outcome == Outcome::started);
}

TEST_CASE("what nobody hears claims no voice and holds nobody back") {
  Stage stage(R"([groups.off]
[sounds.muted]
group = "off"
rank = 9
clips = ["hum.wav"]
loop = true
[sounds.muted-shot]
group = "off"
clips = ["tone.wav"]
[sounds.heard]
clips = ["longer.wav"]
[events.muted]
start = "muted"
[events.muted-shot]
start = "muted-shot"
[events.heard]
start = "heard"
)",
              {.voices = 2});
  stage.raise("muted");
  stage.raise("muted");
  stage.render(Seconds{0.1});
  stage.manager->set_mute("off", true);
  stage.render(Seconds{0.1});
  // Of a higher rank they are, but muted: both give way, and what is muted from the beginning takes no voice at all.
  CHECK(stage.raise("heard").outcome == Outcome::started);
  CHECK(stage.raise("heard").outcome == Outcome::started);
  CHECK(stage.raise("muted").outcome == Outcome::silent);
  const Playback shot = stage.raise("muted-shot").playback();
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().voices == 2);
  CHECK(stage.manager->stats().dormant == 4);
  CHECK(stage.entries<noted::Fading>().back().why == "its voice went to 'heard', which is heard; this one is not");
  // A heard sleeper gets the next voice, though muted ones outrank it.
  CHECK(stage.raise("heard").outcome == Outcome::started);  // as loud, and younger: the oldest sleeps
  stage.raise("muted");
  stage.render(Seconds{1});
  CHECK(shot.ended());
  stage.manager->stop_all();
  stage.render(Seconds{0.1});

  // Heard again it comes back in its place, also what is short.
  stage.raise("muted");
  const Playback again = stage.raise("muted-shot").playback();
  stage.render(Seconds{0.2});
  stage.manager->set_mute("off", false);
  CHECK(stage.render(Seconds{0.1}).part(0.05, 0.05).peak() > 0.5);
  stage.render(Seconds{0.3});
  CHECK(again.ended());
}

TEST_CASE("a group on its way to silence keeps its voices until it is there") {
  Stage stage(book, {.voices = 1});
  stage.raise("important");
  stage.render(Seconds{0.1});
  stage.manager->set_gain("master", silence, Seconds{0.5});
  CHECK(stage.raise("loud").outcome == Outcome::dormant);
  stage.render(Seconds{0.6});
  CHECK(stage.raise("shot").outcome == Outcome::silent);
  stage.manager->set_gain("master", Decibels{0});
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().voices == 1);
}

TEST_CASE("no layer of a start takes the voice of another of its layers") {
  Stage stage(R"([sounds.s]
layers = [ { clips = ["hum.wav"], loop = true, gain = "-20 dB" }, { clips = ["longer.wav"] }, { clips = ["hum.wav"], loop = true, gain = "-10 dB" } ]
[events.s]
start = "s"
)",
              {.voices = 2});
  CHECK(stage.raise("s").outcome == Outcome::started);
  stage.render(Seconds{0.2});
  CHECK(stage.entries<noted::Fading>().empty());
  CHECK(stage.manager->stats().voices == 2);  // the louder two
  CHECK(stage.manager->stats().dormant == 1);
}

TEST_CASE("who is refused silences nobody, and is told the real reason") {
  const auto refused_with = [](const std::string& keys) {
    Stage stage("[sounds.s]\nclips=[\"tone.wav\"]\nfade-out=\"1 s\"\n" + keys +
                    "[sounds.high]\nclips=[\"hum.wav\"]\nloop=true\nrank=9\n[events.s]\nstart=\"s\"\n[events.high]\nstart=\"high\"\n",
                {.voices = 1});
    // One sounds and one fades: that is all that a pool of one has.
    const Playback first = stage.raise("s").playback();
    stage.render(Seconds{0.05});
    const Playback high = stage.raise("high").playback();
    stage.render(Seconds{0.05});
    Playback(high).stop(Seconds{1});
    const Playback second = stage.raise("s").playback();
    stage.render(Seconds{0.05});
    CHECK_FALSE(second.ended());
    CHECK(first.ended());
    const Raised third = stage.raise("s");
    CHECK(third.outcome == Outcome::pool_full);
    stage.render(Seconds{0.05});
    CHECK_FALSE(second.ended());
    CHECK(stage.manager->stats().voices == 1);  // the second goes on as if nothing had been asked
    return stage.why();
  };
  for (const std::string keys : {"retrigger=\"restart\"\n", "limit=1\n", "limit=1\nwhen-full=\"quietest\"\n"})
    CHECK(refused_with(keys) == "there is room for it, but every voice still fades what was told to go, and it is too short to wait");
}

TEST_CASE("more playbacks than there is room for are refused, in words; what there is goes on, and room comes back") {
  Stage stage(book, {.voices = 2, .playbacks = 5});
  for (int i = 0; i < 5; ++i) CHECK(plays(stage.raise("loud").outcome));
  stage.manager->update({});
  const auto made_room = stage.entries<noted::Fading>().size();
  CHECK(stage.raise("important").outcome == Outcome::no_room);
  stage.manager->update({});
  CHECK_THAT(stage.why(), Contains("5 playbacks sound or keep their place") && Contains("ManagerOptions::playbacks"));
  CHECK(stage.entries<noted::Fading>().size() == made_room);  // nobody, for the one that was refused
  CHECK(stage.manager->stats().voices == 2);
  stage.manager->stop_all();
  stage.render(Seconds{0.2});
  CHECK(stage.raise("important").outcome == Outcome::started);
}

TEST_CASE("what waits for a long delay holds no voice, and is heard on its frame") {
  Stage stage(book, {.voices = 1});
  const Playback later = stage.raise("later").playback();
  REQUIRE(stage.raise("shot").outcome == Outcome::started);
  CHECK(stage.manager->stats().voices == 1);
  CHECK(stage.manager->stats().dormant == 1);
  const Take take = stage.render(Seconds{1.5});
  CHECK_FALSE(later.ended());
  const auto due = stage.entries<noted::Due>();
  REQUIRE(due.size() == 1);
  CHECK(due[0].outcome == Outcome::started);
  CHECK(due[0].starts == Frames{48000 + latency_frames});
  CHECK(due[0].at > Frames{36000});
  CHECK(due[0].at < Frames{37000});
  // The shot lasts for half a second; then there is silence up to the frame that was promised.
  CHECK(take.part(0.6, 0.39).peak() == 0);
  CHECK(take.part(1.0, 0.1).peak() > 0.1);
  CHECK(to_json(JournalEntry{{}, due[0]}).find("due") != std::string::npos);
}

TEST_CASE("when a delay is over whoever is louder sounds, and who is too short to wait says why it is not heard") {
  Stage stage(book, {.voices = 1});
  stage.raise("faint-later");
  stage.raise("loud");
  stage.render(Seconds{1.2});
  const auto due = stage.entries<noted::Due>();
  REQUIRE(due.size() == 2);
  CHECK(due[0].outcome == Outcome::dormant);
  CHECK_THAT(due[0].why, Contains("1 voice"));
  CHECK(due[1].outcome == Outcome::pool_full);
  CHECK_THAT(due[1].why, Contains("short"));
  CHECK(stage.entries<noted::Ended>().size() == 1);
  stage.raise("hush");
  stage.render(Seconds{0.2});
  CHECK(stage.entries<noted::Woke>().size() == 1);
}

TEST_CASE("what waits for its delay can be stopped, turned and bent before it is heard") {
  Stage stage(book);
  Playback stopped = stage.raise("later").playback(), turned = stage.raise("later").playback();
  stage.render(Seconds{0.1});
  CHECK(stopped.stop() == Outcome::done);
  CHECK(stopped.ended());
  CHECK(stopped.stop() == Outcome::already_ended);
  CHECK(turned.set_gain(Decibels{-20}) == Outcome::done);
  CHECK(turned.bend(Semitones{12}) == Outcome::done);
  const Take take = stage.render(Seconds{1.5});
  CHECK(stage.entries<noted::Due>().size() == 1);
  CHECK(take.part(0, 0.89).peak() == 0);
  CHECK(take.part(1, 0.3).peak() == Approx(0.5 * std::sqrt(0.5) * std::pow(10.0, -30.0 / 20)).epsilon(0.02));
  CHECK(take.part(1, 0.3).pitch() == Approx(1000).epsilon(0.001));

  stage.raise("later");
  stage.manager->stop_all();
  CHECK(stage.render(Seconds{1.5}).part(0.1, 1.4).peak() == 0);
  CHECK(stage.manager->stats().playbacks == 0);
}

TEST_CASE("a game that gave no sign of life begins a delayed sound late, and whole") {
  Stage stage(book);
  stage.raise("faint-later");
  std::vector<float> block(2 * 48000);
  stage.manager->render(block);
  stage.manager->render(block);
  CHECK(std::all_of(block.begin(), block.end(), [](float s) { return s == 0; }));
  const Take take = stage.render(Seconds{0.6});
  const auto due = stage.entries<noted::Due>();
  REQUIRE(due.size() == 2);
  CHECK(due[1].starts == Frames{2 * 48000 + latency_frames});
  CHECK(take.part(0.45, 0.05).peak() > 0);  // the shot, which lasts for half a second
}

TEST_CASE("hundreds that are due at once are judged in portions, and replay so, however often a game updates in a frame") {
  Stage stage(book, {.voices = 8});
  for (int i = 0; i < 200; ++i) stage.raise("later");
  std::vector<float> block(1600), original;
  for (int frame = 0; frame < 100; ++frame) {
    for (int i = 0; i < 3; ++i) stage.manager->update(Seconds{});
    stage.manager->render(block);
    original.insert(original.end(), block.begin(), block.end());
  }
  stage.manager.reset();
  const auto portions = [](const std::vector<JournalEntry>& entries) {
    std::map<std::int64_t, int> due;
    for (const JournalEntry& entry : entries)
      if (entry.as<noted::Due>() != nullptr) ++due[entry.at.value];
    return due;
  };
  const auto live = portions(stage.journal);
  CHECK(live.size() == 7);  // 32 with each update that counts
  std::string text;
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";
  const JournalScript script = parse_journal(text, "j");
  std::vector<float> again;
  std::vector<JournalEntry> noted_again;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) { noted_again.push_back(entry); };
  {
    SoundManager manager(std::move(options));
    replay(script, *stage.bank, manager,
           [&](std::span<const float> block_of) { again.insert(again.end(), block_of.begin(), block_of.end()); });
  }
  CHECK(portions(noted_again) == live);
  CHECK((again == original));
}
