#include <catch2/catch.hpp>
#include <cmath>

#include "bank/bank_data.hpp"
#include "stage.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

constexpr double none = std::numeric_limits<double>::quiet_NaN();
constexpr double infinite = std::numeric_limits<double>::infinity();

const std::string book =
    "[groups.g]\nlow-pass=\"10 kHz\"\n[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\ngroup=\"g\"\n"
    "[sounds.streamed]\nclips=[\"longer.wav\"]\nstream=true\ngroup=\"g\"\n"
    "[events.hum]\nstart=\"hum\"\n[events.streamed]\nstart=\"streamed\"\n";

using Call = std::function<void(SoundManager&, Playback&)>;

/// Every quantity that a game can give, with `bad` in its place.
std::vector<std::pair<std::string, Call>> calls(double bad) {
  return {
      {"gain", [=](auto&, auto& p) { p.set_gain(Decibels{bad}); }},
      {"gain's time", [=](auto&, auto& p) { p.set_gain(Decibels{0}, Seconds{bad}); }},
      {"bend", [=](auto&, auto& p) { p.bend(Semitones{bad}); }},
      {"bend's time", [=](auto&, auto& p) { p.bend(Semitones{0}, Seconds{bad}); }},
      {"pan", [=](auto&, auto& p) { p.set_pan(Pan{bad}); }},
      {"pan's time", [=](auto&, auto& p) { p.set_pan(Pan{0}, Seconds{bad}); }},
      {"low-pass", [=](auto&, auto& p) { p.set_low_pass(Hertz{bad}); }},
      {"high-pass", [=](auto&, auto& p) { p.set_high_pass(Hertz{bad}, Seconds{0}); }},
      {"filter's time", [=](auto&, auto& p) { p.set_high_pass(Hertz{0}, Seconds{bad}); }},
      {"stop", [=](auto&, auto& p) { p.stop(Seconds{bad}); }},
      {"stop all", [=](auto& m, auto&) { m.stop_all(Seconds{bad}); }},
      {"group's gain", [=](auto& m, auto&) { m.set_gain("g", Decibels{bad}); }},
      {"group's gain's time", [=](auto& m, auto&) { m.set_gain("g", Decibels{0}, Seconds{bad}); }},
      {"group's low-pass", [=](auto& m, auto&) { m.set_low_pass("g", Hertz{bad}); }},
      {"group's high-pass", [=](auto& m, auto&) { m.set_high_pass("g", Hertz{bad}); }},
  };
}

}  // namespace

TEST_CASE("what is not a number is refused, told, and changes nothing that is heard") {
  for (const auto* event : {"hum", "streamed"}) {
    Stage untouched(book, {.offline = true});
    untouched.raise(event);
    const Take reference = untouched.render(Seconds{0.3});
    for (const auto& [name, call] : calls(none)) {
      INFO(event << ", " << name);
      Stage stage(book, {.offline = true});
      Playback playback = stage.raise(event).playback();
      call(*stage.manager, playback);
      CHECK(stage.render(Seconds{0.3}).samples == reference.samples);
      REQUIRE(stage.entries<noted::Decision>().back().outcome == Outcome::not_a_number);
      CHECK(stage.why().find("that is not a number is refused; it may be ") != std::string::npos);
    }
  }
}

TEST_CASE("what is out of range is brought into it, and said once") {
  for (const double bad : most_of({infinite, -infinite, 1e300, -1e300, 10000.0}))
    for (const auto& [name, call] : calls(bad)) {
      INFO(name << " of " << bad);
      Stage stage(book, {.offline = true});
      Playback playback = stage.raise("streamed").playback();
      Playback hum = stage.raise("hum").playback();
      stage.render(Seconds{0.05});
      call(*stage.manager, playback);
      call(*stage.manager, hum);
      const Take take = stage.render(Seconds{0.3});
      for (const float x : take.samples) REQUIRE(std::isfinite(x));
      CHECK(take.peak() < 1);
      CHECK(stage.entries<noted::Notice>().size() <= 1);
    }
  Stage stage(book);
  Playback hum = stage.raise("hum").playback();
  hum.set_gain(Decibels{10000}, Seconds{0});
  stage.render(Seconds{0.1});
  CHECK(stage.requests<asked::SetGain>().back().gain == Decibels{24});
  CHECK(stage.entries<noted::Notice>().back().why == "a level of 10000 dB was brought to 24 dB; it may be silence to +24 dB");
}

TEST_CASE("a rate that is none makes no manager and no bank") {
  for (const double rate : {none, infinite, 0.0, -48000.0, 7999.0, 1e9}) {
    CHECK_THROWS_WITH(SoundManager({.rate = {rate}}), Catch::Contains("it must be from 8000 Hz to 192000 Hz"));
    if (rate != 0) CHECK_THROWS_WITH(compile(Book{}, {Hertz{rate}}), Catch::Contains("the rate of the bank is"));  // 0: as usual
  }
}

TEST_CASE("a game's clock that is no number stops no sound") {
  Stage stage(book);
  stage.raise("hum");
  for (const double elapsed : {none, infinite, -1e300}) stage.manager->update(Seconds{elapsed});
  CHECK(stage.render(Seconds{0.2}).peak() > 0.3);
}

TEST_CASE("a silent sound is silent, and nothing else is") {
  for (const std::string gain : {"silent", "0 %", "x0"})
    for (const std::string on : {"gain", "layer"}) {
      INFO(gain << " on " << on);
      const std::string layers =
          on == "gain" ? "clips=[\"low.wav\"]\ngain=\"" + gain + "\"\n" : "layers=[{clips=[\"low.wav\"],gain=\"" + gain + "\"}]\n";
      Stage stage(
          "[groups.g]\nlow-pass=\"10 kHz\"\n[sounds.none]\n" + layers +
          "group=\"g\"\n[sounds.tone]\nclips=[\"tone.wav\"]\ngroup=\"g\"\n[events.none]\nstart=\"none\"\n[events.tone]\nstart=\"tone\"\n");
      CHECK(stage.raise("none").outcome == Outcome::silent);
      CHECK(stage.render(Seconds{0.1}).peak() == 0);
      CHECK(stage.why() == "its level was drawn at silence");
      stage.raise("tone");
      CHECK(stage.render(Seconds{0.2}).part(0.05, 0.1).peak() == Approx(0.3535).epsilon(0.01));
      stage.manager->set_gain("g", silence);
      stage.manager->set_gain("g", Decibels{0});
      CHECK(stage.render(Seconds{0.2}).part(0.05, 0.1).peak() == Approx(0.3535).epsilon(0.01));
    }
}

TEST_CASE("a range from silence is drawn evenly in how loud it sounds") {
  Stage stage("[sounds.s]\nclips=[\"tone.wav\"]\ngain=\"0 % .. 100 %\"\n[events.s]\nstart=\"s\"\n");
  int below_half = 0;
  for (int i = 0; i < 400; ++i) {
    stage.raise("s");
    stage.render(Seconds{0.02});
    const Decibels gain = stage.starts().back().gain;
    REQUIRE(gain <= Decibels{0});
    below_half += loudness_fraction(gain) < 0.5 ? 1 : 0;
    stage.manager->stop_all();
  }
  CHECK(below_half == Approx(200).margin(40));
}

TEST_CASE("a clip that was damaged in memory spoils its own samples only, and is told once") {
  auto samples = sine(500, 1, 1, 0.5);
  for (std::size_t i = 4800; i < 9600; ++i) samples[i] = i % 2 == 0 ? std::nanf("") : HUGE_VALF;
  const auto data = std::make_shared<BankData>();
  data->name = "b";
  data->rate = test_rate;
  data->clips = {make_clip("broken", 1, samples), make_clip("good", 1, sine(500, 1, 1, 0.5))};
  data->groups = {{{}, "master", 0}, {{.gain = {}, .muted = false, .low_pass = Hertz{2000}, .high_pass = {}}, "g", 0}, {{}, "h", 0}};
  for (std::uint32_t i = 0; i < 2; ++i) {
    BankSound sound;
    sound.name = i == 0 ? "broken" : "good";
    sound.group = 1 + i;
    if (i == 0) sound.low_pass = {Hertz{4000}, Hertz{4000}};
    sound.layers.emplace_back().choices = {{{}, {{i, 1, {}}}}};
    data->sounds.push_back(sound);
    data->events.push_back({sound.name, {{{.verb = Verb::start}, i}}});
  }
  std::vector<std::string> notices;
  SoundManager manager({.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices.push_back(notice->why);
  }});
  manager.load(bank_of(data));
  manager.raise("broken");
  manager.raise("good");
  Take take;
  take.samples.resize(2 * 48000);
  for (std::size_t at = 0; at < take.samples.size(); at += 960) {
    manager.render({take.samples.data() + at, 960});
    manager.update(Seconds{0.01});
  }
  for (const float x : take.samples) REQUIRE(std::isfinite(x));
  CHECK(take.part(0.12, 0.06).peak() == Approx(0.3535).epsilon(0.02));  // the good one alone
  CHECK(take.part(0.25, 0.5).peak() > 0.6);                             // both again
  REQUIRE(notices.size() == 1);
  CHECK(notices[0].find("samples in group 'g' were not numbers") == 0);
}

TEST_CASE("names that nobody has are told in short words, however long and however many they are") {
  Stage stage(book);
  const std::string endless(1'000'000, 'a');
  CHECK(stage.raise(Name(endless)).outcome == Outcome::unknown_event);
  CHECK(stage.manager->set_mute(Name(endless), true) == Outcome::unknown_group);
  stage.raise("hun");
  stage.raise("hun");
  for (int i = 0; i < 3000; ++i) stage.raise(Name("made.up." + std::to_string(i)));
  stage.render(Seconds{0.02});
  int meant = 0;
  for (const auto& entry : stage.entries<noted::Decision>()) {
    CHECK(entry.why.size() < 200);
    meant += entry.why.find("did you mean 'hum'?") != std::string::npos ? 1 : 0;
  }
  CHECK(meant == 2);
}
