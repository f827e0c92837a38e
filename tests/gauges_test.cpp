#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/random.hpp"
#include "journal/kept_file.hpp"
#include "stage.hpp"
#include "terms/bend_curve.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A loop of 500 Hz at a peak of 0.5 that follows something.
std::string follows(const std::string& follow, const std::string& more = "", const std::string& clip = "hum.wav") {
  return "[gauges.throttle]\nsmoothing=\"50 ms\"\n[gauges.wind]\nfrom=-2\nto=8\ndefault=3\n[sounds.a]\nclips=[\"" + clip +
         "\"]\nloop=true\nfollow=[" + follow + "]\n" + more + "\n[events.a]\nstart=\"a\"\n";
}

const std::string in_world = "place=\"world\"\nair=\"0 %\"\nradius=\"0 m\"\nnear=\"20 m\"\n";
const std::string bends_all =
    "{gauge=\"throttle\", gain=[[0, \"-20 dB\"], [0.5, \"-6 dB\"], [1, \"0 dB\"]], pitch=[[0, \"-5 st\"], [1, \"7 st\"]]}";

double decibels_of(const Take& take) { return 10 * std::log10((std::pow(take.rms(0), 2) + std::pow(take.rms(1), 2)) / 0.125); }
double semitones_of(const Take& take) { return 12 * std::log2(take.pitch() / 500); }
/// As it is when all has settled.
Take settled(Stage& stage) { return stage.render(Seconds{0.7}).part(0.4, 0.3); }

}  // namespace

TEST_CASE("level and pitch go by a gauge along the points of their curves, of each emitter by its own") {
  for (const std::string& more : {std::string(), in_world}) {
    INFO(more);
    Stage stage(follows(bends_all, more));
    stage.manager->set_listener(0, {});
    const Emitter boat = stage.manager->make_emitter({.place = {0, 0, -1}});
    stage.manager->raise("a", {}, boat);
    const std::vector<std::array<double, 3>> points = {{0, -20, -5}, {0.25, -13, -2}, {0.5, -6, 1}, {0.75, -3, 4}, {1, 0, 7}};
    for (const auto& [throttle, level, pitch] : points) {
      CHECK(stage.manager->set_gauge("throttle", boat, static_cast<float>(throttle)));
      const Take take = settled(stage);
      CHECK(decibels_of(take) == Approx(level).margin(0.1));
      CHECK(semitones_of(take) == Approx(pitch).margin(0.03));
    }
    // Another that says nothing goes by what holds for all, and what hangs on the boat by the boat's.
    CHECK(stage.manager->set_gauge("throttle", 0.5) == Outcome::done);
    CHECK(semitones_of(settled(stage)) == Approx(7).margin(0.03));
    stage.manager->stop_all();
    stage.render(Seconds{0.1});
    stage.manager->raise("a", {}, stage.manager->make_emitter({.place = {0, 0, -1}}));
    CHECK(semitones_of(settled(stage)) == Approx(1).margin(0.03));
    stage.manager->stop_all();
    stage.render(Seconds{0.1});
    stage.manager->raise("a", {}, stage.manager->make_emitter({.parent = boat}));
    CHECK(semitones_of(settled(stage)) == Approx(7).margin(0.03));
  }
}

TEST_CASE("between points a curve is straight, smooth without leaving them, or a step") {
  const std::string points = "pitch=[[-2, \"0 st\"], [2, \"1 st\"], [6, \"9 st\"], [8, \"9 st\"]]";
  struct Way {
    std::string between;
    std::vector<std::pair<double, double>> expected;
  };
  const std::vector<Way> ways = {{"linear", {{-2, 0}, {0, 0.5}, {4, 5}, {7, 9}}},
                                 {"step", {{-2, 0}, {1.9, 0}, {2, 1}, {5.9, 1}, {6, 9}}},
                                 {"smooth", {{-2, 0}, {2, 1}, {6, 9}, {7, 9}, {8, 9}}}};
  for (const Way& way : ways) {
    INFO(way.between);
    Stage stage(follows("{gauge=\"wind\", between=\"" + way.between + "\", " + points + "}"));
    stage.manager->raise("a");
    for (const auto& [wind, pitch] : way.expected) {
      stage.manager->set_gauge("wind", wind);
      CHECK(semitones_of(settled(stage)) == Approx(pitch).margin(0.03));
    }
  }
  // Of the smooth one each step up the gauge is a step up, and there is no corner.
  const BendCurve curve({Bends::pitch, {{-2, 0}, {2, 1}, {6, 9}, {8, 9}}}, Between::smooth);
  double before = -1, slope_before = 0;
  for (double at = -2; at <= 8; at += 0.01) {
    const double value = curve.at(at), slope = value - curve.at(at - 0.01);
    CHECK(value >= before - 1e-12);
    CHECK((value > -1e-9 && value < 9 + 1e-9));
    CHECK(std::abs(slope - slope_before) < 0.0005);
    before = value, slope_before = slope;
  }
}

TEST_CASE("filters go by gauges, in octaves, the lowest low-pass and the highest high-pass of all") {
  const std::string follow =
      "{gauge=\"wind\", low-pass=[[-2, \"125 Hz\"], [8, \"none\"]], high-pass=[[-2, \"none\"], [8, \"none\"]]}, "
      "{gauge=\"throttle\", high-pass=[[0, \"none\"], [1, \"2 kHz\"]]}";
  for (const std::string& more : {std::string(), in_world}) {
    Stage stage(follows(follow, more));
    stage.manager->set_listener(0, {});
    stage.manager->set_gauge("wind", 8);
    stage.manager->raise("a", {}, stage.manager->make_emitter({.place = {0, 0, -1}}));
    const double open = decibels_of(settled(stage));
    CHECK(open == Approx(0).margin(0.1));
    stage.manager->set_gauge("wind", -2);  // two octaves below the tone, 12 dB each
    CHECK(decibels_of(settled(stage)) - open == Approx(-24).margin(1));
    stage.manager->set_gauge("wind", 8);
    stage.manager->set_gauge("throttle", 1);  // two above
    CHECK(decibels_of(settled(stage)) - open == Approx(-24).margin(1));
    stage.manager->set_gauge("throttle", 0);
    CHECK(decibels_of(settled(stage)) - open == Approx(0).margin(0.1));
  }
}

TEST_CASE("distance, angle, speed and height need no word of the game's") {
  struct Ready {
    std::string follow;
    Place place;
    Vector velocity;
    double level;
  };
  const std::vector<Ready> all = {
      {"{gauge=\"distance\", gain=[[\"0 m\", \"0 dB\"], [\"16 m\", \"-16 dB\"]]}", {0, 0, -4}, {}, -4},
      {"{gauge=\"angle\", gain=[[\"0 deg\", \"0 dB\"], [\"180 deg\", \"-18 dB\"]]}", {0, 0, -4}, {}, 0},
      {"{gauge=\"angle\", gain=[[\"0 deg\", \"0 dB\"], [\"180 deg\", \"-18 dB\"]]}", {4, 0, 0}, {}, -9},
      {"{gauge=\"angle\", gain=[[\"0 deg\", \"0 dB\"], [\"180 deg\", \"-18 dB\"]]}", {0, 0, 4}, {}, -18},
      {"{gauge=\"speed\", gain=[[\"0 m/s\", \"-20 dB\"], [\"10 m/s\", \"0 dB\"]]}", {0, 0, -4}, {3, 0, 4}, -10},
      {"{gauge=\"height\", gain=[[\"-10 m\", \"-20 dB\"], [\"10 m\", \"0 dB\"]]}", {0, -5, 0}, {}, -15},
  };
  for (const Ready& its : all) {
    INFO(its.follow);
    Stage stage(follows(its.follow, in_world + "doppler=\"0 %\"\n"));
    stage.manager->set_listener(0, {});
    stage.manager->raise("a", {}, stage.manager->make_emitter({.place = its.place, .velocity = its.velocity}));
    CHECK(decibels_of(settled(stage)) == Approx(its.level).margin(0.1));
  }
  // Of the pitch, and of a layer, too; and on the screen by the listener.
  Stage stage(follows("{gauge=\"height\", pitch=[[\"0 m\", \"0 st\"], [\"100 m\", \"12 st\"]]}"));
  stage.manager->raise("a");
  CHECK(semitones_of(settled(stage)) == Approx(0).margin(0.03));
  stage.manager->set_listener(0, {.place = {0, 50, 0}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
  CHECK(semitones_of(settled(stage)) == Approx(6).margin(0.03));
  Stage world(follows("{gauge=\"distance\", pitch=[[\"0 m\", \"0 st\"], [\"10 m\", \"10 st\"]]}", in_world));
  world.manager->set_listener(0, {});
  world.manager->raise("a", {}, world.manager->make_emitter({.place = {0, 0, -4}}));
  CHECK(semitones_of(settled(world)) == Approx(4).margin(0.03));
}

TEST_CASE("layers give way to one another as a gauge goes") {
  const std::string book =
      "[gauges.throttle]\n[sounds.a]\nplace=\"world\"\nnear=\"9 m\"\nlayers=["
      "{clips=[\"hum.wav\"], loop=true, follow=[{gauge=\"throttle\", gain=[[0, \"0 dB\"], [1, \"silent\"]]}]},"
      "{clips=[\"octave.wav\"], loop=true, follow=[{gauge=\"throttle\", gain=[[0, \"silent\"], [1, \"0 dB\"]]}]}]\n"
      "[events.a]\nstart=\"a\"\n";
  Stage stage(book, {}, [](const Folder& folder) { folder.write_clip("clips/octave.wav", sine(1000, 0.2, 1, 0.5)); });
  stage.manager->set_listener(0, {});
  const Emitter boat = stage.manager->make_emitter({.place = {0, 0, -1}});
  stage.manager->set_gauge("throttle", boat, 0);
  stage.manager->raise("a", {}, boat);
  CHECK(settled(stage).pitch() == Approx(500).epsilon(0.001));
  stage.manager->set_gauge("throttle", boat, 1);
  const Take take = settled(stage);
  CHECK(take.pitch() == Approx(1000).epsilon(0.001));
  CHECK(decibels_of(take) == Approx(0).margin(0.1));
  CHECK(stage.manager->stats().dormant == 1);       // what is silent takes no voice
  stage.manager->set_gauge("throttle", boat, 0.5);  // half the amplitude of each
  CHECK(settled(stage).rms() == Approx(0.5 * 0.5 / std::numbers::sqrt2).epsilon(0.02));
}

TEST_CASE("what is raised begins where its gauges are, also those that were set in the same frame") {
  for (const std::string& more : {std::string(), in_world}) {
    Stage stage(follows(bends_all, more));
    stage.manager->set_listener(0, {});
    stage.render(Seconds{0.1});
    const Emitter boat = stage.manager->make_emitter({.place = {0, 0, -1}});
    stage.manager->set_gauge("throttle", boat, 1);
    stage.manager->raise("a", {}, boat);
    const Take take = stage.render(Seconds{0.2});
    CHECK(semitones_of(take.part(0.01, 0.05)) == Approx(7).margin(0.05));
    CHECK(decibels_of(take.part(0.01, 0.05)) == Approx(0).margin(0.15));
    CHECK(semitones_of(take.part(0.1, 0.1)) == Approx(7).margin(0.03));
    // A pitch of the game's own is on top of it, and so is a fade.
    const auto asked = stage.entries<noted::Asked>();
    const auto* raise = std::get_if<asked::Raise>(&asked.back().request);
    REQUIRE(raise != nullptr);
    REQUIRE(raise->gauges.size() == 1);
    CHECK(raise->gauges[0].gauge.text() == "throttle");
    CHECK(raise->gauges[0].value == 1);
  }
}

TEST_CASE("what a game does to a playback is on top of what gauges do, and a long fade goes its way while they move") {
  Stage stage(follows(bends_all));
  Playback playback = stage.manager->raise("a").playback();
  stage.manager->set_gauge("throttle", 0.5);
  playback.bend(Semitones{-1});
  CHECK(semitones_of(settled(stage)) == Approx(0).margin(0.03));
  playback.set_gain(Decibels{-60}, Seconds{2});
  std::vector<double> levels;
  for (int i = 0; i < 20; ++i) {
    stage.manager->set_gauge("throttle", i % 2 == 0 ? 0.5 : 0.51);
    levels.push_back(stage.render(Seconds{0.1}).rms());
  }
  for (std::size_t i = 1; i < levels.size(); ++i) CHECK(levels[i] < levels[i - 1]);
  CHECK(levels[9] > 0.3 * levels[0]);
  CHECK(levels[19] < 0.05 * levels[0]);
}

TEST_CASE("a gauge that jumps is smoothed over its time, and nothing clicks, though it go to and fro") {
  for (const std::string& more : {std::string(), in_world}) {
    INFO(more);
    Stage stage(follows(bends_all, more));
    stage.manager->set_listener(0, {});
    const Emitter boat = stage.manager->make_emitter({.place = {0, 0, -1}});
    const auto set = [&](double value) { stage.manager->set_gauge("throttle", boat, static_cast<float>(value)); };
    set(0);
    stage.manager->raise("a", {}, boat);
    Take take = stage.render(Seconds{0.5});
    set(1);
    const Take jump = stage.render(Seconds{0.5});
    CHECK(decibels_of(jump.part(0.01, 0.01)) < -10);
    CHECK(decibels_of(jump.part(0.1, 0.02)) > -2);
    take.append(jump.samples);
    for (int i = 0; i < 60; ++i) {
      set(i % 2);
      if (i % 3 == 0) stage.manager->set_gauge("throttle", i % 5 * 0.2);
      take.append(stage.render(Seconds{1.0 / 60}).samples);
    }
    std::vector<float> left;
    for (std::size_t i = 12000; i < take.frames(); ++i) left.push_back(take.left(i));
    CHECK(clicks(left) < -66);
  }
}

TEST_CASE("of many engines those are heard whose throttles make them the loudest, of their own or of all") {
  constexpr std::uint32_t voices = 6;
  constexpr int engines = 60;
  Random random(5);
  int different = 0;
  for (int world = 0; world < times(10, 3); ++world) {
    const std::string kinds = "[sounds.b]\nclips=[\"hum.wav\"]\nloop=true\n" + in_world +
                              "follow=[{gauge=\"wind\", gain=[[-2, \"-40 dB\"], [8, \"3 dB\"]]}]\n[events.b]\nstart=\"b\"\n";
    Stage stage(follows("{gauge=\"throttle\", gain=[[0, \"-40 dB\"], [1, \"0 dB\"]]}", in_world) + kinds, {.voices = voices});
    stage.manager->set_listener(0, {});
    struct Engine {
      Emitter emitter;
      double throttle = 0;
      bool windy = false;
      PlaybackId id;
    };
    std::vector<Engine> all(engines);
    for (Engine& engine : all) {
      engine.emitter = stage.manager->make_emitter({.place = {random.between(-5, 5), 0, random.between(-5, 5)}});
      engine.windy = random.below(4) == 0;
      engine.id = stage.manager->raise(engine.windy ? "b" : "a", {}, engine.emitter).playback().id();
    }
    double wind = 3;
    for (int step = 0; step < 30; ++step) {
      std::vector<Emitter> told;
      std::vector<float> values;
      for (Engine& engine : all)
        if (!engine.windy && (step == 0 || random.below(2) == 0)) {
          engine.throttle = random.below(50) / 50.0;
          told.push_back(engine.emitter);
          values.push_back(static_cast<float>(engine.throttle));
        }
      CHECK(stage.manager->set_gauge("throttle", told, values) == told.size());
      if (random.below(3) == 0) stage.manager->set_gauge("wind", wind = random.between(-2, 8));
      stage.render(Seconds{0.6});
      std::vector<std::pair<double, PlaybackId>> loudest;
      for (const Engine& engine : all) {
        loudest.emplace_back(engine.windy ? -40 + (wind + 2) * 4.3 : -40 + 40 * engine.throttle, engine.id);
      }
      std::sort(loudest.begin(), loudest.end(), [](const auto& x, const auto& y) { return x.first > y.first; });
      // Whoever is 3 dB and more above all others that have no voice must have one: no less than so loud may sound.
      const std::vector<PlaybackId> heard = sounding(stage);
      double weakest = 100, missing = -100;
      for (const auto& [level, id] : loudest)
        if (std::binary_search(heard.begin(), heard.end(), id))
          weakest = std::min(weakest, level);
        else
          missing = std::max(missing, level);
      // Throttles are kept to a 64th, which is 0.6 dB here.
      different += heard.size() != voices || missing > weakest + 3 + 0.7 ? 1 : 0;
    }
  }
  CHECK(different == 0);
}

TEST_CASE("two banks that define one gauge differently do not load beside each other; the second says both") {
  const auto bank = [](const std::string& name, const std::string& gauge) {
    const Folder folder;
    write_stage_clips(folder);
    folder.write("book.toml",
                 "[book]\nname=\"" + name + "\"\n[gauges.wind]\n" + gauge + "\n[sounds." + name +
                     "]\nclips=[\"hum.wav\"]\nloop=true\nfollow=[{gauge=\"wind\", gain=[[0, \"-20 dB\"], [0.5, \"0 dB\"]]}]\n");
    return compile_book(folder.path("book.toml"));
  };
  SoundManager manager({.offline = true});
  manager.load(bank("one", "to=1"));
  CHECK_THAT(manager.try_load(bank("two", "to=0.5")),
             Contains("the gauge 'wind' of bank 'two' is not that of bank 'one', which is loaded (to 0.5, and 1): give one"));
  CHECK(manager.try_load(bank("three", "to=1")).empty());
  CHECK(manager.unload("one"));
  CHECK(manager.unload("three"));
  CHECK(manager.try_load(bank("two", "to=0.5")).empty());
}

TEST_CASE("what a gauge makes silent says so, and comes back with it") {
  for (const std::string& more : {std::string(), in_world}) {
    Stage stage(follows("{gauge=\"throttle\", gain=[[0, \"silent\"], [1, \"0 dB\"]]}", more));
    stage.manager->set_listener(0, {});
    const Emitter boat = stage.manager->make_emitter({.place = {0, 0, -1}});
    CHECK(stage.manager->raise("a", {}, boat).outcome == Outcome::silent);
    CHECK(settled(stage).peak() == 0);
    CHECK_THAT(stage.why(), Contains("gauge 'throttle' at 0 makes it silent"));
    stage.manager->set_gauge("throttle", boat, 1);
    CHECK(decibels_of(settled(stage)) == Approx(0).margin(0.1));
  }
}

TEST_CASE("gauges that nobody has, numbers that are none and emitters that are gone are told or defined") {
  Stage stage(follows(bends_all));
  SoundManager& manager = *stage.manager;
  CHECK(manager.set_gauge("trottle", 0.5) == Outcome::unknown_gauge);
  stage.render(Seconds{0.05});
  CHECK_THAT(stage.why(), Contains("no loaded bank has a gauge 'trottle'; did you mean 'throttle'?"));
  const Emitter boat = manager.make_emitter();
  CHECK(!manager.set_gauge("wid", boat, 1));
  CHECK(!manager.set_gauge("wid", boat, 1));
  stage.render(Seconds{0.1});
  const auto notices = stage.entries<noted::Notice>();
  CHECK(std::count_if(notices.begin(), notices.end(),
                      [](const auto& its) { return its.why == "no loaded bank has a gauge 'wid'; did you mean 'wind'?"; }) == 1);
  CHECK(manager.set_gauge("throttle", std::nan("")) == Outcome::not_a_number);
  constexpr float infinite = std::numeric_limits<float>::infinity();
  for (const float value : {std::nanf(""), infinite, -infinite}) CHECK(!manager.set_gauge("throttle", boat, value));
  Playback playback = manager.raise("a", {}, boat).playback();
  CHECK(manager.set_gauge("throttle", boat, 1e30F));  // its nearer end
  CHECK(semitones_of(settled(stage)) == Approx(7).margin(0.03));
  CHECK(manager.set_gauge("throttle", boat, -1e30F));
  CHECK(semitones_of(settled(stage)) == Approx(-5).margin(0.03));
  manager.remove_emitter(boat);
  CHECK(!manager.set_gauge("throttle", boat, 1));
  CHECK(semitones_of(settled(stage)) == Approx(-5).margin(0.03));  // it stays as it was
  const std::vector<Emitter> some(3, boat);
  const std::vector<float> fewer(2);
  CHECK(manager.set_gauge("throttle", some, fewer) == 0);
  const Emitter next = manager.make_emitter();  // in the slot of the one that is gone, and without its gauges
  playback.stop();
  stage.render(Seconds{0.1});
  manager.set_gauge("throttle", 0.5);
  manager.raise("a", {}, next);
  CHECK(semitones_of(settled(stage)) == Approx(1).margin(0.03));
}

TEST_CASE("a journal written by hand says where gauges are, and a new bank may change what they can be") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + follows(bends_all));
  const Bank bank = compile_book(folder.path("book.toml"));
  const JournalScript script = parse_journal(R"({"at": 0, "request": "gauge", "gauge": "throttle", "value": 1}
{"at": 0, "kept": [{"emitter": 7, "place": [2, 0, 0]}]}
{"at": "0.1 s", "request": "raise", "event": "a", "emitter": 7}
{"at": "0.6 s", "kept": [], "gauges": [{"emitter": 7, "gauge": "throttle", "value": 0.5}]}
{"at": "1.2 s", "end": true}
)",
                                             "hand.jsonl");
  SoundManager manager(options_of(script));
  Take take;
  replay(script, bank, manager, [&](std::span<const float> block) { take.append(block); });
  CHECK(semitones_of(take.part(0.4, 0.1)) == Approx(7).margin(0.03));
  CHECK(semitones_of(take.part(1, 0.1)) == Approx(1).margin(0.03));
  CHECK_THROWS_WITH(parse_journal("{\"at\": 0, \"request\": \"gauge\", \"gauge\": \"throttle\", \"value\": \"full\"}\n", "h"),
                    Contains("\"value\" must be a number"));

  Stage stage(follows(bends_all));
  stage.manager->raise("a");
  stage.manager->set_gauge("throttle", 1);
  settled(stage);
  std::string other = follows(bends_all);
  other.replace(other.find("smoothing"), 9, "to=4\nsmoothing");
  folder.write("book.toml", book_head + other);
  stage.manager->reload(compile_book(folder.path("book.toml")));
  stage.manager->set_gauge("throttle", 4);
  CHECK(semitones_of(settled(stage)) == Approx(7).margin(0.03));
  stage.manager->set_gauge("throttle", 0.5);
  CHECK(semitones_of(settled(stage)) == Approx(1).margin(0.03));
}

TEST_CASE("a changed byte in the file beside a journal is told, wherever it is; what a crash left is played") {
  KeptWriter writer;
  std::string whole = KeptWriter::head();
  Random random(3);
  for (std::uint64_t update = 1; update <= 64; ++update) {
    noted::Kept kept;
    kept.update = update;
    for (std::uint64_t emitter = 1; emitter < 6; ++emitter) {
      kept.emitters.push_back({{emitter}, false, {random.between(-50, 50), 0, random.between(-50, 50)}, {}, {}});
      kept.gauges.push_back({{emitter}, "throttle", random.between(0, 1)});
    }
    whole += writer.step(kept);
  }
  REQUIRE(read_kept(whole, "trip.world").size() == 64);
  int silent = 0;
  for (std::size_t at = 0; at < whole.size(); at += static_cast<std::size_t>(times(1, 31)))
    for (int bit = 0; bit < 8; ++bit) {
      std::string damaged = whole;
      damaged[at] = static_cast<char>(damaged[at] ^ (1 << bit));
      try {
        read_kept(damaged, "trip.world");
        ++silent;
      } catch (const Error& error) {
        CHECK_THAT(error.what(), Contains("trip.world: is "));
      }
    }
  // A changed length may reach beyond the end of the file. The reader cannot tell that from a file that a crash cut off.
  CHECK(silent < 0.02 * 8 * static_cast<double>(whole.size()));
  for (std::size_t size = KeptWriter::head().size(); size < whole.size(); size += static_cast<std::size_t>(times(1, 7)))
    CHECK(read_kept(whole.substr(0, size), "trip.world").size() <= 64);
}

TEST_CASE("gauges are kept in the file beside the journal, and give the same samples again") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + follows(bends_all, in_world + "far=\"40 m\"\nfade-out=\"40 ms\""));
  const Bank bank = compile_book(folder.path("book.toml"));
  Take original;
  {
    JournalFile journal(folder.path("trip.journal.jsonl"));
    SoundManager manager({.voices = 8, .journal = journal.sink(), .offline = true});
    manager.load(bank);
    manager.set_listener(0, {});
    Random random(9);
    std::vector<Emitter> emitters;
    std::vector<float> values;
    for (int i = 0; i < 200; ++i) {
      emitters.push_back(manager.make_emitter({.place = {random.between(-40, 40), 0, random.between(-40, 40)}}));
      values.push_back(static_cast<float>(random.between(0, 1)));
      if (i % 4 != 0) manager.raise("a", {}, emitters.back());
    }
    std::vector<float> block(1600);
    for (int frame = 0; frame < 240; ++frame) {
      for (float& value : values) value = std::clamp(value + static_cast<float>(random.between(-0.02, 0.02)), 0.0F, 1.0F);
      manager.set_gauge("throttle", emitters, values);
      for (std::size_t i = 0; i < 20; ++i) manager.place(emitters[i], {frame * 0.1 - 12, 0, static_cast<double>(i) - 10});
      manager.set_listener(0,
                           {.place = {0, 1.7, frame * 0.01}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {0, 0, 0.6F}, .gain = {}});
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
      original.append(block);
    }
  }
  const std::string world = folder.read("trip.journal.world");
  CHECK(world.size() > 3000);
  CHECK(world.size() < 60'000);
  const JournalScript script = read_journal(folder.path("trip.journal.jsonl"));
  SoundManager manager(options_of(script));
  std::vector<float> samples;
  replay(script, bank, manager, [&](std::span<const float> block) { samples.insert(samples.end(), block.begin(), block.end()); });
  CHECK((samples == original.samples));
  // Damaged anywhere it is told, or what is left of it is played.
  Random random(11);
  for (int i = 0; i < times(60, 12); ++i) {
    std::string damaged = world;
    damaged[40 + random.below(static_cast<std::uint32_t>(world.size() - 40))] = static_cast<char>(random.below(256));
    folder.write("trip.journal.world", damaged);
    try {
      read_journal(folder.path("trip.journal.jsonl"));
    } catch (const std::exception& error) {
      CHECK_THAT(error.what(), Contains("is damaged"));
    }
  }
}

TEST_CASE("what is wrong with gauges and what follows them is said with its place") {
  const auto problems = [](const std::string& gauges, const std::string& follow) {
    const ReadBook read =
        parse_book(book_head + gauges + "[sounds.a]\nsketch=\"step\"\nfollow=" + follow + "\n[events.a]\nstart=\"a\"\n", "book.toml");
    return read.problems.empty() ? std::string() : to_text(read.problems.front());
  };
  const std::string gauge = "[gauges.t]\n";
  CHECK(problems(gauge, "[{gauge=\"t\", pitch=[[0, \"0 st\"], [1, \"2 st\"]]}]").empty());
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", pitch=[]}]"),
             Contains("'pitch' is a list of points, from 2 to 64") && Contains("there are 0"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", gain=[[0, \"0 dB\"]]}]"), Contains("there is 1"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", pitch=[[1, \"0 st\"], [0, \"2 st\"]]}]"), Contains("the point at 0 comes after the one at 1"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", pitch=[[0, \"0 st\"], [0, \"2 st\"]]}]"), Contains("each at one of its own"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", pitch=[[0, \"0 st\"], [2, \"2 st\"]]}]"), Contains("t is never 2: it goes from 0 to 1"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\", pitch=[[0, 0], [1, \"2 st\"]]}]"), Contains("lacks a unit"));
  CHECK_THAT(problems(gauge, "[{gauge=\"distance\", pitch=[[0, \"0 st\"], [1, \"2 st\"]]}]"),
             Contains("written with its unit, such as \"30 m\""));
  CHECK_THAT(problems(gauge, "[{gauge=\"tt\", pitch=[[0, \"0 st\"], [1, \"2 st\"]]}]"),
             Contains("there is no gauge 'tt'; did you mean 't'?"));
  CHECK_THAT(problems(gauge, "[{gauge=\"t\"}]"), Contains("it follows 't' in nothing"));
  CHECK_THAT(problems(gauge, "{gauge=\"t\"}"), Contains("'follow' is a list of tables"));
  CHECK_THAT(problems("[gauges.t]\nto=-1\n", "[]"), Contains("'to' must be more than 'from'"));
  CHECK_THAT(problems("[gauges.t]\ndefault=2\n", "[]"), Contains("its default, 2, is not between 0 and 1"));
  CHECK_THAT(problems("[gauges.t]\nto=inf\n", "[]"), Contains("must be a number"));
  CHECK_THAT(problems("[gauges.speed]\n", "[]"), Contains("speed is there without being told"));
  std::string nine = "[", gauges;
  for (int i = 0; i < 9; ++i) {
    gauges += "[gauges.g" + std::to_string(i) + "]\n";
    nine += "{gauge=\"g" + std::to_string(i) + "\", gain=[[0, \"0 dB\"], [1, \"1 dB\"]]},";
  }
  CHECK_THAT(problems(gauges, nine + "]"), Contains("8 is the most"));
}
