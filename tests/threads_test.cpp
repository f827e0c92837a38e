#include <sys/syscall.h>
#include <unistd.h>

#include <malloc.h>

#include <array>
#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>
#include <mutex>
#include <optional>
#include <set>
#include <stdexcept>
#include <thread>

#include "audio_thread.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/turn.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

const std::string book = R"(
[groups.effects]
[sounds.step]
group = "effects"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-30 dB .. -20 dB"
spacing = "2 ms"
[sounds.hum]
clips = ["hum.wav"]
loop = true
gain = "-24 dB"
fade-in = "20 ms"
limit = 40
when-full = "quietest"
[sounds.tune]
clips = ["longer.wav"]
stream = true
gain = "-24 dB"
fade-in = "30 ms"
pitch = "-2 st .. 2 st"
[events.tune]
start = "tune"
[events.step]
start = "step"
[events.hum]
start = "hum"
[events.hush]
stop = "hum"
)";

void play_at_random(SoundManager& manager, std::uint64_t seed, const std::atomic<bool>& done) {
  Random random(seed);
  Playback last;
  while (!done) {
    switch (random.below(16)) {
      case 0: last = manager.raise("hum").playback(); break;
      case 1: manager.raise("hush"); break;
      case 2: last.bend(Semitones{random.between(-5, 5)}); break;
      case 3: last.stop(Seconds{random.between(0, 0.1)}); break;
      case 4: manager.set_gain("effects", Decibels{random.between(-20, 0)}); break;
      case 5: manager.set_mute("effects", random.below(2) == 0); break;
      case 7: last.set_pan(Pan{random.between(-1, 1)}); break;
      case 8: last.set_low_pass(Hertz{random.between(200, 8000)}); break;
      case 9: manager.set_high_pass("effects", Hertz{random.below(2) == 0 ? 0 : random.between(20, 400)}); break;
      case 10: last.set_gain(Decibels{random.between(-12, 0)}); break;
      case 11: last = manager.raise("tune").playback(); break;
      case 6: manager.update(Seconds{0.001}); break;
      default: last = manager.raise("step").playback(); break;
    }
    if (random.below(8) == 0) std::this_thread::yield();
  }
}

}  // namespace

TEST_CASE(
    "twenty seconds of four game threads at random, streams and stolen voices among them: render never waits, no click, every voice comes "
    "back",
    "[threads]") {
  Stage stage(book, {.voices = 32}, {}, true);
  std::atomic<bool> done{false};
  std::vector<std::thread> game;
  for (std::uint64_t seed = 1; seed <= 4; ++seed) game.emplace_back([&, seed] { play_at_random(*stage.manager, seed, done); });

  Take take;
  take.samples.resize(2 * 48000 * 20);
  std::thread audio([&] {
    for (std::size_t at = 0; at < take.samples.size(); at += 480)
      render_guarded(*stage.manager, {take.samples.data() + at, std::min<std::size_t>(480, take.samples.size() - at)});
  });
  audio.join();
  done = true;
  for (auto& thread : game) thread.join();

  CHECK(trespasses() == Trespasses{});
  for (const float x : take.samples) REQUIRE(std::isfinite(x));
  // 32 sounding and as many leaving, each at most -20 dB of 0.5 and 1.2 kHz: what the material itself allows.
  CHECK(take.steepest() < 64 * 0.05 * 0.16);
  stage.manager->stop_all();
  stage.render(Seconds{1});
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.manager->stats().fading == 0);
}

TEST_CASE("asking allocates nothing once it has warmed up, whatever comes of it", "[threads]") {
  Stage stage(R"([groups.off]
mute = true
[groups.on]
[sounds.shot]
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
[sounds.muted]
group = "off"
clips = ["n-*.wav"]
[sounds.loop]
clips = ["hum.wav"]
loop = true
gain = "-40 dB"
[sounds.high]
clips = ["hum.wav"]
rank = 9
loop = true
[sounds.again]
clips = ["low.wav"]
rank = 9
retrigger = "restart"
[sounds.once]
clips = ["hum.wav"]
rank = 9
loop = true
retrigger = "ignore"
[sounds.few]
clips = ["low.wav"]
rank = 8
limit = 2
spacing = "1 ms"
[sounds.newest]
clips = ["hum.wav"]
loop = true
limit = 1
when-full = "newest"
[sounds.seldom]
clips = ["low.wav"]
chance = "1 %"
[sounds.by]
clips = { by = "a-trait-with-a-name-that-is-not-short", planks-and-more-than-that-to-be-long = ["n-1.wav"], otherwise = [] }
[sounds.late]
clips = ["n-1.wav"]
start-at = "3 s"
[sounds.tune]
clips = ["longer.wav"]
stream = true
[sounds.layers]
layers = [ { clips = ["hum.wav"], loop = true }, { clips = ["n-1.wav"], chance = "50 %" }, { clips = ["longer.wav"] } ]
[events.shot]
start = "shot"
[events.muted]
start = "muted"
[events.loop]
start = "loop"
[events.high]
start = "high"
[events.again]
start = "again"
[events.once]
start = "once"
[events.few]
start = "few"
[events.newest]
start = "newest"
[events.seldom]
start = "seldom"
[events.by]
start = "by"
[events.late]
start = "late"
[events.tune]
start = "tune"
[events.layers]
start = "layers"
[events.hush]
responses = [
  { stop = "high", for = "all" }, { stop = "loop", for = "all" }, { stop = "newest", for = "all" }, { stop = "once", for = "all" },
  { stop = "tune", for = "all" }, { stop = "layers", for = "all" },
]
[events.more]
responses = [
  { fade = "loop", to = "-9 dB" }, { pause = "high" }, { resume = "high", delay = "50 ms .. 200 ms" }, { level = "on", to = "-3 dB" },
  { unmute = "off", delay = "100 ms" }, { raise = "shot", gain = "-3 dB" }, { raise = "once", delay = "90 ms", chance = "50 %" },
  { call-off = "more", delay = "120 ms", for = "all" }, { start = "shot", when = { a-trait-with-a-name-that-is-not-short = "no" } },
  { pause = "layers", for = "all" }, { resume = "layers", for = "all", delay = "30 ms" },
]
)",
              {.voices = 12}, {}, true);
  stage.folder.write(
      "other.toml",
      "[book]\nname=\"other\"\n[sounds.gone]\nclips=[\"low.wav\"]\n[events.\"a.name.that.is.not.short.at.all\"]\nstart=\"gone\"\n");
  stage.manager->load(compile_book(stage.folder.path("other.toml")));
  stage.manager->unload("other");
  SoundManager& manager = *stage.manager;
  std::set<Outcome> outcomes;
  std::array<Playback, 16> held;
  Random random(4);
  const auto ask = [&] {
    static constexpr std::array events = {"shot",
                                          "muted",
                                          "loop",
                                          "high",
                                          "again",
                                          "once",
                                          "few",
                                          "newest",
                                          "seldom",
                                          "by",
                                          "late",
                                          "tune",
                                          "layers",
                                          "hush",
                                          "more",
                                          "a.name.that.is.not.short.at.all",
                                          "a.name.that.nobody.ever.had.and.is.long"};
    const std::array traits = {Trait{"a-trait-with-a-name-that-is-not-short", random.below(2) == 0
                                                                                  ? "planks-and-more-than-that-to-be-long"
                                                                                  : "a value that no clip has, and is long"}};
    const Raised raised = manager.raise(events[random.below(events.size())], std::span<const Trait>(traits), Emitter{random.below(9)});
    if (outcomes.size() < 64) held[random.below(16)] = raised.playback();
    Playback& one = held[random.below(16)];
    switch (random.below(12)) {
      case 0: one.stop(Seconds{0.01}); break;
      case 1: one.set_gain(Decibels{random.between(-20, 0)}); break;
      case 2: one.bend(Semitones{random.between(-2, 2)}); break;
      case 3: one.set_pan(Pan{std::nan("")}); break;
      case 4: one.set_low_pass(Hertz{2000}); break;
      case 5: manager.set_gain("on", Decibels{random.between(-20, 100)}); break;
      case 6: manager.set_mute("off", random.below(4) != 0); break;
      case 7: manager.set_gain("a group that nobody ever had", Decibels{-3}); break;
      case 8:
        if (random.below(20) == 0) manager.stop_all();
        break;
      default: break;
    }
    return raised.outcome;
  };
  const auto frame = [&](bool watch) {
    const Trespasses before = trespasses();
    std::array<Outcome, 24> found{};
    {
      std::optional<OnAudioThread> watched;
      if (watch) watched.emplace();
      for (auto& outcome : found) outcome = ask();
    }
    const auto allocations = trespasses().allocations - before.allocations;
    forgive(before);  // asking may take its lock
    outcomes.insert(found.begin(), found.end());
    stage.render(Seconds{0.03});
    stage.journal.clear();
    return allocations;
  };
  for (int i = 0; i < 60; ++i) frame(false);
  outcomes.clear();
  for (int i = 0; i < 200; ++i) REQUIRE(frame(true) == 0);
  for (const Outcome outcome : {Outcome::started, Outcome::silent, Outcome::dormant, Outcome::done, Outcome::nothing_to_stop,
                                Outcome::already_playing, Outcome::too_soon, Outcome::limit_reached, Outcome::left_out, Outcome::no_clip,
                                Outcome::past_end, Outcome::pool_full, Outcome::unknown_event, Outcome::bank_not_loaded}) {
    INFO(to_text(outcome));
    CHECK(outcomes.contains(outcome));
  }
}

#ifndef TIDEWATER_SANITIZED
TEST_CASE("memory stays flat: ten minutes of a game that nothing renders, and a million raises in one frame", "[threads]") {
  std::size_t lines = 0;
  const Stage books(book);  // its bank
  SoundManager manager({.voices = 32, .journal = [&](const JournalEntry&) { ++lines; }, .offline = true});
  manager.load(*books.bank);
  Random random(6);
  std::array<Playback, 32> held;
  const auto play = [&](int frames, bool update) {
    for (int i = 0; i < frames; ++i) {
      held[random.below(32)] = manager.raise(i % 3 == 0 ? "hum" : "step").playback();
      Playback& one = held[random.below(32)];
      one.set_gain(Decibels{random.between(-20, 0)});
      one.bend(Semitones{random.between(-3, 3)});
      manager.set_gain("effects", Decibels{random.between(-20, 0)});
      if (random.below(10) == 0) one.stop();
      if (update) manager.update(Seconds{1.0 / 60});
    }
  };
  const auto used = [] { return mallinfo2().uordblks + mallinfo2().hblkhd; };
  play(3000, true);
  const auto before = used();
  play(36000, true);
  CHECK(used() < before + (std::size_t{1} << 20));
  lines = 0;
  for (int i = 0; i < 1'000'000; ++i) manager.raise("step");
  CHECK(manager.raise("step").outcome == Outcome::no_room);
  manager.update({});
  CHECK(lines > 1000);
  manager.update({});
  CHECK(used() < before + (std::size_t{1} << 20));
  std::vector<float> block(4800);
  manager.stop_all();
  for (int i = 0; i < 20; ++i) manager.render(block), manager.update({});
  CHECK(manager.raise("step").outcome == Outcome::started);  // all is as it was
}
#endif

TEST_CASE("a sink may call the manager, and throw: nothing is lost or told twice", "[threads]") {
  const Stage books(book);
  std::vector<std::string> lines;
  SoundManager* its = nullptr;
  int troubles = 0;
  std::vector<float> block(1600);
  {
    SoundManager manager({.voices = 4,
                          .journal =
                              [&](const JournalEntry& entry) {
                                lines.push_back(to_json(entry));
                                const auto* asked = entry.as<noted::Asked>();
                                const bool raised = asked != nullptr && std::holds_alternative<asked::Raise>(asked->request);
                                if (!raised || lines.size() > 60) return;
                                its->raise("hush");
                                its->update({});
                                its->stats();
                                if (++troubles % 3 == 0) throw std::runtime_error("the disk is full");
                              },
                          .offline = true});
    its = &manager;
    manager.load(*books.bank);
    int thrown = 0;
    for (int i = 0; i < 20; ++i) {
      manager.raise("step");
      try {
        manager.update({});
      } catch (const std::runtime_error&) {
        ++thrown;
      }
      manager.render(block);
    }
    CHECK(thrown > 2);
  }
  // Every raise has its line, once, in order.
  std::uint64_t raises = 0;
  for (const auto& line : lines)
    if (line.find("\"request\":\"raise\"") != std::string::npos)
      CHECK(line.find("\"id\":" + std::to_string(++raises) + ",") != std::string::npos);
  CHECK(raises > 25);
  CHECK(lines.back().find("\"end\":true") != std::string::npos);
}

TEST_CASE("a track is turned while the journal looks for names like one that nobody knows", "[threads]") {
  const auto with_gain = [](const char* gain) { return std::string("[tracks.storm]\nclips = [\"hum.wav\"]\ngain = \"") + gain + "\"\n"; };
  Stage stage(with_gain("-6 dB"));
  const ReadBook quieter = parse_book(book_head + with_gain("-20 dB"), stage.folder.path("book.toml"));
  const Read<std::string> design = turned_design(*stage.bank, quieter.book, "storm");
  REQUIRE(design.value);
  std::atomic<bool> done{false};
  std::atomic<int> turns{0};
  std::thread desk([&] {
    while (!done)
      if (stage.manager->turn("stage", "storm", *design.value) == Outcome::done) ++turns;
  });
  for (unsigned i = 0; i < 100 || turns < 3; ++i) {
    std::string name = "storm";  // always another: the words about a name are kept
    name[i % name.size()] = static_cast<char>('A' + i % 26);
    stage.manager->play(name);
    stage.manager->update({});
    std::this_thread::yield();
  }
  done = true;
  desk.join();
  CHECK_THAT(stage.why(), Catch::Matchers::Contains("'storm'"));
}

TEST_CASE("the watch notices an allocation, a lock and a file on the audio thread", "[threads]") {
  std::mutex mutex;
  const Trespasses before = trespasses();
  {
    const OnAudioThread watched;
    mutex.lock();
    mutex.unlock();
    if (std::FILE* file = fopen("/dev/null", "rb")) std::fclose(file);
    operator delete(operator new(16));
  }
  CHECK(trespasses().allocations - before.allocations >= 2);
#ifndef TIDEWATER_SANITIZED
  CHECK(trespasses().waits - before.waits == 2);
#endif
  forgive(before);
}

#ifndef TIDEWATER_SANITIZED
TEST_CASE("with every system call refused the audio thread renders as before", "[threads]") {
  const auto play = [](bool refuse) {
    Stage stage(book, {.voices = 32}, {}, true);
    for (int i = 0; i < 40; ++i) stage.raise(i % 3 == 0 ? "hum" : "step");
    Take take;
    take.samples.resize(48000);
    bool refused = !refuse;
    int asked = 0;
    std::thread audio([&] {
      if (refuse) refused = refuse_system_calls();
      const int before = refused_system_calls();
      for (std::size_t at = 0; at < take.samples.size(); at += 960) render_guarded(*stage.manager, {take.samples.data() + at, 960});
      asked = refused_system_calls() - before;
      if (refuse && refused) syscall(SYS_getppid);
      if (refuse && refused) refused = refused_system_calls() - before - asked == 1;  // the watch sees what there is
    });
    audio.join();
    CHECK(refused);
    CHECK(asked == 0);
    return take.samples;
  };
  CHECK(play(true) == play(false));
}
#endif

TEST_CASE("a flood of requests between two blocks loses nothing and keeps its order", "[threads]") {
  Stage stage(book, {.voices = 32});
  Playback hum = stage.raise("hum").playback();
  for (int i = 0; i < 9000; ++i) hum.set_gain(Decibels{i % 2 == 0 ? -60.0 : 0.0}, Seconds{});
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.part(0.3, 0.2).peak() == Approx(0.5 * 0.7071 * amplitude(Decibels{-24})).epsilon(0.01));
}
