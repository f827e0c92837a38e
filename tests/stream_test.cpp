#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <thread>

#include "audio_thread.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

const std::string book = R"(
[sounds.tune]
clips = ["tune.wav"]
stream = true
[sounds.round]
clips = ["round.wav"]
stream = true
loop = true
[sounds.same-round]
clips = ["round.wav"]
stream = false
loop = true
[sounds.tone]
clips = ["tone.wav"]
rank = 9
[sounds.loud]
clips = ["longer.wav"]
rank = 9
[events.tune]
start = "tune"
[events.round]
start = "round"
[events.same-round]
start = "same-round"
[events.tone]
start = "tone"
[events.loud]
start = "loud"
)";

/// A stage whose folder has clips worth streaming: "tune.wav", four seconds of a rising tone, and "round.wav", 2.4 s
/// that loop without a seam.
struct Streaming : Stage {
  explicit Streaming(const ManagerOptions& options) : Stage(book, options, write_clips, !options.offline) {}

  static void write_clips(const Folder& folder) {
    std::vector<float> rising(48000 * 4);
    double phase = 0;
    for (std::size_t i = 0; i < rising.size(); ++i)
      rising[i] = 0.5F * static_cast<float>(std::sin(phase += 6.283185307179586 * (200 + static_cast<double>(i) / 200) / 48000));
    folder.write_clip("clips/tune.wav", rising);
    folder.write_clip("clips/round.wav", sine(500, 2.4, 2, 0.5), 2);
  }
};

/// Renders in real time, a block every so often, as a sound card would.
Take play_live(SoundManager& manager, double length) {
  constexpr std::size_t block = 480;
  Take take;
  auto next = std::chrono::steady_clock::now();
  for (double at = 0; at < length; at += 0.01) {
    take.samples.resize(take.samples.size() + 2 * block);
    render_guarded(manager, {take.samples.data() + take.samples.size() - 2 * block, 2 * block});
    manager.update(Seconds{0.01});
    std::this_thread::sleep_until(next += std::chrono::milliseconds(10));
  }
  return take;
}

}  // namespace

TEST_CASE("a streamed clip is, sample for sample, what it is in memory, round after round") {
  Streaming streamed({.offline = true, .limiter = false});
  Streaming memory({.offline = true, .limiter = false});
  CHECK(streamed.bank->sample_bytes() < 4000000);
  streamed.raise("round");
  memory.raise("same-round");
  const Take one = streamed.render(Seconds{8});
  const Take other = memory.render(Seconds{8});
  CHECK(one.samples == other.samples);
  CHECK(one.peak() == Approx(0.5).margin(0.001));
  CHECK(one.part(0.1, 7.8).steepest() == Approx(other.part(0.1, 7.8).steepest()));
}

namespace {

/// Its beginning is a tone of 500 Hz; from 0.5 s to 1.2 s it has 1 kHz, whole periods of it at any of the rates; then comes a noise.
void write_with_region(const Folder& folder, double rate) {
  std::vector<float> samples = sine(500, 0.5, 1, 0.4, rate);
  const std::vector<float> round = sine(1000, 0.7, 1, 0.4, rate);
  samples.insert(samples.end(), round.begin(), round.end());
  Random random(3);
  for (int i = 0; i < 40'000; ++i) samples.push_back(static_cast<float>(random.between(-0.9, 0.9)));
  folder.write_clip("clips/region.wav", samples, 1, rate);
}

std::string with_region(double rate, bool streams) {
  return "[sounds.r]\nclips=[\"region.wav\"]\nloop=true\nloop-between=\"" + std::to_string(static_cast<int>(rate / 2)) + " .. " +
         std::to_string(static_cast<int>(rate * 1.2)) + " frames\"\nstream=" + (streams ? "true" : "false") + "\n[events.r]\nstart=\"r\"\n";
}

}  // namespace

TEST_CASE("what streams loops within its region, found to the frame, and what lies behind is never heard") {
  for (const double rate : {48000.0, 44100.0, 32000.0, 96000.0}) {
    INFO(rate);
    const auto write = [&](const Folder& folder) { write_with_region(folder, rate); };
    Stage stage(with_region(rate, true), {.offline = true, .limiter = false}, write);
    REQUIRE(stage.bank->sample_bytes() < 200'000);
    const Playback playback = stage.raise("r").playback();
    const Take heard = stage.render(Seconds{9});
    CHECK(heard.part(0.02, 0.4).pitch() == Approx(500).margin(1));
    // Through ten seams the tone goes on as if there were none.
    std::vector<float> mono;
    for (std::size_t i = 48'000; i < heard.frames(); ++i) mono.push_back(heard.left(i));
    CHECK(sine_snr(mono, 1000, 48000) > (rate == 48000 ? 110 : 80));
    CHECK(playback.position().value >= 0.5);
    CHECK(playback.position().value < 1.2);
    CHECK(stage.manager->stats().late == 0);
  }
  Stage streamed(with_region(48000, true), {.offline = true, .limiter = false}, [](const Folder& its) { write_with_region(its, 48000); });
  Stage memory(with_region(48000, false), {.offline = true, .limiter = false}, [](const Folder& its) { write_with_region(its, 48000); });
  streamed.raise("r"), memory.raise("r");
  CHECK(streamed.render(Seconds{5}).samples == memory.render(Seconds{5}).samples);
}

TEST_CASE("a region that streams comes through a bank file, and out of it again") {
  const auto write = [](const Folder& folder) { write_with_region(folder, 44100); };
  Stage stage(with_region(44100, true), {.offline = true, .limiter = false}, write);
  write_bank(*stage.bank, stage.folder.path("r.tidebank"));
  const Bank bank = open_bank(stage.folder.path("r.tidebank"));
  const auto played = [](const Bank& its) {
    SoundManager manager({.offline = true, .limiter = false});
    manager.load(its);
    manager.raise("r");
    std::vector<float> block(2 * 48000 * 4);
    manager.render(block);
    return block;
  };
  CHECK(played(bank) == played(*stage.bank));
  const Unpacked unpacked = unpack(bank, stage.folder.path("apart"));
  CHECK_THAT(stage.folder.read("apart/book.toml"), Catch::Matchers::Contains("\"22050 .. 52920 frames\""));
  CHECK(played(compile_book(stage.folder.path("apart/book.toml"))) == played(bank));
}

TEST_CASE("a streamed loop that sleeps and wakes is where it would be") {
  Streaming disturbed({.voices = 1, .offline = true, .limiter = false}), alone({.voices = 1, .offline = true, .limiter = false});
  for (Streaming* stage : {&disturbed, &alone}) stage->raise("round");
  for (int i = 0; i < 6; ++i) {
    if (i < 4) disturbed.raise("tone");
    disturbed.render(Seconds{0.9 + 0.13 * i}), alone.render(Seconds{0.9 + 0.13 * i});
  }
  const std::vector<float> one = disturbed.render(Seconds{1}).samples, other = alone.render(Seconds{1}).samples;
  double most = 0;
  for (std::size_t i = 0; i < one.size(); ++i) most = std::max(most, std::abs(static_cast<double>(one[i]) - static_cast<double>(other[i])));
  CHECK(most == 0);
}

TEST_CASE("a streamed clip begins at once, bends with pitch, and ends when its file does") {
  Streaming stage({.offline = true});
  const auto playback = stage.raise("tune").playback();
  CHECK(stage.render(Seconds{0.05}).onset() < 0.006);
  Playback(playback).bend(Semitones{12}, Seconds{0.05});
  const Take up = stage.render(Seconds{1});
  CHECK(up.part(0.1, 0.02).pitch() == Approx(2 * (200 + 48000 * 0.25 / 200)).epsilon(0.06));
  stage.render(Seconds{1.5});
  CHECK(playback.ended());
  CHECK(stage.manager->stats().late == 0);
}

TEST_CASE("a stream that loses its voice comes back in its place") {
  Streaming stage({.voices = 1, .offline = true});
  stage.raise("tune");
  stage.render(Seconds{0.5});
  stage.raise("tone");
  stage.render(Seconds{1});
  const Take back = stage.render(Seconds{0.2});
  const double clip_time = 1.6;
  CHECK(back.part(0.1, 0.02).pitch() == Approx(200 + 48000 * clip_time / 200).epsilon(0.03));
}

namespace {

/// One streamed clip of a file at `rate`, heard from the left, in a bank and manager of `bank_rate`.
std::vector<float> streamed_sine(double hertz, double rate, double bank_rate, const std::string& more = {}, double pitch_shift = 0) {
  const auto write = [&](const Folder& folder) { folder.write_clip("clips/own.wav", sine(hertz, 4, 2, 0.5, rate), 2, rate); };
  Stage stage("[sounds.s]\nclips=[\"own.wav\"]\nstream=true\nloop=true\n" + more + "[events.s]\nstart=\"s\"\n",
              {.rate = {bank_rate}, .offline = true, .limiter = false}, write);
  stage.raise("s").playback().bend(Semitones{pitch_shift}, Seconds{0});
  std::vector<float> block(2 * static_cast<std::size_t>(1.5 * bank_rate)), mono;
  stage.manager->render(block);
  for (std::size_t i = block.size() / 3; i < block.size(); i += 2) mono.push_back(block[i]);
  return mono;
}

}  // namespace

TEST_CASE("what streams at another rate is as clean as a good converter makes it, up to nine tenths of the band") {
  for (const double rate : most_of({8000.0, 11025.0, 22050.0, 44056.0, 32000.0, 44100.0, 96000.0, 192000.0}))
    for (const double bank_rate : {44100.0, 48000.0, 8000.0})
      for (const double part : {0.03, 0.3, 0.45}) {
        const double hertz = part * std::min(rate, bank_rate);
        INFO(hertz << " Hz, from " << rate << " to " << bank_rate);
        const auto mono = streamed_sine(hertz, rate, bank_rate);
        CHECK(sine_snr(mono, hertz, bank_rate) > 110);
        double power = 0;
        for (const float x : mono) power += static_cast<double>(x) * static_cast<double>(x);
        CHECK(std::sqrt(2 * power / static_cast<double>(mono.size())) == Approx(0.5).epsilon(0.001));
      }
}

TEST_CASE("a stream's rate takes nothing from its pitch: three octaves either way are there at any rate") {
  for (const double rate : {8000.0, 44100.0, 96000.0})
    for (const double shift : {-36.0, -12.0, 12.0, 24.0}) {
      INFO(rate << " Hz, " << shift << " st");
      CHECK(sine_snr(streamed_sine(100, rate, 48000, {}, shift), 100 * ratio(Semitones{shift}), 48000) > 50);
    }
}

TEST_CASE("a stream that begins anywhere gives the bits of playing through, whatever its format and rate") {
  for (const auto* ending : {"wav", "flac", "ogg"})
    for (const double rate : {48000.0, 44100.0, 22050.0}) {
      const std::string name = std::string("own.") + ending;
      const auto write = [&](const Folder& folder) {
        Random random(7);
        std::vector<float> noise(static_cast<std::size_t>(rate) * 8);
        float low = 0;
        for (std::size_t i = 0; i < noise.size(); ++i) {
          low = 0.95F * low + 0.1F * static_cast<float>(random.between(-1, 1));
          noise[i] = low * (i / 8000 % 3 == 0 ? 0.01F : 1.0F);
        }
        std::filesystem::create_directories(folder.path("clips"));
        AudioFileWriter file(folder.path("clips/" + name), Hertz{rate}, 1, SampleFormat::pcm_16);
        file.write(noise);
        file.close();
      };
      const auto from = [&](std::uint32_t start, double length) {
        Stage stage("[sounds.s]\nclips=[\"" + name + "\"]\nstream=true\nloop=true\nstart-at=\"" + std::to_string(start) +
                        " ms\"\n[events.s]\nstart=\"s\"\n",
                    {.offline = true, .limiter = false}, write);
        stage.raise("s");
        Take take;
        take.samples.resize(2 * static_cast<std::size_t>(length * 48000));
        stage.manager->render(take.samples);
        return take;
      };
      const Take through = from(0, 9);
      Random random(9);
      for (int round = 0; round < times(12, 3); ++round) {
        const std::uint32_t start = 300 + random.below(7600);
        const Take part = from(start, 0.5);
        INFO(name << " at " << rate << " Hz from " << start << " ms");
        const std::size_t at = 48 * start;
        std::size_t different = 0;
        for (std::size_t i = 600; i < part.frames(); ++i) different += part.left(i) != through.left(at + i) ? 1 : 0;
        CHECK(different == 0);
      }
    }
}

TEST_CASE("live, forty streams at once play without a gap", "[live]") {
  Streaming stage({.voices = 64});
  for (int i = 0; i < 40; ++i) stage.raise("round").playback().set_gain(Decibels{-36}, Seconds{});
  const Take take = play_live(*stage.manager, 3);
  CHECK(stage.manager->stats().late == 0);
  CHECK(take.part(0.5, 2.4).steepest() < 40 * 0.5 * 0.0158 * 0.07);
}

#ifndef TIDEWATER_SANITIZED
TEST_CASE("when the disk stalls the stream fades out, all else plays on, and both ends of it are told", "[live]") {
  Streaming stage({.voices = 8, .limiter = false});
  stage.raise("round");
  play_live(*stage.manager, 0.3);
  stall_disk(1500);
  play_live(*stage.manager, 0.7);
  stage.raise("loud");
  const Take during = play_live(*stage.manager, 0.5);
  stall_disk(0);
  const Take after = play_live(*stage.manager, 2);
  const auto notices_with = [&](const std::string& words) {
    const auto notices = stage.entries<noted::Notice>();
    return std::count_if(notices.begin(), notices.end(), [&](const auto& n) { return n.why.find(words) != std::string::npos; });
  };
  CHECK(notices_with("the stream of 'round.wav' was late at") == 1);
  CHECK(notices_with("is heard again") == 1);
  CHECK(stage.manager->stats().late == 1);
  CHECK(during.part(0.3, 0.2).pitch() == Approx(300).epsilon(0.01));
  CHECK(during.steepest() < 0.08);
  CHECK(after.steepest() < 0.08);
  CHECK(after.part(1.7, 0.25).peak() > 0.7);  // both tones again
}
#endif

TEST_CASE("a file that is gone, cut or exchanged under a stream ends it softly, with words") {
  const auto [spoil, words] = GENERATE(table<std::string, std::string>(
      {{"gone", "there is no such file"}, {"cut", "has changed since the bank was made"}, {"exchanged", "it cannot be read as audio"}}));
  CAPTURE(spoil);
  Streaming stage({.offline = true, .limiter = false});
  const std::string file = stage.folder.path("clips/tune.wav");
  if (spoil == "gone") std::filesystem::remove(file);
  if (spoil == "exchanged") stage.folder.write("clips/tune.wav", "this is a shopping list");
  const auto playback = stage.raise("tune").playback();
  Take take = stage.render(Seconds{0.2});
  if (spoil == "cut") std::filesystem::resize_file(file, 300000);
  const Take rest = stage.render(Seconds{2.8});
  take.append(rest.samples);
  CHECK(take.steepest() < 0.06);
  CHECK(take.part(0, 0.2).peak() == Approx(0.354).margin(0.01));  // its head is in memory
  CHECK(take.part(2.5, 0.5).peak() == 0);
  CHECK(playback.ended());
  const auto endings = stage.entries<noted::Fading>();
  REQUIRE(endings.size() == 1);
  CHECK(endings[0].how == Ending::unreadable);
  CHECK_THAT(endings[0].why, Catch::Contains(words));
}

TEST_CASE("a file that grows or is unlinked while it streams plays on as it was") {
  Streaming stage({.offline = true, .limiter = false});
  stage.raise("tune");
  stage.render(Seconds{0.1});
  std::filesystem::remove(stage.folder.path("clips/tune.wav"));
  Streaming::write_clips(stage.folder);
  const Take rest = stage.render(Seconds{3});
  CHECK(rest.part(2.5, 0.05).pitch() == Approx(200 + 48000 * 2.625 / 200).epsilon(0.02));
}

TEST_CASE("a stream that was late and is stopped before the next update is told as late") {
  Streaming streaming({.reading_thread = false});  // nobody reads
  SoundManager& manager = *streaming.manager;
  Playback tune = manager.raise("round").playback();
  manager.update(Seconds{0.01});
  std::vector<float> block(2 * 4800);
  for (int i = 0; i < 60; ++i) manager.render(block);
  tune.stop();
  for (int i = 0; i < 4; ++i) manager.render(block);
  manager.update(Seconds{6.4});
  CHECK(manager.stats().late == 1);
  const auto notices = streaming.entries<noted::Notice>();
  CHECK(std::count_if(notices.begin(), notices.end(), [](const auto& notice) { return notice.stream == "late"; }) == 1);
}
