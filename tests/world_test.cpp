#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <thread>

#include "base/random.hpp"
#include "dsp/speakers.hpp"
#include "stage.hpp"
#include "tidewater/author/walk.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"
#include "world/earshot.hpp"
#include "world/hearing.hpp"
#include "world/pass.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr double pi = std::numbers::pi;

/// A loop in the world, 500 Hz at a peak of 0.5, with what else is said of it.
std::string loop(const std::string& more, const std::string& clip = "hum.wav") {
  return "[sounds.a]\nclips=[\"" + clip + "\"]\nloop=true\nplace=\"world\"\n" + more + "\n[events.a]\nstart=\"a\"\n";
}

double level_of(const Take& take, int channel) { return 20 * std::log10(take.rms(channel) / (0.5 / std::numbers::sqrt2)); }
/// Of both channels together, in dB below what the clip has.
double level_of(const Take& take) { return 10 * std::log10((std::pow(take.rms(0), 2) + std::pow(take.rms(1), 2)) / 0.125); }

/// A stage with a listener at the origin that faces -z.
struct World : Stage {
  explicit World(const std::string& book, ManagerOptions options = {}, const std::function<void(const Folder&)>& more_clips = {})
      : Stage(book, std::move(options), more_clips) {
    manager->set_listener(0, {});
  }

  Emitter thing(const Place& place) const { return manager->make_emitter({.place = place}); }
  /// What is heard of a loop there when all has settled.
  Take heard_at(const Place& place) {
    const Emitter emitter = thing(place);
    const Playback playback = manager->raise("a", {}, emitter).playback();
    Take take = render(Seconds{0.4}).part(0.2, 0.2);
    manager->remove_emitter(emitter);
    render(Seconds{0.1});
    CHECK(playback.ended());
    return take;
  }
};

std::size_t notices_with(const Stage& stage, const std::string& text) {
  const auto notices = stage.entries<noted::Notice>();
  return static_cast<std::size_t>(
      std::count_if(notices.begin(), notices.end(), [&](const auto& notice) { return notice.why.find(text) != std::string::npos; }));
}

}  // namespace

TEST_CASE("levels fall with the distance by the formulas of OpenAL and Web Audio, and are silent from far on") {
  struct Law {
    std::string keys;
    std::function<double(double)> amplitude;
  };
  const std::vector<Law> laws = {
      {"", [](double d) { return 1 / std::max(1.0, d); }},
      {"near=\"4 m\"\nrolloff=\"50 %\"", [](double d) { return d <= 4 ? 1 : 4 / (4 + 0.5 * (d - 4)); }},
      {"distance=\"linear\"\nnear=\"2 m\"", [](double d) { return d <= 2 ? 1 : 1 - (d - 2) / 98; }},
      {"distance=\"exponential\"\nnear=\"2 m\"\nrolloff=\"200 %\"", [](double d) { return d <= 2 ? 1 : std::pow(d / 2, -2); }},
      {"distance=[[\"2 m\", \"0 dB\"], [\"12 m\", \"-20 dB\"], [\"40 m\", \"-30 dB\"]]",
       [](double d) {
         return std::pow(10, (d <= 2 ? 0 : d <= 12 ? -2 * (d - 2) : d <= 40 ? -20 - (d - 12) * 10 / 28 : -30) / 20);
       }},
  };
  for (const Law& law : laws) {
    INFO(law.keys);
    World world(loop("radius=\"0 m\"\nair=\"0 %\"\n" + law.keys));
    for (const double metres : {0.5, 1.5, 3.0, 8.0, 25.0, 60.0})
      CHECK(level_of(world.heard_at({0, 0, -metres})) == Approx(20 * std::log10(law.amplitude(metres))).margin(0.1));
    CHECK(world.heard_at({0, 0, 99.9}).peak() < 0.001);
    CHECK(world.heard_at({101, 0, 0}).peak() == 0);
    CHECK_THAT(world.why(), Contains("it is 101 m away, and far is 100 m"));
  }
}

TEST_CASE("100 km from the origin it sounds as it does at the origin") {
  World world(loop(""));
  const Take here = world.heard_at({3.25, 0, -2});
  constexpr double away = 99'999.5;
  world.manager->set_listener(0, {.place = {away, 0, away}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
  const Take there = world.heard_at({away + 3.25, 0, away - 2});
  CHECK(level_of(there, 0) == Approx(level_of(here, 0)).margin(0.01));
  CHECK(level_of(there, 1) == Approx(level_of(here, 1)).margin(0.01));
}

TEST_CASE("left and right by angle, at equal power, as the listener is turned") {
  World world(loop(""));
  for (int degrees = 0; degrees < 360; degrees += 30) {
    const double angle = degrees * pi / 180;
    const Take take = world.heard_at({5 * std::sin(angle), 0, -5 * std::cos(angle)});
    CHECK(level_of(take) == Approx(-20 * std::log10(5)).margin(0.05));
    const double to_the_right = take.rms(1) * take.rms(1) / (take.rms(0) * take.rms(0) + take.rms(1) * take.rms(1));
    const double part = degrees <= 90 ? (degrees + 90) / 180.0 : degrees <= 270 ? (270 - degrees) / 180.0 : (degrees - 270) / 180.0;
    CHECK(to_the_right == Approx(std::pow(std::sin(part * pi / 2), 2)).margin(0.005));
  }
  // Who faces +x has -z on the left; who hangs upside down hears it the other way round.
  world.manager->set_listener(0, {.place = {}, .facing = {1, 0, 0}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
  CHECK(world.heard_at({0, 0, -5}).rms(1) == Approx(0).margin(1e-5));
  world.manager->set_listener(0, {.place = {}, .facing = {1, 0, 0}, .up = {0, -1, 0}, .velocity = {}, .gain = {}});
  CHECK(world.heard_at({0, 0, -5}).rms(0) == Approx(0).margin(1e-5));
}

TEST_CASE("every speaker of 5.1 and 7.1 has what comes from its direction, and no other") {
  struct Speakers {
    Layout layout;
    std::vector<std::pair<std::size_t, double>> degrees;  ///< channel, to the right of ahead
  };
  const std::vector<Speakers> all = {
      {Layout::surround_5_1, {{0, -30}, {1, 30}, {2, 0}, {4, -110}, {5, 110}}},
      {Layout::surround_7_1, {{0, -30}, {1, 30}, {2, 0}, {4, -135}, {5, 135}, {6, -90}, {7, 90}}},
  };
  for (const auto& [layout, speakers] : all) {
    const auto width = static_cast<std::size_t>(channels(layout));
    World world(loop("radius=\"0 m\""), {.layout = layout, .limiter = false});
    const auto powers = [&](double degrees, double metres) {
      const Emitter emitter = world.thing({metres * std::sin(degrees * pi / 180), 0, -metres * std::cos(degrees * pi / 180)});
      world.manager->raise("a", {}, emitter);
      std::vector<float> block(width * 9600);
      world.manager->update({});
      world.manager->render(block);
      std::vector<double> sums(width);
      for (std::size_t i = width * 4800; i < block.size(); ++i)
        sums[i % width] += std::pow(static_cast<double>(block[i]), 2) / 4800 / 0.125;
      world.manager->remove_emitter(emitter);
      world.manager->update({});
      world.manager->render(block);
      return sums;
    };
    for (const auto& [channel, degrees] : speakers) {
      INFO(channel << " at " << degrees);
      const auto heard = powers(degrees, 1);
      for (std::size_t c = 0; c < width; ++c) CHECK(heard[c] == Approx(c == channel ? 1 : 0).margin(0.01));
    }
    const auto between = powers(70, 1);
    CHECK(std::accumulate(between.begin(), between.end(), 0.0) == Approx(1).margin(0.01));
    CHECK(std::count_if(between.begin(), between.end(), [](double power) { return power > 0.001; }) == 2);
  }
}

TEST_CASE("inside its radius a thing is heard at full level and from all round") {
  World world(loop("radius=\"6 m\"\nnear=\"1 m\""));
  for (const double metres : {0.0, 2.0, 5.9}) {
    const Take take = world.heard_at({metres, 0, 0});
    CHECK(level_of(take) == Approx(0).margin(0.05));
    CHECK(take.rms(0) == Approx(take.rms(1)).epsilon(0.01));
  }
  const Take outside = world.heard_at({12.5, 0, 0});
  CHECK(level_of(outside) == Approx(20 * std::log10(6 / 12.5)).margin(0.1));
  CHECK(outside.rms(0) < 0.001);
}

TEST_CASE("a cone is heard in front of what faces somewhere") {
  World world(loop("radius=\"0 m\"\ncone={inner=\"60 deg\", outer=\"180 deg\", outside=\"-12 dB\"}"));
  const auto heard = [&](double degrees) {
    const Emitter emitter = world.manager->make_emitter(
        {.place = {0, 0, -1},
         .facing = {static_cast<float>(std::sin(degrees * pi / 180)), 0, static_cast<float>(std::cos(degrees * pi / 180))}});
    world.manager->raise("a", {}, emitter);
    const double level = level_of(world.render(Seconds{0.3}).part(0.2, 0.1));
    world.manager->remove_emitter(emitter);
    world.render(Seconds{0.1});
    return level;
  };
  CHECK(heard(0) == Approx(0).margin(0.05));
  CHECK(heard(29) == Approx(0).margin(0.05));
  CHECK(heard(60) == Approx(-6).margin(0.2));
  CHECK(heard(91) == Approx(-12).margin(0.05));
  CHECK(heard(180) == Approx(-12).margin(0.05));
}

TEST_CASE("what comes nearer sounds higher, what goes away lower, by the speed of sound") {
  World world(loop("near=\"200 m\"\nfar=\"2 km\"\nair=\"0 %\""));
  for (const float speed : {-30.0F, 30.0F, 100.0F}) {
    const Emitter emitter = world.manager->make_emitter({.place = {0, 0, -100}, .velocity = {0, 0, speed}});
    world.manager->raise("a", {}, emitter);
    const Take take = world.render(Seconds{0.5}).part(0.1, 0.4);
    CHECK(take.pitch() == Approx(500 * 343.3 / (343.3 - static_cast<double>(speed))).epsilon(0.001));
    world.manager->remove_emitter(emitter);
    world.render(Seconds{0.1});
  }
}

namespace {

/// Decibels that a kilometre of air takes at 20 degrees and 70 % (ISO 9613-1, equation 5).
double taken_by_a_kilometre(double hertz) {
  constexpr double kelvin = 293.15;
  const double vapour = 70 * std::pow(10, -6.8346 * std::pow(273.16 / kelvin, 1.261) + 4.6151);
  const double oxygen = 24 + 4.04e4 * vapour * (0.02 + vapour) / (0.391 + vapour), nitrogen = 9 + 280 * vapour, square = hertz * hertz;
  return 1000 * 8.686 * square *
         (1.84e-11 + 0.01275 * std::exp(-2239.1 / kelvin) / (oxygen + square / oxygen) +
          0.1068 * std::exp(-3352 / kelvin) / (nitrogen + square / nitrogen));
}

}  // namespace

TEST_CASE("the way through air takes what the standard says, within 4 dB up to 8 kHz, as long as it takes less than 25") {
  double worst = 0;
  for (const double hertz : {1000.0, 2000.0, 4000.0, 8000.0}) {
    World world("[sounds.a]\nclips=[\"tone-of.wav\"]\nloop=true\nplace=\"world\"\nnear=\"3 km\"\nfar=\"9 km\"\n[events.a]\nstart=\"a\"\n",
                {}, [&](const Folder& folder) { folder.write_clip("clips/tone-of.wav", sine(hertz, 0.5, 1, 0.5)); });
    for (const double metres : {20.0, 50.0, 100.0, 300.0, 500.0, 1000.0}) {
      const double expected = metres / 1000 * taken_by_a_kilometre(hertz);
      if (expected > 25) continue;
      worst = std::max(worst, std::abs(-level_of(world.heard_at({0, 0, -metres})) - expected));
    }
  }
  CHECK(worst < 4);
}

TEST_CASE("what flies over the head passes from one side to the other without a leap") {
  for (const Layout layout : {Layout::stereo, Layout::surround_5_1, Layout::surround_7_1})
    for (const double height : {2.0, 10.0, 50.0}) {
      WorldDesign design;
      design.silent_from = {500};
      design.radius = {0};
      const Hearing hearing(design);
      const Ears ears = ears_of({});
      std::array<float, 8> before{};
      for (int update = 0; update < 240; ++update) {
        Whereabouts at;
        set_place(at, {(update - 120) * 10 / 60.0, height, 0.0});  // 10 m/s, sixty updates a second
        const std::array<float, 8> now = heard_from(hearing, at, {&ears, 1}, layout).channels;
        const float loudest = std::max(*std::max_element(now.begin(), now.end()), *std::max_element(before.begin(), before.end()));
        for (std::size_t c = 0; update > 0 && c < 8; ++c) {
          if (std::max(now[c], before[c]) < 0.03F * loudest) continue;  // 30 dB below the rest
          CHECK(std::abs(20 * std::log10(std::max(now[c], 1e-9F) / std::max(before[c], 1e-9F))) < 3);
        }
        before = now;
      }
    }
}

TEST_CASE("what passes by stays one tone, however unevenly the updates come") {
  for (const std::uint64_t seed : {1U, 2U}) {
    World world(loop("air=\"0 %\"\nfar=\"400 m\"", "tone-of.wav"), {.limiter = false},
                [](const Folder& folder) { folder.write_clip("clips/tone-of.wav", sine(2000, 0.5, 1, 0.5)); });
    // 20 m/s, 5 m to the front.
    const auto at = [](double time) { return Place{(time - 1.5) * 20, 0, -5}; };
    const Emitter emitter = world.thing(at(0));
    world.manager->raise("a", {}, emitter);
    Random random(seed);
    std::vector<float> left, right;
    for (double time = 0; time < 3;) {
      const Seconds frame{random.between(0.005, 0.05)};
      time += frame.value;
      world.manager->place(emitter, at(time));
      world.manager->update(frame);
      std::vector<float> block(2 * static_cast<std::size_t>(frame.value * 48000));
      world.manager->render(block);
      for (std::size_t i = 0; i < block.size(); i += 2) left.push_back(block[i]), right.push_back(block[i + 1]);
    }
    for (const auto* channel : {&left, &right}) CHECK(line_beside(std::span(*channel).subspan(60000, 24000), 2000, 48000) < -55);
  }
}

TEST_CASE("what comes from all round is no louder when its channels are folded to two, and little quieter in their own") {
  constexpr double third = std::numbers::sqrt2 / 2;
  for (const Layout layout : {Layout::surround_5_1, Layout::surround_7_1})
    for (int degrees = 0; degrees < 360; degrees += 5)
      for (const double all_round : {0.0, 0.2, 0.5, 0.8, 1.0}) {
        const auto its = towards(layout, degrees * pi / 180, all_round);
        double power = 0;
        for (const float amplitude : its) power += std::pow(static_cast<double>(amplitude), 2);
        const auto of = [&](std::size_t c) { return static_cast<double>(its[c]); };
        const double left = of(0) + third * (of(2) + of(4) + of(6)), right = of(1) + third * (of(2) + of(5) + of(7));
        const double folded = 10 * std::log10(left * left + right * right);
        CHECK(10 * std::log10(power) > -2.1);
        if (all_round == 1) CHECK(folded < 1);
        if (all_round == 1 && layout == Layout::surround_5_1) CHECK(10 * std::log10(power) > -0.8);
        CHECK(power < 1.001);
        if (all_round == 0) CHECK(power == Approx(1).margin(1e-5));
      }
}

TEST_CASE("of two listeners, one turned down, the one that hears a thing louder counts, and it is handed over without a step") {
  World world(loop("radius=\"0 m\"\nnear=\"1 m\"\nfar=\"200 m\"\nair=\"0 %\""));
  world.manager->set_listener(1, {.place = {30, 0, 0}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = Decibels{-12}});
  double before = 0, last = 0;
  for (double x = 5; x < 30; x += 0.25) {
    const double own = -20 * std::log10(x), other = -20 * std::log10(std::max(1.0, 30 - x)) - 12;
    const double level = level_of(world.heard_at({x, 0, 0}));
    CHECK(level == Approx(std::max(own, other)).margin(0.2));
    if (before != 0) CHECK(std::abs(level - last) < 3);
    before = x, last = level;
  }
}

TEST_CASE("the way through air takes from the treble, more of it further away") {
  Stage stage("[sounds.a]\nclips=[\"high.wav\"]\nloop=true\nplace=\"world\"\nnear=\"500 m\"\nfar=\"2 km\"\n[events.a]\nstart=\"a\"\n", {},
              [](const Folder& folder) { folder.write_clip("clips/high.wav", sine(4000, 0.5, 1, 0.5)); });
  stage.manager->set_listener(0, {});
  double before = 1;
  for (const double metres : {1.0, 30.0, 131.0, 300.0}) {
    const Emitter emitter = stage.manager->make_emitter({.place = {0, 0, -metres}});
    stage.manager->raise("a", {}, emitter);
    const double level = level_of(stage.render(Seconds{0.4}).part(0.2, 0.2));
    CHECK(level < before);
    if (metres < 2) CHECK(level == Approx(0).margin(0.01));
    before = level;
    stage.manager->remove_emitter(emitter);
    stage.render(Seconds{0.1});
  }
}

TEST_CASE("nothing clicks: a teleport, a listener that turns at once, a start and an end") {
  World world(loop("", "hum.wav"));
  const Emitter emitter = world.thing({0, 0, -2});
  world.manager->raise("a", {}, emitter);
  Take take = world.render(Seconds{0.5});
  world.manager->place(emitter, {40, 0, 0});
  take.append(world.render(Seconds{0.3}).samples);
  world.manager->place(emitter, {-1, 0, 0});
  take.append(world.render(Seconds{0.3}).samples);
  world.manager->set_listener(0, {.place = {}, .facing = {0, 0, 1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
  take.append(world.render(Seconds{0.3}).samples);
  for (int i = 0; i < 40; ++i) {  // to and fro, faster than it can follow
    world.manager->place(emitter, {i % 2 == 0 ? 5.0 : -5.0, 0, -1});
    take.append(world.render(Seconds{1.0 / 60}).samples);
  }
  world.manager->remove_emitter(emitter);
  take.append(world.render(Seconds{0.3}).samples);
  std::vector<float> left, right;
  for (std::size_t i = 24000; i < take.frames(); ++i) left.push_back(take.left(i)), right.push_back(take.right(i));
  CHECK(clicks(left) < -66);
  CHECK(clicks(right) < -66);
}

TEST_CASE("a loop beyond far sleeps, and comes back in its right place") {
  World world(loop("far=\"50 m\"\nradius=\"0 m\"", "longer.wav"));
  const Emitter emitter = world.thing({0, 0, -1});
  const Playback playback = world.manager->raise("a", {}, emitter).playback();
  world.render(Seconds{1});
  world.manager->place(emitter, {0, 0, -60});
  world.render(Seconds{1});
  CHECK(world.manager->stats().voices == 0);
  CHECK(world.manager->stats().dormant == 1);
  CHECK(world.entries<noted::Fading>().back().why == "it is 60 m away, and far is 50 m");
  world.manager->place(emitter, {0, 0, -1});
  const Take take = world.render(Seconds{1});
  CHECK(world.manager->stats().voices == 1);
  CHECK(!playback.ended());
  // 300 Hz from the clip's head on, without a break in its time: its phase is that of the clock.
  const auto& woke = world.entries<noted::Woke>();
  REQUIRE(woke.size() == 1);
  double in_phase = 0, off_phase = 0;
  for (std::size_t i = 24000; i < 43200; ++i) {
    const double phase = 2 * pi * 300 * (static_cast<double>(i) + 96000 - latency_frames) / 48000;
    in_phase += static_cast<double>(take.left(i)) * std::sin(phase);
    off_phase += static_cast<double>(take.left(i)) * std::cos(phase);
  }
  CHECK(std::abs(std::atan2(off_phase, in_phase)) < 0.05);
}

TEST_CASE("what is short and out of range is refused, with the figures, and silences nobody") {
  World world("[sounds.a]\nclips=[\"n-1.wav\"]\nplace=\"world\"\nfar=\"120 m\"\nlimit=1\n[events.a]\nstart=\"a\"\n");
  CHECK(world.manager->raise("a", {}, Place{0, 0, -5}).outcome == Outcome::started);
  CHECK(world.manager->raise("a", {}, Place{0, 0, -212}).outcome == Outcome::out_of_range);
  world.render(Seconds{0.02});
  CHECK(world.why() == "it is 212 m away, and far is 120 m");
  CHECK(world.entries<noted::Fading>().empty());
}

TEST_CASE("made, placed, raised on and removed in one frame: a shot finishes where it was, a loop leaves, or as the book says") {
  const auto ends_after = [](const std::string& more, const std::string& clip) {
    World world("[sounds.a]\nclips=[\"" + clip + "\"]\nplace=\"world\"\nfade-out=\"50 ms\"\n" + more + "\n[events.a]\nstart=\"a\"\n");
    const Emitter emitter = world.manager->make_emitter();
    world.manager->place(emitter, {1, 0, 0});
    CHECK(world.manager->raise("a", {}, emitter).outcome == Outcome::started);
    world.manager->remove_emitter(emitter);
    CHECK(world.manager->raise("a", {}, emitter).outcome == Outcome::emitter_gone);
    const Take take = world.render(Seconds{1});
    CHECK(take.part(0.005, 0.02).rms(1) > 0.2);
    CHECK(take.part(0.005, 0.02).rms(0) < 0.001);
    world.manager->remove_emitter(emitter);
    CHECK(!world.manager->place(emitter, {5, 0, 0}));
    world.render(Seconds{0.1});
    CHECK(notices_with(world, "an emitter was placed") == 1);
    double end = 0;
    for (double at = 0; at < 0.9; at += 0.01)
      if (take.part(at, 0.01).peak() > 0.001) end = at;
    return end;
  };
  CHECK(ends_after("", "tone.wav") == Approx(0.5).margin(0.02));
  CHECK(ends_after("when-gone=\"stop\"", "tone.wav") < 0.1);
  CHECK(ends_after("loop=true", "hum.wav") < 0.1);
  CHECK(ends_after("loop=true\nwhen-gone=\"finish\"", "hum.wav") > 0.85);
}

TEST_CASE("a lantern hangs on a boat, goes and turns with it, and has its traits") {
  World world("[sounds.a]\nclips={by=\"hull\", steel=[\"hum.wav\"], otherwise=[]}\nloop=true\nplace=\"world\"\n[events.a]\nstart=\"a\"\n");
  const std::vector<Trait> steel = {{"hull", "steel"}};
  const Emitter boat = world.manager->make_emitter({.place = {0, 0, -20}, .traits = steel});
  const Emitter lantern = world.manager->make_emitter({.place = {3, 0, 0}, .parent = boat});
  CHECK(world.manager->raise("a", {}, world.thing({})).outcome == Outcome::no_clip);
  CHECK(world.manager->raise("a", {}, lantern).outcome == Outcome::started);
  world.manager->place(boat, {0, 0, 0});
  world.render(Seconds{0.2});
  CHECK(world.render(Seconds{0.1}).rms(1) > 0.1);  // 3 m to the right
  world.manager->set_facing(boat, {0, 0, 1});
  world.render(Seconds{0.2});
  const Take turned = world.render(Seconds{0.1});
  CHECK(turned.rms(0) > 0.1);
  CHECK(turned.rms(1) < 0.001);
  CHECK(!world.manager->attach(boat, lantern));  // its own ancestor
  CHECK(!world.manager->attach(boat, boat));
  world.manager->remove_emitter(boat);
  world.render(Seconds{0.2});
  CHECK(world.render(Seconds{0.1}).rms(0) == Approx(turned.rms(0)).epsilon(0.01));  // it stays where it is
}

TEST_CASE("of listeners the nearest counts, and may be turned down; without any it is heard as on the screen, and a notice says why") {
  World world(loop("radius=\"0 m\""));
  world.manager->set_listener(1, {.place = {100, 0, 0}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {-6}});
  CHECK(level_of(world.heard_at({0, 0, -4})) == Approx(-20 * std::log10(4)).margin(0.05));
  CHECK(level_of(world.heard_at({102, 0, 0})) == Approx(-20 * std::log10(2) - 6).margin(0.05));
  CHECK(world.manager->set_listener(2000, {}) == Outcome::no_room);
  world.manager->remove_listener(0);
  world.manager->remove_listener(1);
  CHECK(level_of(world.heard_at({102, 0, 0})) == Approx(0).margin(0.05));
  CHECK(level_of(world.heard_at({102, 0, 0})) == Approx(0).margin(0.05));
  CHECK(notices_with(world, "there is no listener") == 1);
  world.raise("a");
  world.render(Seconds{0.1});
  CHECK(notices_with(world, "no place came with it") == 1);
}

TEST_CASE("numbers that make no sense are told or defined, and nothing bursts or hangs") {
  World world(loop(""));
  constexpr double nan = std::numeric_limits<double>::quiet_NaN(), infinite = std::numeric_limits<double>::infinity();
  const auto bad = static_cast<float>(nan);
  CHECK(!world.manager->make_emitter({.place = {nan, 0, 0}}));
  const Emitter emitter = world.thing({0, 0, -1});
  for (const Place& place : {Place{nan, 0, 0}, Place{0, infinite, 0}, Place{0, 0, -1e7}}) CHECK(!world.manager->place(emitter, place));
  CHECK(!world.manager->set_velocity(emitter, {bad, 0, 0}));
  CHECK(!world.manager->set_facing(emitter, {0, bad, 0}));
  CHECK(world.manager->set_velocity(emitter, {1e6F, -1e6F, 1e6F}));
  CHECK(world.manager->raise("a", {}, Place{nan, 0, 0}).outcome == Outcome::not_a_number);
  CHECK(world.manager->raise("a", {}, Place{infinite, 0, 0}).outcome == Outcome::silent);  // brought to the world's end
  CHECK(world.manager->set_listener(0, {.place = {nan, 0, 0}, .facing = {}, .up = {}, .velocity = {}, .gain = {}}) ==
        Outcome::not_a_number);
  world.manager->raise("a", {}, emitter);
  const Take take = world.render(Seconds{0.5});
  CHECK(take.peak() < 0.6);
  CHECK(take.part(0.2, 0.2).pitch() > 240);
  world.manager->set_listener(0, {.place = {1, 0, 0}, .facing = {}, .up = {}, .velocity = {1e6F, 0, 0}, .gain = {}});
  CHECK(world.render(Seconds{0.5}).peak() < 0.6);
  for (const Emitter other : {Emitter{77}, Emitter{~std::uint64_t{0}}, Emitter{}}) {
    world.manager->remove_emitter(other);
    CHECK(!world.manager->place(other, {}));
  }
}

TEST_CASE("there is room for as many emitters as the options say") {
  World world(loop(""), {.emitters = 3});
  std::array<Emitter, 4> made;
  for (Emitter& emitter : made) emitter = world.manager->make_emitter();
  CHECK(made[2]);
  CHECK(!made[3]);
  world.render(Seconds{0.05});
  CHECK(notices_with(world, "there are 3 emitters, and there is room for no more") == 1);
  world.manager->remove_emitter(made[0]);
  world.render(Seconds{0.05});
  CHECK(world.manager->make_emitter());
}

TEST_CASE("the pass over all places finds the same on every kind of machine, and with its twin") {
  Random random(3);
  const auto any = [&](double most) { return static_cast<std::int32_t>(random.between(-most, most)); };
  for (int round = 0; round < 50; ++round) {
    const std::size_t count = 1 + random.below(500), ear_count = 1 + random.below(8);
    const double wide = round % 2 == 0 ? 1e5 : 1e9;
    std::array<std::vector<std::int32_t>, 6> numbers;
    for (auto& list : numbers)
      for (std::size_t i = 0; i < count; ++i) list.push_back(any(wide));
    for (std::size_t i = 0; i < count; i += 1 + random.below(3))
      for (std::size_t axis = 0; axis < 3; ++axis) numbers[3 + axis][i] = numbers[axis][i] + any(wide / 200);
    std::vector<std::uint32_t> kinds;
    for (std::size_t i = 0; i < count; ++i) kinds.push_back(random.below(4));
    const std::vector<float> cut = {0, static_cast<float>(wide * wide * 0.1), static_cast<float>(wide * wide * 0.5), 1e30F};
    std::vector<world_pass::At> ears;
    for (std::size_t e = 0; e < ear_count; ++e) ears.push_back({any(wide), any(wide), any(wide)});
    auto mine = numbers, twin = numbers;
    std::array<std::vector<std::uint32_t>, 4> lists;
    for (auto& list : lists) list.resize(count + 64);
    const auto run = [&](auto& its, auto function, std::vector<std::uint32_t>& moved, std::vector<std::uint32_t>& near) {
      world_pass::Found found{moved.data(), 0, near.data(), 0};
      function(
          {its[0].data(), its[1].data(), its[2].data(), its[3].data(), its[4].data(), its[5].data(), kinds.data(), cut.data(), 7, count},
          ears.data(), ears.size(), found);
      moved.resize(found.moved_count);
      near.resize(found.near_count);
    };
    run(mine, world_pass::run, lists[0], lists[1]);
    run(twin, world_pass::run_scalar, lists[2], lists[3]);
    CHECK((mine == twin));
    CHECK((lists[0] == lists[2]));
    CHECK((lists[1] == lists[3]));
  }
}

namespace {

/// Some hundred loops of eight kinds about, and listeners that go anywhere.
struct Crowd {
  std::vector<double> far = {20, 40, 60, 80, 100, 30, 50, 90};
  std::vector<int> ranks = {5, 5, 6, 5, 4, 5, 6, 5};
  std::vector<double> gains = {-3, -9, -12, 0, -6, -20, -1, -15};
  std::vector<int> limits;
  bool layered = false;  ///< two layers, one 6 dB below the other
  int of_odd = 0;        ///< limit of the group of every other sound

  std::string book() const {
    std::string text;
    if (of_odd > 0) text += "[groups.odd]\nlimit=" + std::to_string(of_odd) + "\nwhen-full=\"newest\"\n";
    for (std::size_t s = 0; s < far.size(); ++s) {
      text += "[sounds.s" + std::to_string(s) + "]\n" +
              (layered ? "layers=[{clips=[\"hum.wav\"], loop=true}, {clips=[\"hum.wav\"], loop=true, gain=\"-6 dB\"}]"
                       : "clips=[\"hum.wav\"]\nloop=true") +
              "\nplace=\"world\"\ngain=\"" + std::to_string(gains[s]) + " dB\"\nfar=\"" + std::to_string(far[s]) +
              " m\"\nrank=" + std::to_string(ranks[s]) + "\n";
      if (!limits.empty() && limits[s] > 0) text += "limit=" + std::to_string(limits[s]) + "\nwhen-full=\"newest\"\n";
      if (of_odd > 0 && s % 2 == 1) text += "group=\"odd\"\n";
      text += "[events.s" + std::to_string(s) + "]\nstart=\"s" + std::to_string(s) + "\"\n";
    }
    return text;
  }
};

/// How often somebody else was heard than a plain search over all says, in so many steps.
int differences(std::uint64_t seed, const Crowd& crowd, int steps) {
  Random random(seed);
  const std::uint32_t voices = crowd.layered ? 64 : 12;  // with layers, as many as limits leave: then starts count, and not layers
  Stage stage(crowd.book(), {.voices = voices});
  struct Thing {
    Emitter emitter;
    Place place;
    std::size_t sound;
    PlaybackId id;
  };
  std::vector<Thing> things;
  const auto anywhere = [&] { return Place{random.between(-70, 70), random.between(-3, 3), random.between(-70, 70)}; };
  Place ears = anywhere();
  stage.manager->set_listener(0, {.place = ears, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
  for (int i = 0; i < 250; ++i) {
    const Place place = anywhere();
    const Emitter emitter = stage.manager->make_emitter({.place = place});
    const auto sound = static_cast<std::size_t>(random.below(8));
    const Raised raised = stage.manager->raise(Name("s" + std::to_string(sound)), {}, emitter);
    things.push_back({emitter, place, sound, raised.playback().id()});
  }
  stage.render(Seconds{0.2});
  int different = 0;
  for (int step = 0; step < steps; ++step) {
    const auto before = sounding(stage);
    // Only who sounds is kept where it is told to be, to the millimetre: all jump far enough to be kept.
    const auto jump = [&] { return random.between(4, 9) * (random.below(2) == 0 ? 1 : -1); };
    for (Thing& thing : things) {
      thing.place = random.below(3) == 0 ? anywhere() : Place{thing.place.x + jump(), thing.place.y, thing.place.z + jump()};
      stage.manager->place(thing.emitter, thing.place);
    }
    if (random.below(4) == 0) {
      ears = anywhere();
      stage.manager->set_listener(0, {.place = ears, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
    }
    std::vector<float> block(1600);
    stage.manager->render(block);
    stage.manager->update({});
    auto heard = sounding(stage);
    // The plain search: all that can be heard, the loudest first, with 3 dB more for who has a voice.
    struct Heard {
      int rank;
      double level;
      PlaybackId id;
      std::size_t sound;
    };
    std::vector<Heard> all;
    for (const Thing& thing : things) {
      const double metres = std::hypot(thing.place.x - ears.x, thing.place.y - ears.y, thing.place.z - ears.z);
      const double far = crowd.far[thing.sound];
      if (metres >= far) continue;
      const double left = std::min(1.0, (far - metres) / (far * 0.25));
      const double amplitude = 1 / std::max(1.0, metres) * left * left * (3 - 2 * left);
      constexpr double clip = -9.03, faintest = -120;  // below which nobody hears it
      if (crowd.gains[thing.sound] + clip + 20 * std::log10(amplitude) < faintest + 0.01) {
        std::erase(heard, thing.id);  // it claims nothing, and may keep a voice that nobody needs
        continue;
      }
      const bool has = std::binary_search(before.begin(), before.end(), thing.id);
      all.push_back(
          {crowd.ranks[thing.sound], crowd.gains[thing.sound] + 20 * std::log10(amplitude) + (has ? 3 : 0), thing.id, thing.sound});
    }
    std::sort(all.begin(), all.end(),
              [](const Heard& a, const Heard& b) { return std::tuple(b.rank, b.level, b.id) < std::tuple(a.rank, a.level, a.id); });
    std::vector<PlaybackId> expected;
    std::array<int, 8> of_sound{};
    int of_group = 0;
    double last_of_group = 1e9;
    bool close = false;  // two so near to each other that the units of places decide
    double last = 1e9;
    for (const Heard& its : all) {
      if (expected.size() == voices) {
        close = close || std::abs(its.level - last) < 0.05;
        break;
      }
      if (!crowd.limits.empty() && crowd.limits[its.sound] > 0 && of_sound[its.sound]++ >= crowd.limits[its.sound]) {
        close = close || std::abs(its.level - last) < 0.05;
        continue;
      }
      if (crowd.of_odd > 0 && its.sound % 2 == 1 && of_group++ >= crowd.of_odd) {
        close = close || std::abs(its.level - last_of_group) < 0.05;
        continue;
      }
      if (its.sound % 2 == 1) last_of_group = its.level;
      expected.push_back(its.id);
      last = its.level;
    }
    std::sort(expected.begin(), expected.end());
    different += heard != expected && !close ? 1 : 0;
  }
  return different;
}

}  // namespace

TEST_CASE("those are heard that a plain search over all finds the loudest, in thousands of worlds") {
  constexpr int worlds = times(40, 4), steps = times(60, 10);
  int different = 0;
  Crowd limited;
  limited.limits = {2, 0, 3, 0, 1, 0, 2, 0};
  Crowd layered = limited;
  layered.limits = {2, 1, 3, 2, 1, 4, 2, 3};
  layered.layered = true;
  Crowd grouped;
  grouped.of_odd = 3;
  Crowd both = grouped;
  both.limits = {2, 0, 3, 0, 1, 1, 2, 1};
  int different_with_limits = 0, different_with_layers = 0, different_in_groups = 0, different_with_both = 0;
  for (std::uint64_t seed = 1; seed <= worlds; ++seed) {
    different += differences(seed, {}, steps);
    different_with_limits += differences(seed, limited, steps);
    different_with_layers += differences(seed, layered, steps);
    different_in_groups += differences(seed, grouped, steps);
    different_with_both += differences(seed, both, steps);
  }
  CHECK(different == 0);
  CHECK(different_with_limits == 0);
  CHECK(different_with_layers == 0);
  CHECK(different_in_groups == 0);
  CHECK(different_with_both == 0);
}

TEST_CASE("a limit counts starts, never layers, however things come near: the second of two that may be is heard") {
  World world(
      "[sounds.a]\nlayers=[{clips=[\"hum.wav\"], loop=true}, {clips=[\"hum.wav\"], loop=true, gain=\"-6 dB\"}]\nlimit=2\nplace=\"world\"\n"
      "[events.a]\nstart=\"a\"\n");
  world.manager->raise("a", {}, world.thing({0, 0, -5}));
  const Emitter other = world.thing({0, 0, -90});
  const Playback playback = world.manager->raise("a", {}, other).playback();
  world.render(Seconds{0.3});
  world.manager->place(other, {0, 0, -6});
  world.render(Seconds{0.3});
  const auto heard = sounding(world);
  CHECK(std::count(heard.begin(), heard.end(), playback.id()) > 0);
  CHECK(world.manager->stats().voices == 4);
}

TEST_CASE("places, gauges, raises, updates and rendering in four threads leave nothing behind", "[threads]") {
  Stage stage(
      "[gauges.throttle]\n" +
          loop("far=\"60 m\"\nfollow=[{gauge=\"throttle\", gain=[[0, \"-20 dB\"], [1, \"0 dB\"]], pitch=[[0, \"0 st\"], [1, \"5 st\"]]}]") +
          "[sounds.b]\nclips=[\"n-1.wav\"]\nplace=\"world\"\n[events.b]\nstart=\"b\"\n",
      {}, {}, true);
  SoundManager& manager = *stage.manager;
  std::atomic<bool> done{false};
  std::vector<std::thread> threads;
  for (std::uint64_t seed : {1U, 2U})
    threads.emplace_back([&manager, &done, seed] {
      Random random(seed);
      std::vector<Emitter> emitters(50);
      std::vector<Place> places(50);
      std::vector<float> throttles(50);
      while (!done) {
        for (std::size_t i = 0; i < emitters.size(); ++i) {
          places[i] = {random.between(-90, 90), 0, random.between(-90, 90)};
          if (random.below(20) == 0) {
            manager.remove_emitter(emitters[i]);
            emitters[i] =
                manager.make_emitter({.place = places[i], .parent = random.below(3) == 0 ? emitters[random.below(50)] : Emitter{}});
            if (emitters[i]) manager.raise("a", {}, emitters[i]);
          }
        }
        manager.place(emitters, places);
        for (float& value : throttles) value = static_cast<float>(random.between(0, 1));
        manager.set_gauge("throttle", emitters, throttles);
        manager.set_gauge("throttle", random.between(0, 1));
        manager.raise("b", {}, emitters[random.below(50)]);
        manager.set_listener(random.below(2), {.place = places[0], .facing = {1, 0, 0}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
        std::this_thread::sleep_for(std::chrono::microseconds(200));
      }
      for (const Emitter emitter : emitters) manager.remove_emitter(emitter);
    });
  threads.emplace_back([&] {
    while (!done) manager.update(Seconds{0.002}), std::this_thread::sleep_for(std::chrono::microseconds(300));
  });
  std::vector<float> block(512);
  float peak = 0;
  for (int i = 0; i < 400; ++i) {
    manager.render(block);
    for (const float sample : block) peak = std::max(peak, std::abs(sample));
    std::this_thread::sleep_for(std::chrono::microseconds(500));
  }
  done = true;
  for (std::thread& thread : threads) thread.join();
  CHECK(peak <= 1);
  for (int i = 0; i < 200; ++i) {
    manager.render(block);
    manager.update(Seconds{0.005});
  }
  CHECK(manager.stats().playbacks == 0);
}

TEST_CASE("a journal written by hand says where things are") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + loop(""));
  const Bank bank = compile_book(folder.path("book.toml"));
  const JournalScript script = parse_journal(R"({"at": 0, "request": "listener", "place": [0, 0, 0]}
{"at": 0, "kept": [{"emitter": 7, "place": [2, 0, 0]}]}
{"at": "0.1 s", "request": "raise", "event": "a", "emitter": 7}
{"at": "0.6 s", "kept": [{"emitter": 7, "place": [-4, 0, 0]}]}
{"at": "1 s", "kept": [{"emitter": 7, "gone": true}]}
{"at": "1.2 s", "end": true}
)",
                                             "hand.jsonl");
  SoundManager manager(options_of(script));
  Take take;
  replay(script, bank, manager, [&](std::span<const float> block) { take.append(block); });
  CHECK(level_of(take.part(0.3, 0.2), 1) == Approx(-6.02).margin(0.1));
  CHECK(take.part(0.3, 0.2).rms(0) < 0.001);
  CHECK(level_of(take.part(0.7, 0.2), 0) == Approx(-12.04).margin(0.1));
  CHECK(take.part(1.1, 0.1).peak() < 0.001);
  // What is played is noted again, and plays the same.
  std::string again;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) { again += to_json(entry) + "\n"; };
  {
    SoundManager other(std::move(options));
    replay(script, bank, other, [](std::span<const float>) {});
  }
  CHECK_THAT(again, Contains("\"place\":[-4.0,0.0,0.0]") && Contains("\"gone\":true") && Contains("\"away\":\"2.00 m\""));
  SoundManager third(options_of(script));
  Take same;
  replay(parse_journal(again, "again.jsonl"), bank, third, [&](std::span<const float> block) { same.append(block); });
  CHECK((same.samples == take.samples));
  // A place may come with the raise alone.
  const JournalScript raised = parse_journal(
      "{\"at\": 0, \"request\": \"listener\", \"place\": [0, 0, 0]}\n"
      "{\"at\": 0, \"request\": \"raise\", \"event\": \"a\", \"emitter\": 7, \"place\": [-4, 0, 0]}\n{\"at\": \"1 s\", \"end\": true}\n",
      "raised.jsonl");
  SoundManager fourth(options_of(raised));
  Take heard;
  replay(raised, bank, fourth, [&](std::span<const float> block) { heard.append(block); });
  CHECK(level_of(heard.part(0.3, 0.5), 0) == Approx(-12.04).margin(0.1));
  // A number that no manager gives.
  for (const std::string line : {"\"request\": \"raise\", \"event\": \"a\", \"emitter\": 3000000000, \"place\": [2, 0, 0]",
                                 "\"kept\": [{\"emitter\": 3000000000, \"place\": [2, 0, 0]}]"})
    CHECK_THROWS_WITH(parse_journal("{\"at\": 0, " + line + "}\n", "h"), Contains("there is no emitter 3000000000"));
  CHECK_THROWS_WITH(parse_journal("{\"at\": 0, \"kept\": [{\"emitter\": 7, \"place\": [2, 0]}]}\n", "h"),
                    Contains("\"place\" must be three numbers, such as [12, 0, -3.5]"));
}

TEST_CASE("what is kept goes into a file beside the journal, small, and gives the same samples again") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + loop("far=\"60 m\"\nfade-out=\"40 ms\""));
  const Bank bank = compile_book(folder.path("book.toml"));
  Take original;
  {
    JournalFile journal(folder.path("trip.journal.jsonl"));
    SoundManager manager({.voices = 8, .journal = journal.sink(), .offline = true});
    manager.load(bank);
    Random random(9);
    std::vector<Emitter> emitters;
    std::vector<Place> places;
    for (int i = 0; i < 200; ++i) {
      places.push_back({random.between(-150, 150), 0, random.between(-150, 150)});
      emitters.push_back(manager.make_emitter({.place = places.back()}));
      manager.raise("a", {}, emitters.back());
    }
    std::vector<float> block(1600);
    for (int frame = 0; frame < 240; ++frame) {
      for (Place& place : places) place.x += 1.4 / 60, place.z += random.between(-0.02, 0.02);
      manager.place(emitters, places);
      manager.set_listener(0, {.place = {frame * 0.2, 1.7, 0}, .facing = {0, 0, -1}, .up = {0, 1, 0}, .velocity = {}, .gain = {}});
      if (frame % 20 == 5) manager.remove_emitter(emitters[static_cast<std::size_t>(frame / 20)]);
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
      original.append(block);
    }
  }
  CHECK_THAT(folder.read("trip.journal.jsonl"), Contains("\"world\":\"trip.journal.world\""));
  const std::string world = folder.read("trip.journal.world");
  CHECK(world.size() > 1000);
  CHECK(world.size() < 30'000);  // the places alone would be 200 * 240 * 24 bytes
  const auto again = [&] {
    const JournalScript script = read_journal(folder.path("trip.journal.jsonl"));
    SoundManager manager(options_of(script));
    std::vector<float> samples;
    replay(script, bank, manager, [&](std::span<const float> block) { samples.insert(samples.end(), block.begin(), block.end()); });
    return samples;
  };
  CHECK((again() == original.samples));
  folder.write("trip.journal.world", world.substr(0, world.size() / 2));  // a crash
  CHECK(again().size() == original.samples.size());
  folder.write("trip.journal.world", "no such thing");
  CHECK_THROWS_WITH(again(), Contains("is not what was kept of emitters"));
  std::filesystem::remove(folder.path("trip.journal.world"));
  CHECK_THROWS_WITH(again(), Contains("'trip.journal.world' with the places of its emitters does not lie beside it"));
}

TEST_CASE("on a walk past it a thing comes from ahead, from the right and from behind, as loud as its distance says") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + loop("far=\"40 m\"\nradius=\"0 m\"\nair=\"0 %\"\ndoppler=\"0 %\""));
  const ReadBook read = read_book(folder.path("book.toml"));
  std::size_t samples = 0;
  const WalkPast walk =
      walk_past(read.book, "a", {.layout = Layout::surround_5_1}, [&](std::span<const float> block) { samples += block.size(); });
  CHECK(samples == std::size_t{6} * 20 * 48000);
  REQUIRE(walk.steps.size() == 200);
  const auto power = [](const WalkStep& step, std::initializer_list<std::size_t> of) {
    double sum = 0;
    for (const std::size_t channel : of) sum += std::pow(10, step.levels[channel].value / 10);
    return sum;
  };
  for (const WalkStep& step : walk.steps) {
    const double metres = step.distance.value;
    const double all = power(step, {0, 1, 2, 4, 5});
    if (metres > 3 && metres < 29) CHECK(10 * std::log10(all / 0.125) == Approx(-20 * std::log10(metres)).margin(0.8));
    if (metres > 40.5) CHECK(all == 0);
    if (step.along.value < -10 && metres < 35) CHECK(power(step, {1, 2}) > 0.99 * all);
    if (step.along.value > 10 && metres < 35) CHECK(power(step, {4, 5}) > 0.95 * all);
    CHECK(power(step, {3}) == 0);
  }
  CHECK_THROWS_WITH(walk_past(read.book, "b", {}, {}), Contains("has no sound 'b'"));
}

TEST_CASE("a gauge is held on a walk, or goes from one value to another, and the table knows what a sound follows") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml",
               book_head + "[gauges.throttle]\ndefault = 1\n" +
                   loop("far=\"40 m\"\nradius=\"0 m\"\nair=\"0 %\"\nfollow=[{gauge=\"throttle\", gain=[[0, \"-30 dB\"], [1, \"0 dB\"]]},"
                        "{gauge=\"distance\", gain=[[\"5 m\", \"0 dB\"], [\"15 m\", \"-10 dB\"]], low-pass=[[\"0 m\", \"none\"], [\"10 "
                        "m\", \"1 kHz\"]]}]"));
  const Book book = read_book(folder.path("book.toml")).book;
  const auto all = [](const WalkStep& step) {
    double power = 0;
    for (const Decibels level : step.levels) power += std::pow(10, level.value / 10);
    return 10 * std::log10(power);
  };
  const WalkPast plain = walk_past(book, "a", {}, [](auto) {}),
                 held = walk_past(book, "a", {.gauges = {{"throttle", 0.5, 0.5}}}, [](auto) {}),
                 swept = walk_past(book, "a", {.gauges = {{"throttle", 0, 1}}}, [](auto) {});
  for (std::size_t i = 20; i < 180; ++i) {
    CHECK(all(held.steps[i]) == Approx(all(plain.steps[i]) - 15).margin(0.2));
    CHECK(all(swept.steps[i]) == Approx(all(plain.steps[i]) - 30 * (1 - swept.steps[i].gauges[0])).margin(0.6));
  }
  for (const HeardAway& its : plain.table)
    if (its.distance.value == 10) {
      CHECK(its.level.value == Approx(-25).margin(0.01));
      CHECK(its.low_pass.value == Approx(1000));
    }
  CHECK((plain.table_at_end.empty() && held.by_distance_at_end.empty()));
  REQUIRE(swept.table_at_end.size() == swept.table.size());
  REQUIRE(swept.by_distance_at_end.size() == swept.by_distance.size());
  for (std::size_t i = 0; i + 1 < swept.table.size(); ++i)
    CHECK(swept.table_at_end[i].level.value == Approx(swept.table[i].level.value + 30).margin(0.01));
  CHECK_THROWS_WITH(walk_past(book, "a", {.gauges = {{"trottle", 0, 1}}}, {}),
                    Contains("has no gauge 'trottle'; did you mean 'throttle'?"));
  CHECK_THROWS_WITH(walk_past(book, "a", {.gauges = {{"throttle", 0, 2}}}, {}), Contains("throttle goes from 0 to 1"));
  CHECK_THROWS_WITH(walk_past(book, "a", {.gauges = {{"distance", 0, 2}}}, {}), Contains("comes from the walk itself"));
}

TEST_CASE("books say where things are heard, and what is wrong with it") {
  const std::string head = book_head + "[events.a]\nstart=\"a\"\n[sounds.a]\nclips=[\"hum.wav\"]\n";
  const Folder folder;
  write_stage_clips(folder);
  const auto problem = [&](const std::string& keys) {
    const ReadBook read = parse_book(head + keys, folder.path("book.toml"));
    return read.problems.empty() ? std::string() : read.problems.front().message;
  };
  const std::string world = "place=\"world\"\n";
  CHECK(problem(world).empty());
  CHECK_THAT(problem(world + "near=\"30 m\"\nfar=\"20 m\""), Contains("near, 30 m, must be less than far, 20 m"));
  CHECK_THAT(problem(world + "radius=\"-1 m\""), Contains("negative"));
  CHECK_THAT(problem(world + "distance=[]"), Contains("it needs from 2 to 64"));
  CHECK_THAT(problem(world + "distance=[[\"2 m\", \"0 dB\"]]"), Contains("has 1 points"));
  CHECK_THAT(problem(world + "distance=[[\"9 m\", \"0 dB\"], [\"3 m\", \"-6 dB\"]]"), Contains("put points in order of distance"));
  CHECK_THAT(problem(world + "distance=[[\"3 m\", \"0 dB\"], [\"3 m\", \"-6 dB\"]]"), Contains("each at one of its own"));
  CHECK_THAT(problem(world + "distance=[[\"3 m\", \"0 dB\"], [3, 4]]"), Contains("is a distance and a level"));
  CHECK_THAT(problem(world + "distance=\"invers\""), Contains("inverse"));
  CHECK_THAT(problem(world + "cone={outer=\"90 deg\"}"), Contains("a cone needs its inner angle"));
  CHECK_THAT(problem(world + "cone={inner=\"90 deg\", outer=\"30 deg\"}"), Contains("is smaller than its inner one"));
  CHECK_THAT(problem(world + "far=\"20\""), Contains("lacks a unit; write \"20 m\""));
}

TEST_CASE("what waits for its delay in the world counts against its limit when it is to be heard") {
  const auto heard = [](const std::string& when_full) {
    Stage stage("[sounds.shot]\nclips=[\"long.wav\"]\nplace=\"world\"\ndelay=\"400 ms\"\nlimit=2\n" + when_full +
                "[events.a]\nstart=\"shot\"\n");
    stage.manager->set_listener(0, {});
    for (int i = 0; i < 5; ++i) {
      CHECK(stage.manager->raise("a", {}, Place{2.0 + i, 0, 0}).outcome == Outcome::started);
      stage.render(Seconds{0.05});
    }
    stage.render(Seconds{0.6});
    CHECK(stage.manager->stats().voices == 2);
    std::vector<std::uint64_t> raises;
    for (const PlaybackId id : sounding(stage)) raises.push_back(id.raise);
    for (const auto& due : stage.entries<noted::Due>())
      if (refused(due.outcome)) CHECK(due.why == "2 of 'shot' play already, which is its limit");
    return raises;
  };
  CHECK(heard("when-full=\"newest\"\n") == std::vector<std::uint64_t>{1, 2});
  CHECK(heard("when-full=\"oldest\"\n") == std::vector<std::uint64_t>{4, 5});
  CHECK(heard("when-full=\"quietest\"\n") == std::vector<std::uint64_t>{1, 5});
}
