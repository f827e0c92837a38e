#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <tuple>

#include "audio_thread.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr double latency = latency_frames / 48000.0;

constexpr double centre = 0.70710678;

const std::string tones = R"(
[groups.effects]
[groups.music]
[groups.bass]
parent = "music"
[sounds.tone]
group = "effects"
clips = ["tone.wav"]
[sounds.hum]
group = "bass"
clips = ["hum.wav"]
loop = true
fade-out = "200 ms"
[sounds.rising]
clips = ["hum.wav"]
loop = true
fade-in = "400 ms"
[events.tone]
start = "tone"
[events.later]
start = "tone"
delay = "250 ms"
[events.hum]
start = "hum"
[events.hush]
stop = "hum"
[events.rise]
start = "rising"
[events.swap]
responses = [ { stop = "hum", fade = "50 ms" }, { start = "tone" }, { start = "rising" } ]
)";

}  // namespace

TEST_CASE("a raised event is heard at its level and pitch, at once, and ends") {
  Stage stage(tones);
  const Raised raised = stage.raise("tone");
  CHECK(raised.outcome == Outcome::started);
  CHECK_FALSE(raised.playback().ended());
  const Take take = stage.render(Seconds{1});
  CHECK(take.onset() == Approx(latency).margin(1.5 / 48000));
  CHECK(take.part(0.1, 0.3).pitch() == Approx(1000).epsilon(1e-4));
  CHECK(take.peak() == Approx(0.5 * centre).epsilon(0.001));
  CHECK(take.part(0.5 + latency, 0.4).peak() == 0);
  CHECK(raised.playback().ended());
}

TEST_CASE("two shots in one frame are both heard") {
  Stage stage(tones);
  stage.raise("tone");
  stage.raise("tone");
  CHECK(stage.render(Seconds{0.2}).peak() == Approx(2 * 0.5 * centre).epsilon(0.001));
}

TEST_CASE("a delay is kept to the frame") {
  Stage stage(tones);
  stage.raise("later");
  const Take take = stage.render(Seconds{1});
  CHECK(take.part(0, 0.25).peak() == 0);
  CHECK(take.onset() == Approx(latency + 0.25).margin(1.5 / 48000));
}

namespace {

const std::string delayed_stop = R"(
[sounds.hum]
clips = ["hum.wav"]
loop = true
[events.hum]
start = "hum"
[events.end]
responses = [ { stop = "hum", delay = "400 ms", fade = "10 ms" } ]
)";

}  // namespace

TEST_CASE("a stop waits for its delay, and then stops all that was started until then") {
  Stage stage(delayed_stop, {.voices = 2});
  stage.raise("hum");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("end").outcome == Outcome::done);
  const Take before = stage.render(Seconds{0.2});
  CHECK_THAT(stage.why(), Contains("it will stop 'hum' 400 ms from now"));
  CHECK(before.part(0.1, 0.1).peak() > 0.3);
  for (int i = 0; i < 3; ++i) stage.raise("hum");  // one has a voice, two sleep
  const Take after = stage.render(Seconds{0.5});
  CHECK(after.part(0, 0.19).peak() > 0.3);
  CHECK(after.part(0.25, 0.25).peak() == 0);
  const auto ended = stage.entries<noted::Ended>();
  CHECK(ended.size() == 4);
  CHECK(std::all_of(ended.begin(), ended.end(), [](const auto& its) { return its.how == Ending::stopped; }));
  stage.raise("end");
  stage.render(Seconds{0.5});
  CHECK(stage.entries<noted::Decision>().back().outcome == Outcome::nothing_to_stop);
}

TEST_CASE("a stop that waits goes by the banks that are loaded when it is due") {
  const auto with_book = [](const std::string& book, const std::function<void(Stage&)>& meanwhile) {
    auto stage = std::make_unique<Stage>(book);
    stage->raise("hum");
    stage->raise("end");
    stage->render(Seconds{0.1});
    meanwhile(*stage);
    stage->render(Seconds{0.6});
    return stage;
  };
  const auto unloaded = with_book(delayed_stop, [](Stage& stage) { stage.manager->unload(stage.bank->name()); });
  CHECK(unloaded->entries<noted::Decision>().back().outcome == Outcome::bank_not_loaded);
  const auto twice = with_book(delayed_stop, [](Stage& stage) { stage.manager->reload(*stage.bank); });
  CHECK(twice->entries<noted::Ended>().size() == 1);

  Stage saved(delayed_stop);
  saved.raise("hum");
  saved.raise("end");
  saved.render(Seconds{0.1});
  const std::vector<std::byte> state = saved.manager->save();
  auto restored = std::make_unique<SoundManager>(ManagerOptions{.offline = true});
  restored->restore(state, {saved.bank.get(), 1});
  saved.manager = std::move(restored);
  const Take after = saved.render(Seconds{0.6});
  CHECK(after.part(0, 0.2).peak() > 0.3);
  CHECK(after.part(0.4, 0.2).peak() == 0);
}

TEST_CASE("so many responses wait for their delay, and no more; the outcome says so") {
  Stage stage("[sounds.hum]\nclips=[\"hum.wav\"]\n[events.end]\nresponses=[{stop=\"hum\",delay=\"3600 s\"}]\n");
  std::size_t waiting = 0;
  while (waiting < 5000 && stage.raise("end").outcome == Outcome::done) ++waiting;
  CHECK(waiting == 1024);
  CHECK(stage.raise("end").outcome == Outcome::no_room);
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Contains("1024 responses wait for their delay"));
}

TEST_CASE("what is delayed is heard that much after what is not, to the frame, whenever and in whatever blocks") {
  Random random(4);
  const auto clip = [](const Folder& folder) { folder.write_clip("clips/click.wav", std::vector<float>(8, 0.5F)); };
  for (const bool limiter : {true, false})
    for (const int delay : {1, 2, 3, 5, 10, 13, 100, 301}) {
      const std::string ms = "delay=\"" + std::to_string(delay) + " ms\"";
      Stage stage("[sounds.layered]\nlayers=[{clips=[\"click.wav\"]},{clips=[\"click.wav\"]," + ms +
                      "}]\n[sounds.one]\nclips=[\"click.wav\"]\n" +
                      "[events.layers]\nstart=\"layered\"\n[events.responses]\nresponses=[{start=\"one\"},{start=\"one\"," + ms + "}]\n",
                  {.offline = true, .limiter = limiter}, clip);
      for (const auto* event : {"layers", "responses"})
        for (int round = 0; round < 4; ++round) {
          std::vector<float> some(2 * random.below(1000));
          stage.manager->render(some);
          stage.raise(event);
          Take take;
          while (take.frames() < 20000) {
            std::vector<float> block(2 * (1 + random.below(700)));
            stage.manager->render(block);
            stage.manager->update({});
            take.append(block);
          }
          const auto beginning = [&](std::size_t from) {
            while (from < take.frames() && std::abs(take.left(from)) < 0.1F) ++from;
            return from;
          };
          INFO(event << ", " << delay << " ms, limiter " << limiter);
          const std::size_t first = beginning(0);
          CHECK(first == (limiter ? 133 : 63));
          CHECK(beginning(first + 8) == first + static_cast<std::size_t>(48 * delay));
        }
    }
}

TEST_CASE("spacing holds for what is heard, also where delays differ") {
  for (const bool layers : {false, true}) {
    const std::string delay = "delay=\"0 ms .. 500 ms\"";
    Stage stage("[sounds.s]\nspacing=\"60 ms\"\n" +
                    (layers ? "layers=[{clips=[\"tone.wav\"]," + delay + "},{clips=[\"low.wav\"]," + delay + "}]\n"
                            : "clips=[\"n-5.wav\"]\n" + delay + "\n") +
                    "[events.s]\nstart=\"s\"\n",
                {.voices = 200, .offline = true});
    for (int frame = 0; frame < 600; ++frame) {
      stage.raise("s");
      stage.render(Seconds{1.0 / 60});
    }
    std::map<std::uint64_t, std::int64_t> first;  // of each start: the first of its layers
    const auto begins = [&](std::uint64_t raise, Frames starts) {
      const auto [known, fresh] = first.try_emplace(raise, starts.value);
      known->second = std::min(known->second, starts.value);
    };
    for (const auto& decision : stage.entries<noted::Decision>())
      if (decision.start) begins(decision.raise, decision.start->starts);
    for (const auto& further : stage.entries<noted::FurtherLayer>())
      if (plays(further.outcome)) begins(further.playback.raise, further.layer.starts);
    std::vector<std::int64_t> heard;
    for (const auto& [raise, frame] : first) heard.push_back(frame);
    std::sort(heard.begin(), heard.end());
    CHECK(heard.size() > 70);
    for (std::size_t i = 1; i < heard.size(); ++i) REQUIRE(heard[i] - heard[i - 1] >= 60 * 48);
  }
}

TEST_CASE("a loop goes on until it is stopped, and leaves over its fade-out") {
  Stage stage(tones);
  stage.raise("hum");
  CHECK(stage.render(Seconds{3}).part(2.8, 0.2).rms() == Approx(0.25).epsilon(0.01));
  CHECK(stage.raise("hush").outcome == Outcome::done);
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.part(0.102, 0.002).peak() == Approx(0.5 * centre * 0.316).epsilon(0.05));
  CHECK(take.part(0.21, 0.2).peak() == 0);
  CHECK(stage.raise("hush").outcome == Outcome::nothing_to_stop);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "'hum' was not playing");
}

TEST_CASE("a fade-in rises from silence to the level over its time") {
  Stage stage(tones);
  stage.raise("rise");
  const Take take = stage.render(Seconds{1});
  CHECK(take.part(0, 0.02).peak() < 0.01);
  CHECK(take.part(0.198, 0.003).peak() == Approx(0.5 * centre * 0.316).epsilon(0.05));
  CHECK(take.part(0.5, 0.1).peak() == Approx(0.5 * centre).epsilon(0.001));
}

TEST_CASE("an event carries out all its responses") {
  Stage stage(tones);
  stage.raise("hum");
  stage.render(Seconds{0.1});
  const Raised raised = stage.raise("swap");
  CHECK(raised.count == 2);
  stage.render(Seconds{0.3});
  CHECK(stage.manager->stats().voices == 2);
  CHECK(stage.entries<noted::Fading>().size() == 1);
}

TEST_CASE("a playback can be turned down, bent and stopped; after its end nothing happens") {
  Stage stage(tones);
  Playback hum = stage.raise("hum").playback();
  hum.set_gain(Decibels{-6.0206}, Seconds{0.05});
  CHECK(stage.render(Seconds{0.4}).part(0.1, 0.2).peak() == Approx(0.25 * centre).epsilon(0.001));
  hum.bend(Semitones{12}, Seconds{0.05});
  CHECK(stage.render(Seconds{0.4}).part(0.1, 0.2).pitch() == Approx(1000).epsilon(1e-3));
  hum.stop(Seconds{0.1});
  CHECK_FALSE(hum.ended());
  CHECK(stage.render(Seconds{0.4}).part(0.12, 0.2).peak() == 0);
  CHECK(hum.ended());
  hum.stop();
  hum.bend(Semitones{1});
  hum.set_gain(Decibels{3});
  stage.render(Seconds{0.1});
  CHECK(stage.entries<noted::Decision>().back().outcome == Outcome::already_ended);
  Playback nothing;
  nothing.stop();
  CHECK(nothing.ended());
}

TEST_CASE("groups have a level and a mute, and obey the groups above them") {
  Stage stage(tones);
  stage.raise("hum");
  const auto level = [&] { return stage.render(Seconds{0.3}).part(0.1, 0.2).peak(); };
  CHECK(level() == Approx(0.5 * centre).epsilon(0.001));
  stage.manager->set_gain("music", Decibels{-6.0206});
  CHECK(level() == Approx(0.25 * centre).epsilon(0.001));
  CHECK(stage.manager->read_meter("music").peak.value == Approx(decibels(0.25 * centre).value).margin(6.1));
  stage.manager->set_mute("master", true);
  CHECK(level() == 0);
  CHECK(stage.raise("tone").outcome == Outcome::silent);
  stage.manager->set_mute("master", false);
  CHECK(level() > 0.2 * centre);
  CHECK(stage.manager->set_gain("musik", Decibels{0}) == Outcome::unknown_group);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "there is no group 'musik'; did you mean 'music'?");
  CHECK(stage.entries<noted::Decision>()[1].why == "group 'master' is muted since 0.6 s");
}

TEST_CASE("no sound came: the outcome and the journal say why") {
  Stage stage(tones);
  SoundManager empty;
  CHECK(empty.raise("tone").outcome == Outcome::unknown_event);
  CHECK(stage.raise("tune").outcome == Outcome::unknown_event);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "no loaded bank has this event; did you mean 'tone'?");
  CHECK(stage.manager->unload("stage"));
  CHECK(stage.raise("tone").outcome == Outcome::bank_not_loaded);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "the bank 'stage' with this event was unloaded");
  CHECK_FALSE(stage.manager->unload("stage"));
}

TEST_CASE("a bank that is unloaded fades out, and can be loaded again") {
  Stage stage(tones);
  stage.raise("hum");
  stage.render(Seconds{0.1});
  CHECK_THROWS_WITH(stage.manager->load(*stage.bank), Contains("'stage' is loaded already"));
  stage.manager->unload("stage");
  const Take take = stage.render(Seconds{0.2});
  CHECK(take.steepest() < 0.05);
  CHECK(take.part(0.01, 0.1).peak() == 0);
  stage.manager->load(*stage.bank);
  CHECK(stage.raise("tone").outcome == Outcome::started);
}

TEST_CASE("a bank that is unloaded so that what plays may finish is heard to its end, and its loops fade as they would") {
  Stage stage(tones);
  const Playback tone = stage.raise("tone").playback();
  stage.raise("later");
  stage.render(Seconds{0.1});
  CHECK(stage.manager->unload("stage", WhatPlays::finishes));
  CHECK(stage.raise("tone").outcome == Outcome::bank_not_loaded);
  CHECK(stage.render(Seconds{0.35}).part(0.2, 0.1).rms() == Approx(0.5 * centre / std::sqrt(2)).epsilon(0.02));
  stage.manager->load(*stage.bank);  // beside the one that finishes
  const Playback hum = stage.raise("hum").playback();
  const Take both = stage.render(Seconds{0.3});
  CHECK(tone.ended());  // and what waited for its delay is not heard
  CHECK(both.part(0.2, 0.1).rms() == Approx(0.5 * centre / std::sqrt(2)).epsilon(0.02));
  CHECK(stage.manager->unload("stage", WhatPlays::finishes));
  const Take fading = stage.render(Seconds{0.3});
  CHECK(fading.part(0.05, 0.05).rms() > 0.1);
  CHECK(fading.part(0.21, 0.05).peak() == 0);
  CHECK(hum.ended());
  std::vector<Ending> ends;
  for (const auto& ended : stage.entries<noted::Ended>()) ends.push_back(ended.how);
  CHECK(ends == std::vector{Ending::unloaded, Ending::finished, Ending::unloaded});
}

TEST_CASE("game time that passes without a rendered block is reported once") {
  Stage stage(tones);
  stage.raise("hum");
  for (int i = 0; i < 200; ++i) stage.manager->update(Seconds{1.0 / 60});
  const auto notices = stage.entries<noted::Notice>();
  REQUIRE(notices.size() == 1);
  CHECK_THAT(notices[0].why, Contains("nothing calls render"));
}

TEST_CASE("a stereo clip keeps its sides") {
  Stage stage("[sounds.w]\nclips=[\"wide.wav\"]\n[events.w]\nstart=\"w\"\n");
  stage.raise("w");
  const Take take = stage.render(Seconds{0.3});
  CHECK(take.rms() == Approx(0.5 * centre).epsilon(0.01));
  for (std::size_t i = 0; i < take.frames(); ++i) REQUIRE(take.right(i) == 0);
}

TEST_CASE("a sound stands where its book or its handle puts it, at equal power") {
  Stage stage("[sounds.a]\nclips=[\"long.wav\"]\npan=\"100 % left\"\n[events.a]\nstart=\"a\"\n");
  Playback a = stage.raise("a").playback();
  const auto sides = [&] {
    const Take take = stage.render(Seconds{0.3}).part(0.1, 0.2);
    double left = 0;
    double right = 0;
    for (std::size_t i = 0; i < take.frames(); ++i) {
      left = std::max(left, std::abs(static_cast<double>(take.left(i))));
      right = std::max(right, std::abs(static_cast<double>(take.right(i))));
    }
    return std::pair{left, right};
  };
  auto [left, right] = sides();
  CHECK(left == Approx(0.5).epsilon(0.001));
  CHECK(right == Approx(0).margin(1e-6));
  a.set_pan(*read_pan("50 % right").value);
  std::tie(left, right) = sides();
  CHECK(left * left + right * right == Approx(0.25).epsilon(0.002));
  CHECK(right > 2 * left);
}

TEST_CASE("filters of a book, a playback and a group take away what they should") {
  Stage stage(
      "[groups.dull]\nlow-pass=\"250 "
      "Hz\"\n[sounds.a]\nclips=[\"tone.wav\"]\nloop=true\n[sounds.b]\ngroup=\"dull\"\nclips=[\"tone.wav\"]\nloop=true\n"
      "[sounds.c]\nclips=[\"tone.wav\"]\nhigh-pass=\"4 "
      "kHz\"\nloop=true\n[events.a]\nstart=\"a\"\n[events.b]\nstart=\"b\"\n[events.c]\nstart=\"c\"\n");
  const auto level = [&] { return decibels(stage.render(Seconds{0.4}).part(0.2, 0.2).peak() / (0.5 * centre)).value; };
  for (const auto* dulled : {"b", "c"}) {
    Playback playback = stage.raise(dulled).playback();
    CHECK(level() == Approx(-24.1).margin(0.6));
    playback.stop();
    stage.render(Seconds{0.1});
  }
  Playback a = stage.raise("a").playback();
  CHECK(level() == Approx(0).margin(0.01));
  a.set_low_pass(Hertz{1000});
  CHECK(level() == Approx(-3).margin(0.1));
  a.set_low_pass(Hertz{0});
  CHECK(level() == Approx(0).margin(0.05));
  stage.manager->set_high_pass("master", Hertz{4000});
  CHECK(level() == Approx(-24.1).margin(0.6));
}

TEST_CASE("sixteen-bit clips stay at sixteen bits, and are the same samples") {
  Folder folder;
  write_stage_clips(folder);
  AudioFileWriter file(folder.path("clips/short.wav"), test_rate, 1, SampleFormat::pcm_16);
  file.write(sine(1000, 0.5, 1, 0.5));
  file.close();
  const auto play = [&](const std::string& clip, const std::string& more) {
    folder.write("book.toml", book_head + "[sounds.a]\nclips=[\"" + clip + "\"]\n" + more + "[events.a]\nstart=\"a\"\n");
    const Bank bank = compile_book(folder.path("book.toml"));
    SoundManager manager;
    manager.load(bank);
    manager.raise("a");
    Take take;
    take.samples.resize(48000);
    render_guarded(manager, take.samples);
    return std::pair{take, bank.sample_bytes()};
  };
  for (const std::string more : {"", "pitch=\"1 st\"\n"}) {
    const auto [shorts, small] = play("short.wav", more);
    const auto [floats, large] = play("tone.wav", more);
    CHECK(small * 2 == large);
    for (std::size_t i = 0; i < floats.samples.size(); ++i) REQUIRE(shorts.samples[i] == Approx(floats.samples[i]).margin(1.0 / 32768));
  }
}

TEST_CASE("every layout has the sound in its front pair, and mono folds it at equal power") {
  for (const auto layout : {Layout::mono, Layout::stereo, Layout::surround_5_1, Layout::surround_7_1}) {
    const auto width = static_cast<std::size_t>(channels(layout));
    Stage stage(tones, {.layout = layout});
    stage.raise("hum");
    std::vector<float> out(4800 * width);
    render_guarded(*stage.manager, out);
    std::vector<float> peaks(width);
    for (std::size_t i = 0; i < out.size(); ++i) peaks[i % width] = std::max(peaks[i % width], std::abs(out[i]));
    CHECK(peaks[0] == Approx(width == 1 ? 0.5 : 0.5 * centre).epsilon(0.001));
    if (width > 1) CHECK(peaks[1] == Approx(peaks[0]));
    for (std::size_t channel = 2; channel < width; ++channel) CHECK(peaks[channel] == 0);
  }
}

TEST_CASE("however much plays, the output keeps below -1 dBTP, and below it is left alone") {
  Stage stage(tones);
  for (int i = 0; i < 20; ++i) stage.raise("tone");
  const Take take = stage.render(Seconds{0.5});
  CHECK(take.peak() < amplitude(Decibels{-1}));
  CHECK(take.part(0.1, 0.2).peak() > amplitude(Decibels{-2}));
  CHECK(take.part(0.1, 0.3).pitch() == Approx(1000).epsilon(1e-3));
}

TEST_CASE("a level that the game gave the master before its first bank is kept; a handle says what became of what it was asked") {
  const Stage books(tones);
  SoundManager manager({.offline = true});
  CHECK(manager.set_gain("master", Decibels{-20}, {}) == Outcome::done);
  manager.load(*books.bank);
  Playback hum = manager.raise("hum").playback();
  Take take;
  take.samples.resize(2 * 9600);
  manager.render(take.samples);
  CHECK(take.part(0.1, 0.1).peak() == Approx(0.05 * centre).epsilon(0.01));
  CHECK(hum.bend(Semitones{1}) == Outcome::done);
  CHECK(hum.set_gain(Decibels{std::nan("")}) == Outcome::not_a_number);
  CHECK(hum.stop() == Outcome::done);
  manager.render(take.samples);
  manager.update({});
  CHECK(hum.set_pan(Pan{0.5}) == Outcome::already_ended);
  CHECK(Playback().stop() == Outcome::already_ended);
}

TEST_CASE("what ended since the update before is listed once, with its emitter and how") {
  Stage stage(tones);
  const Playback tone = stage.manager->raise("tone", {}, Emitter{7}).playback();
  stage.render(Seconds{0.1});
  CHECK(stage.manager->ended().empty());
  std::vector<EndedPlayback> ended;
  std::vector<float> block(2 * 800);
  for (int i = 0; i < 60; ++i) {
    stage.manager->render(block);
    stage.manager->update(Seconds{1.0 / 60});
    for (const EndedPlayback& over : stage.manager->ended()) ended.push_back(over);
    CHECK((stage.manager->stats().playbacks == 0) == (ended.size() == 1));
  }
  REQUIRE(ended.size() == 1);
  CHECK(ended[0].id == tone.id());
  CHECK(ended[0].emitter == Emitter{7});
  CHECK(ended[0].how == Ending::finished);
}
