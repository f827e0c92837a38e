// Turning: a sound gets other values while it plays, and sounds as if it had been started with them.

#include <catch2/catch.hpp>
#include <cmath>
#include <numeric>

#include "base/base64.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/author/turn.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"(
[gauges.wind]
[groups.music]
[sounds.hum]
group = "music"
clips = ["hum.wav"]
loop = true
gain = "-12 dB .. -6 dB"
pan = "50 % left .. 50 % right"
low-pass = "2 kHz .. 9 kHz"
follow = [ { gauge = "wind", gain = [[0, "0 dB"], [1, "-20 dB"]] } ]
[sounds.bell]
clips = ["tone.wav"]
[sounds.buoy]
clips = ["hum.wav"]
loop = true
place = "world"
near = "1 m"
far = "40 m"
[sounds.pair]
layers = [ { clips = ["hum.wav"], loop = true, gain = "-9 dB .. -3 dB" }, { clips = ["low.wav"] } ]
[sounds.tread]
clips = ["n-*.wav"]
cadence = "100 ms"
gain = "-6 dB"
[events.hum]
start = "hum"
[events.bell]
start = "bell"
[events.buoy]
start = "buoy"
[events.pair]
start = "pair"
[events.tread]
start = "tread"
)";

/// A stage that can turn its sounds.
struct Desk : Stage {
  explicit Desk(ManagerOptions options = {}) : Stage(book, std::move(options)) { text = book_head + book; }

  /// Sets a value in the text and returns the sound's design.
  Read<std::string> design(const std::string& sound, const std::string& key, const std::string& value) {
    text = set_value(text, {"sounds", sound, key}, value);
    const ReadBook read = parse_book(text, folder.path("book.toml"));
    REQUIRE(read.problems.empty());
    return turned_design(*bank, read.book, sound);
  }
  Outcome turn(const std::string& sound, const std::string& key, const std::string& value) {
    const Read<std::string> its = design(sound, key, value);
    INFO(its.problem);
    REQUIRE(its.value);
    return manager->turn("stage", sound, *its.value);
  }

  std::string text;
};

/// The largest difference.
double difference(const Take& a, const Take& b) {
  REQUIRE(a.samples.size() == b.samples.size());
  double most = 0;
  for (std::size_t i = 0; i < a.samples.size(); ++i) most = std::max(most, std::abs(static_cast<double>(a.samples[i] - b.samples[i])));
  return most;
}

}  // namespace

TEST_CASE("a turned level of a playing loop is heard within 20 ms, and without a click") {
  Desk desk;
  desk.raise("hum");
  const double before = desk.render(Seconds{0.2}).rms();
  CHECK(desk.turn("hum", "gain", "\"-32 dB .. -26 dB\"") == Outcome::done);
  const Take after = desk.render(Seconds{0.2});
  CHECK(decibels(after.part(0.03, 0.17).rms() / before).value == Approx(-20).margin(0.3));
  CHECK(after.steepest() < 0.03);
}

TEST_CASE("turned while it plays is turned before the start, whatever is drawn") {
  const std::pair<const char*, const char*> turns[] = {
      {"gain", "\"-20 dB .. 0 dB\""},
      {"gain", "\"-3 dB\""},
      {"pan", "\"90 % left .. 20 % left\""},
      {"low-pass", "\"500 Hz\""},
      {"low-pass", "\"1 kHz .. 4 kHz\""},
      {"high-pass", "\"300 Hz\""},
      {"limit", "3"},
      {"gain", "\"silent\""},
  };
  std::uint64_t seed = 1;
  for (const auto& [key, value] : turns) {
    ++seed;
    Desk before({.seed = seed}), meanwhile({.seed = seed});
    before.turn("hum", key, value);
    before.raise("hum");
    meanwhile.raise("hum");
    before.render(Seconds{0.3}), meanwhile.render(Seconds{0.3});
    meanwhile.turn("hum", key, value);
    before.render(Seconds{0.3}), meanwhile.render(Seconds{0.3});
    INFO(key << " = " << value);
    CHECK(difference(before.render(Seconds{0.3}), meanwhile.render(Seconds{0.3})) < 1e-6);
  }
}

TEST_CASE("a turn back to the bank's own design leaves nothing of itself") {
  Desk turned, plain;
  turned.raise("hum"), plain.raise("hum");
  turned.render(Seconds{0.2}), plain.render(Seconds{0.2});
  turned.turn("hum", "gain", "\"-40 dB\"");
  turned.turn("hum", "pan", "\"100 % left\"");
  turned.render(Seconds{0.2}), plain.render(Seconds{0.2});
  CHECK(turned.manager->turn("stage", "hum", *own_design(*turned.bank, "hum").value) == Outcome::done);
  turned.render(Seconds{0.2}), plain.render(Seconds{0.2});
  CHECK(difference(turned.render(Seconds{0.3}), plain.render(Seconds{0.3})) < 1e-6);
}

TEST_CASE("a turn to what is there already changes no sample") {
  Desk turned, plain;
  for (Desk* its : {&turned, &plain}) its->raise("hum"), its->raise("pair"), its->raise("buoy");
  for (int i = 0; i < 5; ++i) {
    for (const char* sound : {"hum", "pair", "buoy", "tread"})
      CHECK(turned.manager->turn("stage", sound, *own_design(*turned.bank, sound).value) == Outcome::done);
    CHECK(difference(turned.render(Seconds{0.1}), plain.render(Seconds{0.1})) == 0);
  }
}

TEST_CASE("what the game itself has set stays, and the turn comes on top of it") {
  Desk desk;
  const Raised raised = desk.raise("hum");
  Playback hum = raised.playbacks[0];
  hum.set_pan(Pan{1}, Seconds{0});
  hum.set_gain(Decibels{-6}, Seconds{0});
  const double before = desk.render(Seconds{0.2}).rms(1);
  desk.turn("hum", "pan", "\"100 % left\"");
  desk.turn("hum", "gain", "\"-22 dB .. -16 dB\"");
  desk.render(Seconds{0.1});
  const Take after = desk.render(Seconds{0.2});
  CHECK(after.rms() < 1e-4);
  CHECK(decibels(after.rms(1) / before).value == Approx(-10).margin(0.1));
}

TEST_CASE("limits, curves and distances hold from the turn on") {
  Desk desk;
  for (int i = 0; i < 2; ++i) desk.raise("bell");
  desk.render(Seconds{0.02});
  desk.turn("bell", "limit", "2");
  desk.raise("bell");
  desk.render(Seconds{0.05});
  CHECK(desk.manager->stats().voices == 2);

  Desk windy;
  windy.raise("hum");
  windy.manager->set_gauge("wind", 1);
  windy.render(Seconds{0.5});
  const double quiet = windy.render(Seconds{0.2}).rms();
  windy.turn("hum", "follow", "[ { gauge = \"wind\", gain = [[0, \"0 dB\"], [1, \"-8 dB\"]] } ]");
  windy.render(Seconds{0.3});
  CHECK(decibels(windy.render(Seconds{0.2}).rms() / quiet).value == Approx(12).margin(0.2));

  Desk far;
  far.manager->set_listener(0, {});
  const Raised buoy = far.manager->raise("buoy", {}, Place{0, 0, -30});
  CHECK(buoy.count == 1);
  far.render(Seconds{0.2});
  const double there = far.render(Seconds{0.1}).rms();
  far.turn("buoy", "near", "\"10 m\"");
  far.render(Seconds{0.2});
  CHECK(decibels(far.render(Seconds{0.1}).rms() / there).value > 12);
  far.turn("buoy", "far", "\"20 m\"");
  far.render(Seconds{0.2});
  CHECK(far.render(Seconds{0.1}).rms() == 0);
}

TEST_CASE("each step of a cadence goes by the turned values") {
  Desk desk;
  desk.raise("tread");
  const double before = desk.render(Seconds{1}).rms();
  desk.turn("tread", "gain", "\"-26 dB\"");
  desk.render(Seconds{0.3});
  CHECK(decibels(desk.render(Seconds{1}).rms() / before).value == Approx(-20).margin(1));
  desk.turn("tread", "cadence", "\"50 ms\"");
  const auto steps = desk.manager->stats().started;
  desk.render(Seconds{1});
  CHECK(std::abs(static_cast<int>(desk.manager->stats().started - steps) - 20) <= 1);
}

TEST_CASE("what needs a reload is refused with what differs, and nothing changes") {
  Desk desk;
  CHECK_THAT(desk.design("hum", "clips", "[\"low.wav\", \"tone.wav\"]").problem, Contains("the clips of 'hum'") && Contains("reload"));
  CHECK_THAT(desk.design("bell", "group", "\"music\"").problem, Contains("its group of 'bell'"));
  CHECK_THAT(desk.design("buoy", "place", "\"screen\"").problem, Contains("its place of 'buoy'"));
  const Read<std::string> good = own_design(*desk.bank, "bell");
  CHECK(desk.manager->turn("stage", "hum", *good.value) == Outcome::needs_reload);
  desk.render(Seconds{0.01});
  CHECK_THAT(desk.why(), Contains("its name of 'hum'"));
  CHECK(desk.manager->turn("nowhere", "bell", *good.value) == Outcome::bank_not_loaded);
  CHECK(desk.manager->turn("stage", "whistle", *good.value) == Outcome::needs_reload);
  desk.render(Seconds{0.01});
  CHECK_THAT(desk.why(), Contains("the bank 'stage' has no sound 'whistle'"));
  CHECK(desk.manager->turn("stage", "bell", "") == Outcome::needs_reload);
  CHECK(desk.manager->turn("stage", "bell", "nonsense!") == Outcome::needs_reload);
  CHECK(desk.manager->turn("stage", "bell", std::string(100'000, 'A')) == Outcome::needs_reload);
}

TEST_CASE("a damaged design is refused or is a design, and never more") {
  Desk desk;
  desk.raise("hum"), desk.raise("pair");
  const std::string good = *own_design(*desk.bank, "hum").value;
  Random random(7);
  int refused = 0;
  for (int i = 0; i < 400; ++i) {
    std::vector<std::byte> bytes = *from_base64(good);
    for (std::uint32_t k = 0; k <= random.below(3); ++k)
      bytes[random.below(static_cast<std::uint32_t>(bytes.size()))] = std::byte(random.below(256));
    if (random.below(4) == 0) bytes.resize(random.below(static_cast<std::uint32_t>(bytes.size())));
    if (desk.manager->turn("stage", "hum", to_base64(bytes)) == Outcome::needs_reload) ++refused;
    if (i % 40 == 0) desk.render(Seconds{0.02});
  }
  CHECK(refused > 380);
  CHECK(desk.render(Seconds{0.2}).peak() < 1);
}

TEST_CASE("a session with turns replays bit for bit from its journal alone, and against another bank they are left out") {
  Desk desk;
  std::vector<float> live, again;
  const auto play = [&](double seconds) {
    const std::vector<float> samples = desk.render(Seconds{seconds}).samples;
    live.insert(live.end(), samples.begin(), samples.end());
  };
  desk.raise("hum");
  play(0.1);
  for (int i = 0; i < 20; ++i) {
    desk.turn("hum", "gain", "\"" + std::to_string(-20 + i) + " dB\"");
    if (i == 10) desk.raise("pair");
    play(0.02);
  }
  play(0.2);
  desk.manager.reset();
  std::string journal;
  for (const JournalEntry& entry : desk.journal) journal += to_json(entry) + "\n";
  const JournalScript script = parse_journal(journal, "j");
  std::string told;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) told += notice->why + "\n";
  };
  {
    SoundManager manager(options);
    replay(script, std::span(desk.bank.get(), 1), manager,
           [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  }
  REQUIRE(again.size() >= live.size());
  CHECK(std::equal(live.begin(), live.end(), again.begin()));
  CHECK(told == "");

  desk.folder.write("book.toml", set_value(book_head + book, {"sounds", "bell", "gain"}, "\"-1 dB\""));
  const Bank other = compile_book(desk.folder.path("book.toml"));
  SoundManager manager(options);
  replay(script, std::span(&other, 1), manager, [](std::span<const float>) {});
  manager.update({});
  CHECK_THAT(told, Contains("'hum' was turned while this was recorded; that is left out, because the bank is another now"));
}

TEST_CASE("a saved state has what was turned") {
  Desk desk;
  desk.raise("hum"), desk.raise("buoy");
  desk.turn("hum", "gain", "\"-30 dB .. -2 dB\"");
  desk.turn("buoy", "near", "\"9 m\"");
  desk.render(Seconds{0.2});
  const std::vector<std::byte> saved = desk.manager->save();
  SoundManager other({.seed = 1, .offline = true});
  other.restore(saved, std::span(desk.bank.get(), 1));
  desk.manager->raise("hum"), other.raise("hum");
  std::vector<float> ours(9600), theirs(9600);
  for (int i = 0; i < 4; ++i) {
    desk.manager->render(ours), other.render(theirs);
    CHECK(ours == theirs);
    desk.manager->update(Seconds{0.1}), other.update(Seconds{0.1});
  }
  CHECK(Take{ours}.peak() > 0);
}

TEST_CASE("base64 gives any bytes again and takes no other text") {
  Random random(2);
  for (std::uint32_t size = 0; size < 200; ++size) {
    std::vector<std::byte> bytes(size);
    for (std::byte& its : bytes) its = std::byte(random.below(256));
    CHECK(from_base64(to_base64(bytes)) == bytes);
  }
  CHECK(to_base64(std::as_bytes(std::span("quay", 4))) == "cXVheQ==");
  for (const char* bad : {"a", "ab", "abc", "ab=c", "====", "cXVheR==", "cXVhe Q=", "cXVheQ==cXVh"}) CHECK_FALSE(from_base64(bad));
}
