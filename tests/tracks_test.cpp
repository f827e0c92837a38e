/// Music, measured by what is heard: crossings, endings, stems, scopes, saved states, beats, lists, and books that are wrong.

#include <fmt/format.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "music.hpp"
#include "stage.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("a crossing of unlike tracks stays within half a decibel") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage(
      "[tracks.a]\nclips = [\"a.wav\"]\nby = \"cross\"\nover = \"2 s\"\n[tracks.b]\nclips = [\"b.wav\"]\nby = \"cross\"\nover = \"2 s\"\n",
      options, [](const Folder& folder) {
        folder.write_clip("clips/a.wav", noise(1, 480'000));
        folder.write_clip("clips/b.wav", noise(2, 480'000));
      });
  stage.manager->play("a");
  const double alone = power(stage.render(Seconds{2}).part(0.5, 1).samples);
  CHECK(stage.manager->play("b") == Outcome::started);
  const Take take = stage.render(Seconds{3});
  for (double at = 0; at < 2.4; at += 0.2) {
    INFO(at);
    CHECK(power(take.part(at, 0.2).samples) == Approx(alone).margin(0.5));
  }
}

TEST_CASE("a third track makes the first leave within a tenth of a second") {
  ManagerOptions options;
  options.limiter = false;
  std::string book;
  for (const char* name : {"a", "b", "c"})
    book += fmt::format("[tracks.{0}]\nclips = [\"{0}.wav\"]\nby = \"cross\"\nover = \"4 s\"\n", name);
  Stage stage(book, options, [](const Folder& folder) {
    for (unsigned i = 0; i < 3; ++i) folder.write_clip(fmt::format("clips/{}.wav", "abc"[i]), noise(i + 1, 480'000));
  });
  stage.manager->play("a");
  const double alone = power(stage.render(Seconds{2}).part(0.5, 1).samples);
  stage.manager->play("b");
  stage.render(Seconds{1.5});
  stage.manager->play("c");
  const Take take = stage.render(Seconds{6});
  double most = -100;
  for (double at = 0; at < 5; at += 0.1) most = std::max(most, power(take.part(at, 0.1).samples));
  CHECK(most < alone + 2);
  CHECK(stage.manager->stats().voices == 1);
}

TEST_CASE("a track without a tempo loops, and one that is asked for again goes on, also after a restart of its scope") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage("[scopes.level]\n[tracks.a]\nclips = [\"a.wav\"]\nscope = \"level\"\n[tracks.b]\nclips = [\"b.wav\"]\nscope = \"level\"\n",
              options, [](const Folder& folder) { write_sides(folder, "a.wav", "b.wav", 30'000); });
  CHECK(stage.manager->play("a") == Outcome::started);
  Take take = stage.render(Seconds{2});
  for (int restart = 0; restart < 3; ++restart) {
    stage.manager->begin("level");
    CHECK(stage.manager->play("a") == Outcome::went_on);
    take.append(stage.render(Seconds{2}).samples);
  }
  CHECK(stage.manager->stats().voices == 1);
  CHECK(steepest(take, 300, take.frames()) < 1e-6);
  stage.manager->begin("level");  // and nobody asks
  stage.render(Seconds{2});
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.manager->play("a") == Outcome::started);
  stage.render(Seconds{1});
  stage.manager->end("level");
  CHECK(stage.manager->play("b") == Outcome::scope_ended);
  stage.manager->begin("level");
  CHECK(stage.manager->play("b") == Outcome::started);
  CHECK(heard_from(stage.render(Seconds{1}), 1).has_value());
}

TEST_CASE("the parts behind the loop are heard when a track is left on its end, without a seam") {
  for (const double rate : {48000.0, 44100.0}) {
    for (const bool stream : {false, true}) {
      ManagerOptions options;
      options.limiter = false;
      options.rate = {rate};
      const std::int64_t bar = beats(4, 120);
      const std::string book = fmt::format(
          "[tracks.a]\nclips = [\"a.wav\"]\nstream = {}\ntempo = \"120 bpm\"\nparts = [ {{ bars = 1 }}, {{ name = \"round\", bars = 2, "
          "loop = true }}, "
          "{{ name = \"ending\", bars = 1 }} ]\n[tracks.b]\nclips = [\"b.wav\"]\ntempo = \"120 bpm\"\nparts = [ {{ bars = 1, loop = true "
          "}} "
          "]\non = \"end\"\n[events.end]\nresponses = [ {{ leave = \"main\", on = \"end\" }} ]\n",
          stream);
      Stage stage(book, options, [&](const Folder& folder) {
        std::vector<float> tone;
        // A tone whose phase goes on over the seam of the loop and into the ending, and which is an octave higher in the ending.
        for (std::int64_t i = 0; i < 4 * bar; ++i) {
          const double pitch = i < 3 * bar ? 500 : 1000;
          tone.push_back(static_cast<float>(0.5 * std::sin(2 * std::acos(-1.0) * pitch * static_cast<double>(i) / 48000)));
        }
        folder.write_clip("clips/a.wav", tone);
        folder.write_clip("clips/b.wav", sine(2000, 2, 1, 0.5));
      });
      stage.manager->reload(compile_book(stage.folder.path("book.toml")));
      INFO(rate << (stream ? " streamed" : ""));
      stage.manager->play("a");
      Take take;
      take.rate = {rate};
      take.append(stage.render(Seconds{11}).samples);  // in the third round
      CHECK(stage.manager->raise("end").outcome == Outcome::planned);
      take.append(stage.render(Seconds{7}).samples);
      CHECK(take.part(10.2, 3.7).pitch() == Approx(500).margin(0.5));
      CHECK(take.part(14.1, 1.8).pitch() == Approx(1000).margin(1));
      CHECK(take.part(16.1, 0.8).peak() < 1e-4);
      // No jump at the seam, nor a change of level.
      std::vector<float> mono;
      for (const auto& part : {take.part(13.9, 0.2)})
        for (std::size_t i = 0; i < part.frames(); ++i) mono.push_back(part.left(i));
      CHECK(take.part(13.9, 0.2).peak() == Approx(0.5 * std::sqrt(0.5)).margin(0.005));
      CHECK(steepest(take, static_cast<std::size_t>(13.9 * rate), static_cast<std::size_t>(14.1 * rate)) <
            0.36 * 2 * std::acos(-1.0) * 1000 / rate);
      stage.manager->play("a");
      stage.render(Seconds{3});
      CHECK(stage.manager->play("b") == Outcome::planned);
      Take over = stage.render(Seconds{9});
      over.rate = {rate};
      CHECK(over.part(3.2, 1.6).pitch() == Approx(1000).margin(1));
      CHECK(over.part(5.2, 3).pitch() == Approx(2000).margin(1));
    }
  }
}

TEST_CASE("stems stay together however often they sleep and wake, streamed and in memory, at another rate") {
  for (const bool stream : {false, true}) {
    INFO(stream);
    ManagerOptions options;
    options.limiter = false;
    options.rate = {44100};
    std::string book = fmt::format(
        "[gauges.danger]\nsmoothing = \"0 s\"\n[tracks.a]\nstream = {}\ntempo = \"97 bpm\"\nparts = [ {{ bars = 2 }}, {{ bars = 2, loop = "
        "true }} ]\nstems = [\n",
        stream);
    for (int i = 0; i < 4; ++i)
      book += fmt::format("  {{ name = \"s{0}\", clips = [\"s{0}.wav\"]{1} }},\n", i,
                          i == 0 ? ""
                                 : fmt::format(", follow = [ {{ gauge = \"danger\", gain = [[0, \"{}\"], [1, \"{}\"]] }} ]",
                                               i == 2 ? "0 dB" : "silent", i == 2 ? "silent" : "0 dB"));
    book += "]\n";
    Stage stage(book, options, [](const Folder& folder) {
      // All stems hold the same noise, so that stems that drift apart are quieter together.
      for (int i = 0; i < 4; ++i) folder.write_clip(fmt::format("clips/s{}.wav", i), noise(3, beats(16, 97)));
    });
    stage.manager->reload(compile_book(stage.folder.path("book.toml")));
    stage.manager->play("a");
    std::mt19937 random(5);
    Take take;
    double level = 0;
    for (int turn = 0; turn < times(24, 8); ++turn) {
      stage.manager->set_gauge("danger", turn % 2);
      take = stage.render(Seconds{0.4 + 0.001 * static_cast<double>(random() % 1000)});
      // Two stems are heard where the gauge is at 0, three where it is at 1: alike, they add up to whole multiples.
      const double heard = take.part(take.seconds() * 44100 / 48000 - 0.12, 0.1).rms() / (turn % 2 == 0 ? 2 : 3);
      if (turn == 0) level = heard;
      CHECK(heard == Approx(level).epsilon(0.08));
    }
  }
}

TEST_CASE("a saved state goes on bit for bit, before a change, during a crossing, and while a bridge plays") {
  const auto book = [] {
    return std::string(
        "[tracks.a]\nclips = [\"a.wav\"]\ntempo = \"97 bpm\"\nparts = [ { bars = 2, loop = true } ]\nagain = \"goes-on\"\n"
        "[tracks.b]\nclips = [\"b.wav\"]\ntempo = \"120 bpm\"\nparts = [ { bars = 2, loop = true } ]\n[tracks.b.from.a]\nby = "
        "\"cross\"\non = "
        "\"bar\"\nover = \"2 bars\"\n[tracks.a.from.b]\nby = \"bridge\"\nbridge = \"c\"\n[tracks.c]\nclips = [\"c.wav\"]\ntempo = \"120 "
        "bpm\"\n"
        "parts = [ { bars = 1 } ]\n");
  };
  const auto clips = [](const Folder& folder) {
    folder.write_clip("clips/a.wav", noise(1, beats(8, 97)));
    folder.write_clip("clips/b.wav", noise(2, beats(8, 120)));
    folder.write_clip("clips/c.wav", noise(3, beats(4, 120)));
  };
  for (const double at : {2.1, 2.4, 3.5, 6.0, 8.3, 9.5}) {
    INFO(at);
    const auto play = [&](SoundManager& manager, double from, double to) {
      Take take;
      std::vector<float> block(2 * 480);
      for (int i = static_cast<int>(std::lround(from * 100)); i < static_cast<int>(std::lround(to * 100)); ++i) {
        if (i == 0) manager.play("a");
        if (i == 200) manager.play("b");
        if (i == 800) manager.play("a");
        manager.update(Seconds{0.01});
        manager.render(block);
        take.append(block);
      }
      return take;
    };
    Stage stage(book(), {}, clips);
    play(*stage.manager, 0, at);
    const std::vector<std::byte> saved = stage.manager->save();
    ManagerOptions options;
    options.offline = true;
    SoundManager restored(options);
    restored.restore(saved, std::vector<Bank>{*stage.bank});
    CHECK(play(restored, at, 14).samples == play(*stage.manager, at, 14).samples);
  }
}

TEST_CASE("music waits while its scope is paused, is slowed with it, and changes on the beat all the same") {
  ManagerOptions options;
  options.limiter = false;
  const std::string book =
      "[scopes.world]\n[tracks.a]\nclips = [\"a.wav\"]\nscope = \"world\"\ntempo = \"120 bpm\"\nparts = [ { bars = 2, loop = true } ]\n"
      "[tracks.b]\nclips = [\"b.wav\"]\nscope = \"world\"\ntempo = \"120 bpm\"\nparts = [ { bars = 2, loop = true } ]\n";
  Stage stage(book, options, [](const Folder& folder) { write_sides(folder, "a.wav", "b.wav", beats(8, 120)); });
  stage.manager->play("a");
  stage.render(Seconds{0.5});
  stage.manager->pause("world");
  stage.render(Seconds{3});
  CHECK(stage.manager->play("b") == Outcome::planned);
  CHECK_FALSE(heard_from(stage.render(Seconds{5}), 1).has_value());
  stage.manager->resume("world");
  const Take after = stage.render(Seconds{3});
  const auto heard = heard_from(after, 1);
  REQUIRE(heard.has_value());
  CHECK(static_cast<double>(*heard) / 48000 == Approx(1.5).margin(0.03));  // a bar of 2 s, less what was heard before the pause
  stage.manager->set_time_scale("world", 0.5, Seconds{});
  stage.render(Seconds{0.1});
  CHECK(stage.manager->play("a") == Outcome::planned);
  const auto slow = heard_from(stage.render(Seconds{4}), 0);
  REQUIRE(slow.has_value());
  // The beat for the game says the same.
  const auto beat = stage.manager->beat();
  REQUIRE(beat.has_value());
  CHECK(beat->track.text() == "a");
  CHECK(beat->to_beat.value > 0);
  CHECK(beat->to_beat.value <= 48000);  // half a second, twice as long
}

TEST_CASE("the beats that pass are told once each, on their frames, and the next beat is known") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage(
      "[tracks.a]\nclips = [\"a.wav\"]\ntempo = \"97 bpm\"\nmetre = \"3/4\"\nparts = [ { name = \"one\", bars = 2 }, { name = \"two\", "
      "bars = 2, loop "
      "= true } ]\n",
      options, [](const Folder& folder) { folder.write_clip("clips/a.wav", held(0.5, 0, beats(12, 97)), 2); });
  CHECK_FALSE(stage.manager->beat().has_value());
  stage.manager->play("a");
  std::vector<PassedBeat> passed;
  std::vector<float> block(2 * 700);
  std::vector<std::string> parts;
  for (int i = 0; i < 1500; ++i) {
    stage.manager->update(Seconds{0.014});
    for (const PassedBeat& its : stage.manager->beats()) {
      passed.push_back(its);
      parts.emplace_back(its.part.text());
    }
    stage.manager->render(block);
    if (const auto beat = stage.manager->beat(); beat && beat->bar > 0) {
      // By the clock, how far into the beat, and how far to the next.
      const std::int64_t clock = stage.manager->clock().value - 63;
      std::int64_t n = 0;
      while (beats(static_cast<long double>(n + 1), 97) <= clock) ++n;
      if (n < 11) {  // behind it the grid goes round with the clip
        CHECK(beat->to_beat.value == beats(static_cast<long double>(n + 1), 97) - clock);
        CHECK(beat->bar == n / 3 + 1);
        CHECK(beat->beat == n % 3 + 1);
      }
    }
  }
  REQUIRE(passed.size() > 30);
  for (std::size_t i = 0; i < passed.size(); ++i) {
    const std::int64_t round = static_cast<std::int64_t>(i) < 12 ? 0 : (static_cast<std::int64_t>(i) - 6) / 6;
    const std::int64_t in = static_cast<std::int64_t>(i) - 6 * round;
    CHECK(passed[i].at.value == 63 + beats(static_cast<long double>(in), 97) + round * (beats(12, 97) - beats(6, 97)));
    CHECK(passed[i].beat == i % 3 + 1);
    CHECK(parts[i] == (i < 6 ? "one" : "two"));
  }
}

TEST_CASE("a list plays its tracks one after the other with pauses, and none twice running") {
  ManagerOptions options;
  options.limiter = false;
  std::string book = "[tracks.evening]\nlist = [\"a\", \"b\", \"c\"]\npause = \"100 ms .. 300 ms\"\n";
  for (const char* name : {"a", "b", "c"}) book += fmt::format("[tracks.{0}]\nclips = [\"{0}.wav\"]\nloop = false\n", name);
  Stage stage(book, options, [](const Folder& folder) {
    for (int i = 0; i < 3; ++i) folder.write_clip(fmt::format("clips/{}.wav", "abc"[i]), held(0.1 * (i + 1), 0, 24'000), 2);
  });
  CHECK(stage.manager->play("evening") == Outcome::started);
  const Take take = stage.render(Seconds{20});
  CHECK(stage.manager->play("evening") == Outcome::went_on);
  std::vector<int> order;
  std::size_t shortest = take.frames(), longest = 0;
  for (std::size_t i = 100, ended = 0; i < take.frames(); ++i) {
    const bool on = take.left(i) > 0.05F, before = take.left(i - 1) > 0.05F;
    if (on && !before) {
      order.push_back(static_cast<int>(std::lround(take.left(i + 200) * 10)));
      if (ended > 0) shortest = std::min(shortest, i - ended), longest = std::max(longest, i - ended);
    }
    if (!on && before) ended = i;
  }
  REQUIRE(order.size() > 20);
  CHECK(shortest > 4'700);
  CHECK(longest < 14'500);
  CHECK(longest > shortest + 1'000);
  for (std::size_t i = 1; i < order.size(); ++i) CHECK(order[i] != order[i - 1]);
  stage.manager->leave();
  stage.render(Seconds{1});
  CHECK(stage.render(Seconds{2}).peak() == 0);
}

TEST_CASE("a track stops after its bars, and one that goes on comes back where it was left") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage(
      "[tracks.a]\nclips = [\"a.wav\"]\ntempo = \"120 bpm\"\nparts = [ { bars = 4, loop = true } ]\nstop-after = \"3 bars\"\nagain = "
      "\"goes-on\"\n",
      options, [](const Folder& folder) { folder.write_clip("clips/a.wav", told(0, beats(16, 120)), 2); });
  stage.manager->play("a");
  const Take take = stage.render(Seconds{8});
  std::size_t last = 0;
  for (std::size_t i = 100; i < take.frames(); ++i)
    if (take.left(i) > 0.019F) last = i;
  CHECK(static_cast<std::int64_t>(last) == Approx(63 + beats(12, 120)).margin(60));
  stage.manager->play("a");
  const Take again = stage.render(Seconds{1});
  CHECK(static_cast<double>(again.right(400)) * frames_a_unit == Approx(beats(12, 120) + 400 - 63).margin(2));
}

TEST_CASE("short pieces fall on the beat of the music, with clips by the part") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage(
      "[tracks.a]\nclips = [\"a.wav\"]\ntempo = \"120 bpm\"\nparts = [ { name = \"calm\", bars = 1 }, { name = \"bright\", bars = 1, loop "
      "= true } ]\n"
      "[sounds.ping]\nclips = { by = \"part\", calm = [\"one.wav\"], bright = [\"two.wav\"], otherwise = [\"low.wav\"] }\n"
      "[events.ping]\nresponses = [ { start = \"ping\", on = \"beat\" } ]\n",
      options, [](const Folder& folder) {
        folder.write_clip("clips/a.wav", held(0, 0, beats(8, 120)), 2);
        folder.write_clip("clips/one.wav", held(0.1, 0.1, 2'400), 2);
        folder.write_clip("clips/two.wav", held(0.2, 0.2, 2'400), 2);
      });
  stage.manager->raise("ping");
  const Take silent = stage.render(Seconds{1});
  CHECK(heard_from(silent, 0).value() == 64);  // no music: at once
  stage.manager->play("a");
  stage.render(Seconds{0.6});
  stage.manager->raise("ping");
  const Take calm = stage.render(Seconds{1.6});
  CHECK(heard_from(calm, 0).value() == static_cast<std::size_t>(beats(2, 120) + 63) - 28'800);
  CHECK(calm.left(heard_from(calm, 0).value() + 10) == Approx(0.1));
  stage.manager->raise("ping");
  const Take bright = stage.render(Seconds{1});
  CHECK(bright.left(heard_from(bright, 0).value() + 10) == Approx(0.2));
}

TEST_CASE("a stem that waits for the bar comes, turns and goes on its frame, in slow motion, too") {
  for (const double scale : {1.0, 0.5}) {
    ManagerOptions options;
    options.limiter = false;
    Stage stage(
        "[scopes.world]\n[gauges.danger]\nsmoothing = \"0 s\"\n[tracks.a]\nscope = \"world\"\ntempo = \"120 bpm\"\nparts = [ { bars = 2, "
        "loop = true } "
        "]\nstems = [ { clips = [\"left.wav\"] }, { clips = [\"right.wav\"], follow = [ { gauge = \"danger\", on = \"bar\", gain = [[0, "
        "\"silent\"], "
        "[0.5, \"-6 dB\"], [1, \"0 dB\"]] } ] } ]\n",
        options, [](const Folder& folder) { write_sides(folder, "left.wav", "right.wav", beats(8, 120)); });
    stage.manager->play("a");
    Take take = stage.render(Seconds{0.5});
    if (scale != 1) stage.manager->set_time_scale("world", scale, Seconds{0});
    // The second at which a bar is heard: half a second of the first has passed at full speed.
    const auto bar = [&](int number) { return 0.5 + (2 * number - 0.5) / scale; };
    const auto until = [&](double at) { take.append(stage.render(Seconds{at - take.seconds()}).samples); };
    stage.manager->set_gauge("danger", 1);
    until(bar(1) + 0.7);
    stage.manager->set_gauge("danger", 0.5);
    until(bar(2) + 0.9);
    stage.manager->set_gauge("danger", 0);
    until(bar(3) + 0.5);
    const double slack = scale == 1 ? 0 : 400;  // the change of speed takes a moment
    const std::size_t comes = heard_from(take, 1).value();
    INFO(scale);
    CHECK(static_cast<double>(comes) == Approx(63 + bar(1) * 48000).margin(5 + slack));
    std::size_t turns = comes + 1000;
    while (turns < take.frames() && take.right(turns) > 0.499F) ++turns;
    CHECK(static_cast<double>(turns) == Approx(63 + bar(2) * 48000).margin(30 + slack));
    std::size_t goes = turns + 1000;
    while (goes < take.frames() && take.right(goes) > 0.249F) ++goes;
    CHECK(static_cast<double>(goes) == Approx(63 + bar(3) * 48000).margin(30 + slack));
    CHECK(std::abs(take.right(take.frames() - 10)) < 1e-4F);
    CHECK(static_cast<double>(take.right(turns + 2000)) == Approx(0.5 * std::pow(10, -6.0 / 20)).margin(1e-3));
    CHECK(steepest(take, 300, take.frames(), 1) < 0.01);
  }
}

TEST_CASE("tracks of two scopes change on the beat, and music of a scope that runs takes over from one on hold at once") {
  ManagerOptions options;
  options.limiter = false;
  Stage stage(
      "[scopes.world]\n[scopes.menu]\n[tracks.a]\nclips = [\"a.wav\"]\nscope = \"world\"\ntempo = \"120 bpm\"\nparts = [ { bars = 2, loop "
      "= true } ]\n"
      "[tracks.b]\nclips = [\"b.wav\"]\nscope = \"menu\"\ntempo = \"120 bpm\"\nparts = [ { bars = 2, loop = true } ]\n",
      options, [](const Folder& folder) { write_sides(folder, "a.wav", "b.wav", beats(8, 120)); });
  // The times of the two scopes lie apart.
  stage.manager->pause("world");
  stage.render(Seconds{0.7});
  stage.manager->resume("world");
  stage.render(Seconds{0.3});
  stage.manager->play("a");
  stage.render(Seconds{0.5});
  CHECK(stage.manager->play("b") == Outcome::planned);
  const Take bar = stage.render(Seconds{2});
  CHECK(heard_from(bar, 1).value() == static_cast<std::size_t>(beats(4, 120) + 63) - 24'000);
  CHECK(full_until(bar, 0, 10) == Approx(heard_from(bar, 1).value()).margin(30));
  CHECK(stage.manager->play("a") == Outcome::planned);
  const Take back = stage.render(Seconds{2.5});
  CHECK(heard_from(back, 0).has_value());
  CHECK_FALSE(heard_from(back, 1, heard_from(back, 0).value() + 300).has_value());
  stage.manager->pause("world");
  stage.render(Seconds{0.5});
  CHECK(stage.manager->play("b") == Outcome::started);
  CHECK(heard_from(stage.render(Seconds{0.5}), 1).value() < 200);
  stage.manager->resume("world");
  const Take after = stage.render(Seconds{1});
  CHECK_FALSE(heard_from(after, 0, 600).has_value());
  CHECK(stage.manager->stats().voices == 1);
}

TEST_CASE("a quiet stem keeps its voice beside louder sounds, since it claims as its strongest sister does") {
  ManagerOptions options;
  options.limiter = false;
  options.voices = 3;
  Stage stage(
      "[tracks.a]\nrank = 5\nstems = [ { clips = [\"hum.wav\"] }, { clips = [\"hum.wav\"], gain = \"-40 dB\" } ]\n"
      "[sounds.loud]\nclips = [\"hum.wav\"]\nloop = true\ngain = \"-12 dB\"\n[events.loud]\nstart = \"loud\"\n",
      options);
  stage.manager->play("a");
  stage.render(Seconds{0.5});
  for (int i = 0; i < 4; ++i) stage.manager->raise("loud");
  stage.render(Seconds{0.5});
  CHECK(stage.manager->stats().voices == 3);
  for (const auto& fading : stage.entries<noted::Fading>()) CHECK(fading.sound != "a");
}
