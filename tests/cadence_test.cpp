#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "base/random.hpp"
#include "drive/cadences.hpp"
#include "stage.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/author/walk.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// Seconds on which what a cadence started was to be heard, in order.
std::vector<double> beats(const Stage& stage) {
  std::vector<double> frames;
  for (const auto& start : stage.starts()) frames.push_back(seconds(start.starts, test_rate).value);
  return frames;
}
std::vector<double> apart(const std::vector<double>& times) {
  std::vector<double> lengths;
  for (std::size_t i = 1; i < times.size(); ++i) lengths.push_back(times[i] - times[i - 1]);
  return lengths;
}

const std::string steps =
    "[sounds.step]\nclips=[\"n-*.wav\"]\ncadence=\"500 ms\"\n[events.walk]\nstart=\"step\"\n[events.stand]\nstop=\"step\"\n";

/// Steps that a gauge holds back at 0.
std::string paced_steps(int at_first) {
  return "[gauges.pace]\ndefault=" + std::to_string(at_first) +
         "\n[sounds.step]\nclips=[\"n-*.wav\"]\ncadence=\"500 ms\"\nfollow=[{gauge=\"pace\", cadence=[[0, \"x0\"], [1, \"x1\"]]}]\n"
         "[events.walk]\nstart=\"step\"\n";
}

}  // namespace

TEST_CASE("a cadence starts its sound again and again, to the exact frame, each time with another clip") {
  Stage stage(steps);
  const Raised walk = stage.raise("walk");
  CHECK(walk.outcome == Outcome::started);
  REQUIRE(walk.count == 1);
  const Take take = stage.render(Seconds{20});
  const auto starts = stage.starts();
  REQUIRE(starts.size() == 41);
  for (std::size_t i = 1; i < starts.size(); ++i) {
    CHECK(starts[i].starts.value - starts[i - 1].starts.value == 24000);
    CHECK(starts[i].clip != starts[i - 1].clip);
  }
}

TEST_CASE("a gauge makes a cadence slower and faster, and where it stands still nothing starts") {
  Stage stage(
      "[gauges.pace]\nto=6\n[sounds.step]\nclips=[\"n-*.wav\"]\ncadence=\"400 ms\"\n"
      "follow=[{gauge=\"pace\", cadence=[[0, \"x0\"], [2, \"x1\"], [6, \"x4\"]]}]\n[events.walk]\nstart=\"step\"\n");
  stage.raise("walk");
  stage.render(Seconds{1});
  CHECK(stage.starts().empty());
  stage.manager->set_gauge("pace", 2);
  stage.render(Seconds{2});
  const std::vector<double> walking = apart(beats(stage));
  REQUIRE(walking.size() >= 4);
  for (std::size_t i = 1; i < walking.size(); ++i) CHECK(walking[i] == Approx(0.4).margin(1e-9));  // the gauge is there
  stage.manager->set_gauge("pace", 6);
  stage.render(Seconds{2});
  const std::vector<double> all = apart(beats(stage));
  REQUIRE(all.size() >= walking.size() + 18);
  for (std::size_t i = walking.size() + 3; i < all.size(); ++i) CHECK(all[i] == Approx(0.1).margin(1e-9));
  const std::size_t running = stage.starts().size();
  stage.manager->set_gauge("pace", 0);
  stage.render(Seconds{1});
  CHECK(stage.starts().size() <= running + 1);  // what was on its way
  stage.manager->set_gauge("pace", 2);
  stage.render(Seconds{1});
  CHECK(stage.starts().size() >= running + 2);
}

TEST_CASE("a cadence of random lengths keeps within them, and is drawn anew each time") {
  Stage stage("[sounds.drip]\nclips=[\"n-*.wav\"]\ncadence=\"150 ms .. 450 ms\"\n[events.drip]\nstart=\"drip\"\n");
  stage.raise("drip");
  stage.render(Seconds{60});
  std::vector<double> lengths = apart(beats(stage));
  REQUIRE(lengths.size() > 150);
  std::sort(lengths.begin(), lengths.end());
  CHECK(lengths.front() >= 0.15 - 3e-5);
  CHECK(lengths.back() <= 0.45 + 3e-5);
  CHECK(lengths.front() < 0.17);
  CHECK(lengths.back() > 0.43);
  CHECK(lengths[lengths.size() / 2] == Approx(0.3).margin(0.04));
}

TEST_CASE("what a game does to the playback of a cadence holds for what has started and for what starts") {
  Stage stage("[sounds.wash]\nclips=[\"long.wav\"]\ncadence=\"1 s\"\nfade-out=\"100 ms\"\n[events.wash]\nstart=\"wash\"\n");
  const Raised raised = stage.raise("wash");
  const double loud = stage.render(Seconds{3}).rms();
  raised.playback().set_gain(Decibels{-12});
  stage.render(Seconds{2.5});
  const double soft = stage.render(Seconds{3}).rms();
  CHECK(decibels(soft / loud).value < -8);
  CHECK(stage.manager->stats().voices >= 2);
  CHECK_FALSE(raised.playback().ended());
  raised.playback().stop(Seconds{0.1});
  stage.render(Seconds{0.2});
  CHECK(stage.render(Seconds{2}).peak() == 0);
  CHECK(stage.manager->stats().playbacks == 0);
}

TEST_CASE("a cadence begins after its response's delay, each of its beats after its own; a bend and a silence hold for those to come") {
  Stage stage(
      "[sounds.beat]\nclips=[\"tone.wav\"]\ncadence=\"1 s\"\ndelay=\"100 ms\"\n[events.beat]\nresponses=[{start=\"beat\", delay=\"300 "
      "ms\"}]\n");
  Raised raised = stage.raise("beat");
  const Take take = stage.render(Seconds{3});
  CHECK(take.onset() == Approx(0.4 + latency_frames / test_rate.value).margin(0.002));
  const std::vector<double> times = beats(stage);
  REQUIRE(times.size() == 3);
  CHECK(times[2] - times[0] == Approx(2).margin(1e-9));
  Playback playback = raised.playback();
  playback.bend(Semitones{12});
  CHECK(take.part(0.45, 0.2).pitch() == Approx(1000).epsilon(0.002));
  stage.render(Seconds{0.45});
  CHECK(stage.render(Seconds{0.1}).pitch() == Approx(2000).epsilon(0.002));
  playback.set_gain(silence);
  stage.render(Seconds{1});
  CHECK(stage.render(Seconds{2}).peak() == 0);
  CHECK(stage.manager->stats().voices == 0);
}

TEST_CASE("a cadence stops with its sound, with all, with its bank and with its emitter; no step comes after") {
  const auto after = [](const std::function<void(Stage&, Emitter)>& stop) {
    Stage stage(
        "[sounds.step]\nclips=[\"n-*.wav\"]\nplace=\"world\"\ncadence=\"200 ms\"\n[events.walk]\nstart=\"step\"\n"
        "[events.stand]\nstop=\"step\"\n");
    stage.manager->set_listener(0, {});
    const Emitter walker = stage.manager->make_emitter({.place = {2, 0, 0}});
    stage.manager->raise("walk", {}, walker);
    stage.render(Seconds{1.05});
    CHECK(stage.starts().size() >= 5);
    stop(stage, walker);
    stage.render(Seconds{0.3});
    const double peak = stage.render(Seconds{2}).peak();
    stage.manager->update({});
    CHECK(stage.manager->stats().playbacks == 0);
    return peak;
  };
  CHECK(after([](Stage& stage, Emitter) { stage.raise("stand"); }) == 0);
  CHECK(after([](Stage& stage, Emitter) { stage.manager->stop_all({}); }) == 0);
  CHECK(after([](Stage& stage, Emitter) { stage.manager->unload("stage"); }) == 0);
  CHECK(after([](Stage& stage, Emitter walker) { stage.manager->remove_emitter(walker); }) == 0);
}

TEST_CASE("steps come from where a walker is, are out of hearing without a voice, and keep their rhythm meanwhile") {
  Stage stage("[sounds.step]\nclips=[\"n-*.wav\"]\nplace=\"world\"\nfar=\"20 m\"\ncadence=\"500 ms\"\n[events.walk]\nstart=\"step\"\n");
  stage.manager->set_listener(0, {});
  const Emitter walker = stage.manager->make_emitter({.place = {-3, 0, 0}});
  const Raised walk = stage.manager->raise("walk", {}, walker);
  const Take left = stage.render(Seconds{2.1});
  CHECK(left.rms(0) > 3 * left.rms(1));
  stage.manager->place(walker, {3, 0, 0});
  stage.render(Seconds{0.4});
  const Take right = stage.render(Seconds{2});
  CHECK(right.rms(1) > 3 * right.rms(0));
  const std::size_t near = stage.starts().size();
  stage.manager->place(walker, {300, 0, 0});
  stage.render(Seconds{10.2});
  CHECK(stage.starts().size() <= near + 1);
  CHECK_FALSE(walk.playback().ended());
  stage.manager->place(walker, {3, 0, 0});
  stage.render(Seconds{2.4});
  const std::vector<double> times = beats(stage);
  REQUIRE(times.size() >= near + 4);
  for (const double time : times) CHECK(std::abs(std::remainder(time - times.front(), 0.5)) < 1e-4);
}

TEST_CASE("a raise far away begins a cadence that is heard as the walker comes") {
  Stage stage("[sounds.step]\nclips=[\"n-*.wav\"]\nplace=\"world\"\nfar=\"20 m\"\ncadence=\"300 ms\"\n[events.walk]\nstart=\"step\"\n");
  stage.manager->set_listener(0, {});
  const Emitter walker = stage.manager->make_emitter({.place = {90, 0, 0}});
  CHECK(stage.manager->raise("walk", {}, walker).outcome == Outcome::silent);
  stage.manager->update({});
  CHECK_THAT(stage.why(), Contains("it is 90 m away, and far is 20 m"));
  stage.render(Seconds{1});
  CHECK(stage.starts().empty());
  stage.manager->place(walker, {1, 0, 0});
  stage.render(Seconds{1});
  CHECK(stage.starts().size() >= 3);
}

TEST_CASE("a walker who is asked to walk again walks on, over the new floor") {
  Stage stage(
      "[sounds.step]\nclips={by=\"surface\", steel=[\"n-1.wav\"], planks=[\"n-2.wav\"], otherwise=[\"n-3.wav\"]}\ncadence=\"250 ms\"\n"
      "retrigger=\"ignore\"\nlimit-for=\"each-emitter\"\n[events.walk]\nstart=\"step\"\n");
  const auto clip_after = [&](const char* surface, Emitter walker) {
    const Outcome outcome = stage.manager->raise("walk", {{"surface", surface}}, walker).outcome;
    stage.render(Seconds{1});
    return std::pair(outcome, stage.starts().back().clip);
  };
  CHECK(clip_after("steel", {1}) == std::pair(Outcome::started, std::string("n-1.wav")));
  CHECK(clip_after("planks", {1}) == std::pair(Outcome::went_on, std::string("n-2.wav")));
  CHECK(clip_after("mud", {1}) == std::pair(Outcome::went_on, std::string("n-3.wav")));
  CHECK(clip_after("mud", {1}) == std::pair(Outcome::already_playing, std::string("n-3.wav")));
  std::vector<std::string> why;
  for (const auto& decision : stage.entries<noted::Decision>())
    if (decision.outcome == Outcome::went_on) why.push_back(decision.why);
  CHECK(why == std::vector<std::string>{"'step' plays on, with surface=planks from its next start on",
                                        "'step' plays on, with surface=mud from its next start on"});
  Report report(test_rate);
  for (const auto& entry : stage.journal) report.take(entry);
  CHECK_THAT(report.text(), Contains("started    " + std::to_string(stage.manager->stats().started) + " sounds\n"));
  const std::size_t alone = stage.starts().size();
  CHECK(clip_after("steel", {2}).first == Outcome::started);
  CHECK(stage.starts().size() >= alone + 7);  // both walk
}

TEST_CASE("a limit counts the steps that are heard, and not those who walk") {
  Stage stage("[sounds.step]\nclips=[\"long.wav\"]\ncadence=\"1 s\"\nlimit=3\nwhen-full=\"newest\"\n[events.walk]\nstart=\"step\"\n");
  for (int i = 0; i < 10; ++i) CHECK(stage.raise("walk").outcome == Outcome::started);
  stage.render(Seconds{0.9});
  CHECK(stage.manager->stats().voices == 3);
  CHECK(stage.manager->stats().playbacks == 13);
  CHECK_THAT(stage.why(), Contains("3 of 'step' play already, which is its limit"));
}

TEST_CASE("a cadence that cannot be is told with what to do") {
  const auto problem = [](const std::string& sound) {
    try {
      Stage stage("[gauges.pace]\n[sounds.step]\n" + sound + "[events.walk]\nstart=\"step\"\n");
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  const std::string clips = "clips=[\"hum.wav\"]\n";
  CHECK_THAT(problem(clips + "cadence=\"0 s\"\n"), Contains("a cadence is 0.01 s or more from one start to the next"));
  CHECK_THAT(problem(clips + "cadence=\"1 s\"\nloop=true\n"), Contains("what loops never ends; keep one of the two"));
  CHECK_THAT(problem(clips + "follow=[{gauge=\"pace\", cadence=[[0, \"x0\"], [1, \"x1\"]]}]\n"), Contains("add cadence = \"500 ms\""));
  CHECK_THAT(problem(clips + "cadence=\"1 s\"\nfollow=[{gauge=\"pace\", cadence=[[0, \"fast\"], [1, \"x99\"]]}]\n"),
             Contains("'fast' is not how many times as often"));
  CHECK_THAT(problem(clips + "cadence=\"1 s\"\nfollow=[{gauge=\"pace\", cadence=[[0, \"x1\"], [1, \"x99\"]]}]\n"),
             Contains("from \"x0\" for not at all to \"x16\""));
  CHECK_THAT(problem("cadence=\"1 s\"\nlayers=[{clips=[\"hum.wav\"], follow=[{gauge=\"pace\", cadence=[[0, \"x0\"], [1, \"x1\"]]}]}]\n"),
             Contains("a cadence is of the whole sound"));
}

TEST_CASE("a rhythm is exact over an hour, in updates of any length") {
  Random random(11);
  for (const double seconds_apart : {0.5, 0.3371, 1.0 / 7}) {
    constexpr Hertz rate{44100};
    Cadence cadence;
    std::vector<std::int64_t> frames;
    for (std::int64_t now = 0; now < 44100LL * 3600; now += 1 + random.below(1600)) {
      CHECK(Cadences::go_on(cadence, {now}, 1, {seconds_apart}, rate) == 0);
      while (const auto frame = Cadences::next(cadence, {now + 2205}, 1, rate)) {
        frames.push_back(frame->value);
        Cadences::started(cadence, *frame, {seconds_apart}, 1, rate);
      }
    }
    REQUIRE(frames.size() > 7000);
    std::int64_t most_off = 0;
    for (std::size_t i = 0; i < frames.size(); ++i)
      most_off = std::max<std::int64_t>(most_off, std::abs(frames[i] - std::llround(static_cast<double>(i) * seconds_apart * rate.value)));
    CHECK(most_off <= 1);
  }
}

TEST_CASE("the first step is heard with the raise, whenever the next update comes") {
  Stage stage(steps);
  stage.raise("walk");
  std::vector<float> block(2 * 4800);
  stage.manager->render(block);
  float peak = 0;
  for (const float sample : block) peak = std::max(peak, std::abs(sample));
  CHECK(peak > 0.01F);
}

TEST_CASE("frames of the game that come a quarter of a second late delay no step") {
  for (const int hitch : {150, 200, 240}) {
    Stage stage(steps);
    stage.raise("walk");
    stage.render(Seconds{1.8});
    for (int i = 0; i < 5; ++i) {
      std::vector<float> block(static_cast<std::size_t>(2 * 48 * hitch));
      stage.manager->render(block);
      stage.manager->update(Seconds{hitch / 1000.0});
      stage.render(Seconds{0.3});
    }
    for (const double length : apart(beats(stage))) CHECK(length == Approx(0.5).margin(1e-4));
    CHECK(stage.entries<noted::Notice>().empty());
  }
}

TEST_CASE("steps that a longer hitch leaves out are told, and the rhythm goes on where it would have been") {
  Stage stage(steps);
  stage.raise("walk");
  stage.render(Seconds{1.8});
  std::vector<float> block(std::size_t{2} * 48 * 1400);
  stage.manager->render(block);
  stage.render(Seconds{2});
  const auto notices = stage.entries<noted::Notice>();
  REQUIRE(notices.size() == 1);
  CHECK_THAT(notices[0].why, Contains("an update came 1.40 s after the one before, so 2 steps were left out, first of 'step'"));
  for (const double time : beats(stage)) CHECK(std::abs(std::remainder(time - beats(stage)[0], 0.5)) < 1e-4);
}

TEST_CASE("a stop, and a gauge that holds steps back, take back what is not heard yet") {
  for (const bool by_gauge : {true, false}) {
    Stage stage(paced_steps(1));
    Raised raised = stage.raise("walk");
    stage.render(Seconds{0.9});  // the next step comes in a tenth of a second, and is decided
    if (by_gauge)
      stage.manager->set_gauge("pace", 0);
    else
      raised.playback().stop();
    stage.render(Seconds{0.05});
    CHECK(stage.render(Seconds{1}).peak() < 1e-5);
    if (!by_gauge) continue;
    const auto fading = stage.entries<noted::Fading>();
    REQUIRE(!fading.empty());
    CHECK_THAT(fading.back().why, Contains("gauge 'pace' at 0 holds its steps back"));
    stage.manager->set_gauge("pace", 1);
    CHECK(stage.render(Seconds{1}).peak() > 0.01);
  }
}

TEST_CASE("a rhythm that a gauge holds back from the beginning is unheard, and says which gauge does it") {
  Stage stage(paced_steps(0));
  CHECK(stage.raise("walk").outcome == Outcome::silent);
  stage.render(Seconds{0.1});
  CHECK(stage.entries<noted::Decision>().back().why ==
        "gauge 'pace' at 0 holds its steps back: 'step' is heard when the gauge lets them come");
}

TEST_CASE("after a frame that took seconds a rhythm goes on with no burst, and keeps its beat") {
  Stage stage(steps);
  stage.raise("walk");
  stage.render(Seconds{1.8});
  std::vector<float> block(2 * 1600);
  for (int i = 0; i < 90; ++i) stage.manager->render(block);  // three seconds without an update
  const double late = seconds(stage.manager->clock(), test_rate).value;
  stage.render(Seconds{2});
  std::size_t at_once = 0;
  for (const double time : beats(stage)) at_once += time > late - 0.1 && time < late + 0.2 ? 1 : 0;
  CHECK(at_once <= 1);
  const std::vector<double> lengths = apart(beats(stage));
  CHECK(lengths.back() == Approx(0.5).margin(1e-9));
  for (const double length : lengths) CHECK(length > 0.24);
}

TEST_CASE("of a crowd that walks the nearest are heard, each at a rhythm of its own") {
  Stage stage(
      "[gauges.pace]\nto=4\n[sounds.step]\nclips=[\"n-*.wav\"]\nplace=\"world\"\nfar=\"40 m\"\ncadence=\"400 ms\"\n"
      "follow=[{gauge=\"pace\", cadence=[[0, \"x0\"], [1, \"x1\"], [4, \"x4\"]]}]\n[events.walk]\nstart=\"step\"\n",
      {.voices = 16});
  stage.manager->set_listener(0, {});
  Random random(4);
  std::vector<Emitter> walkers;
  std::vector<float> paces;
  std::map<std::uint64_t, std::pair<double, double>> who;  // by raise: metres, pace
  for (int i = 0; i < 300; ++i) {
    const double metres = 3 + i * 0.5, angle = random.between(0, 6.28);
    walkers.push_back(stage.manager->make_emitter({.place = {metres * std::cos(angle), 0, metres * std::sin(angle)}}));
    paces.push_back(static_cast<float>(random.between(0.5, 2)));
    who[static_cast<std::uint64_t>(i) + 1] = {metres, static_cast<double>(paces.back())};
  }
  stage.manager->set_gauge("pace", walkers, paces);
  for (const Emitter walker : walkers) CHECK(plays(stage.manager->raise("walk", {}, walker).outcome));
  stage.render(Seconds{10});
  std::map<std::uint64_t, std::vector<double>> heard;
  for (const auto& entry : stage.journal)
    if (const auto* decision = entry.as<noted::Decision>(); decision != nullptr && decision->start)
      heard[decision->playback.raise].push_back(seconds(decision->start->starts, test_rate).value);
  // The nearest walk at their pace; who is beyond far is never heard.
  for (std::uint64_t raise = 1; raise <= 5; ++raise) {
    const std::vector<double> lengths = apart(heard[raise]);
    REQUIRE(lengths.size() > 8);
    for (std::size_t i = 1; i < lengths.size(); ++i) CHECK(lengths[i] == Approx(0.4 / who[raise].second).epsilon(0.001));
  }
  for (const auto& [raise, times] : heard) CHECK(who[raise].first < 40);
  CHECK(stage.manager->stats().most_voices <= 16);
  for (const Emitter walker : walkers) stage.manager->remove_emitter(walker);
  stage.render(Seconds{1});
  stage.manager->update({});
  CHECK(stage.manager->stats().playbacks == 0);
}

TEST_CASE("a cadence goes on when its bank is replaced, and ends when that is unloaded") {
  Stage stage(steps);
  const Raised walk = stage.raise("walk");
  stage.render(Seconds{1.2});
  stage.folder.write("book.toml", book_head + "[sounds.step]\nclips=[\"tone.wav\"]\ncadence=\"200 ms\"\n[events.walk]\nstart=\"step\"\n");
  const Bank version = compile_book(stage.folder.path("book.toml"));
  stage.manager->reload(version);
  const std::size_t before = stage.starts().size();
  stage.render(Seconds{1});
  REQUIRE(stage.starts().size() == before + 2);  // as its own book said
  CHECK(stage.starts().back().clip != "tone.wav");
  CHECK_FALSE(walk.playback().ended());
  stage.raise("walk");
  stage.render(Seconds{1});
  CHECK(stage.starts().back().clip == "tone.wav");
  CHECK(stage.manager->unload("stage", WhatPlays::finishes));
  stage.render(Seconds{2});
  stage.manager->update({});
  CHECK(stage.manager->stats().playbacks == 0);
}

TEST_CASE("what a cadence started has a name in the journal, and a playtest stops by its handle though the book is another") {
  std::string journal;
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + steps);
  const Bank bank = compile_book(folder.path("book.toml"));
  folder.write("other.toml", book_head + "[sounds.step]\nclips=[\"n-*.wav\"]\ncadence=\"130 ms\"\n[events.walk]\nstart=\"step\"\n");
  const Bank other = compile_book(folder.path("other.toml"));
  {
    SoundManager manager({.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; }, .offline = true});
    manager.load(bank);
    Playback walk = manager.raise("walk").playback();
    std::vector<float> block(1600);
    for (int frame = 0; frame < 180; ++frame) {
      if (frame == 120) walk.stop();
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
    }
  }
  CHECK_THAT(journal, Contains("\"playback\":\"1.1\"") && Contains("\"playback\":\"1.1.1\"") && Contains("\"playback\":\"1.1.4\""));
  const JournalScript script = parse_journal(journal, "j");
  for (const Bank* its : {&bank, &other}) {
    SoundManager manager(options_of(script));
    Take take;
    replay(script, *its, manager, [&](std::span<const float> block) { take.append(block); });
    CHECK(take.part(0.1, 1.5).peak() > 0.1);
    CHECK(take.part(2.2, 0.7).peak() == 0);
  }
  const auto raise = std::string("{\"at\": 0, \"request\": \"raise\", \"event\": \"walk\"}\n");
  const auto stop = [&](const std::string& name) {
    return parse_journal(
        raise + "{\"at\": \"0.55 s\", \"request\": \"stop\", \"playback\": \"" + name + "\"}\n{\"at\": \"0.9 s\", \"end\": true}\n", "h");
  };
  CHECK_THROWS_WITH(stop("1.1.0"), Contains("names no playback"));
  CHECK_THROWS_WITH(stop("1.1.2.3"), Contains("names no playback"));
  const auto heard_after = [&](const std::string& name) {
    const JournalScript by_hand = stop(name);
    SoundManager manager(options_of(by_hand));
    Take take;
    replay(by_hand, bank, manager, [&](std::span<const float> block) { take.append(block); });
    return take.part(0.57, 0.03).peak();
  };
  CHECK(heard_after("1.1.1") > 0.1);   // is over already
  CHECK(heard_after("1.1.2") < 0.01);  // the second step is what sounds then
}

TEST_CASE("on a walk past it a cadence is asleep out of earshot alone, and waits between its beats") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + "[sounds.step]\nclips=[\"n-*.wav\"]\ncadence=\"900 ms\"\nplace=\"world\"\nfar=\"30 m\"\n");
  const WalkPast walk = walk_past(read_book(folder.path("book.toml")).book, "step", {}, [](auto) {});
  int quiet = 0;
  for (const WalkStep& step : walk.steps) {
    INFO(step.distance.value << " m");
    if (step.distance.value < 29) CHECK(step.heard);
    if (step.distance.value > 31) CHECK_FALSE(step.heard);
    if (step.distance.value < 10 && step.levels[0].value < -100) ++quiet;
  }
  CHECK(quiet > 10);  // there were times between beats
}
