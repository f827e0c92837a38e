#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numbers>
#include <utility>

#include "audio_thread.hpp"
#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "dsp/resample.hpp"
#include "listening.hpp"
#include "mix/mixer.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

const float centre = static_cast<float>(std::cos(std::numbers::pi / 4));

StartVoice voice_of(const BankClip& clip, std::uint32_t voice = 0) {
  StartVoice start;
  start.voice = voice;
  start.clip = clip.view();
  start.step = unity_step;
  return start;
}

Take render(Mixer& mixer, std::size_t frames, std::size_t block = 256) {
  Take take;
  take.samples.resize(frames * 2);
  for (std::size_t at = 0; at < frames; at += block)
    render_guarded(mixer, {take.samples.data() + at * 2, std::min(block, frames - at) * 2});
  return take;
}

}  // namespace

TEST_CASE("at unity pitch the samples are the clip's own, bit for bit") {
  const auto source = sine(997, 0.1, 2, 0.7);
  const BankClip clip = make_clip("c", 2, source);
  Mixer mixer({.voices = 4});
  mixer.post(voice_of(clip));
  const Take take = render(mixer, source.size() / 2);
  CHECK(take.samples == source);
}

TEST_CASE("a mono clip stands in the middle at equal power") {
  const BankClip clip = make_clip("c", 1, sine(500, 0.1));
  Mixer mixer({.voices = 4});
  mixer.post(voice_of(clip));
  const Take take = render(mixer, 4000);
  CHECK(take.left(24) == Approx(centre * clip.view().floats[0][24]));
  CHECK(take.left(24) == take.right(24));
}

TEST_CASE("a voice starts on its exact frame, and its end is reported to the frame") {
  const BankClip clip = make_clip("c", 1, std::vector<float>(100, 0.5F));
  Mixer mixer({.voices = 4});
  auto start = voice_of(clip);
  start.start_frame = {777};
  mixer.post(start);
  const Take take = render(mixer, 1000);
  CHECK(take.left(776) == 0);
  CHECK(take.left(777) > 0.3F);
  CHECK(take.left(876) > 0.3F);
  CHECK(take.left(877) == 0);
  VoiceFinished report;
  REQUIRE(mixer.poll(report, mixer.clock()));
  CHECK(report.frame.value == 877);
  CHECK_FALSE(mixer.poll(report, mixer.clock()));
}

TEST_CASE("starts that come too late for their frame keep their distance") {
  const BankClip clip = make_clip("c", 1, std::vector<float>(10, 0.5F));
  Mixer mixer({.voices = 4});
  render(mixer, 1000);
  for (std::uint32_t v = 0; v < 3; ++v) {
    auto start = voice_of(clip, v);
    start.base = {500};
    start.start_frame = {500 + 100 * v};
    mixer.post(start);
  }
  const Take take = render(mixer, 1000);
  std::vector<std::size_t> begun;
  for (std::size_t i = 1; i < take.frames(); ++i)
    if (take.left(i) > 0 && take.left(i - 1) == 0) begun.push_back(i);
  REQUIRE(begun.size() == 3);
  CHECK(begun[1] - begun[0] == 100);
  CHECK(begun[2] - begun[1] == 100);
}

TEST_CASE("what is heard does not depend on the size of the blocks") {
  const auto clip = make_clip("c", 1, sine(440, 0.3));
  const auto with_blocks = [&](std::size_t block) {
    Mixer mixer({.voices = 8});
    auto start = voice_of(clip);
    start.step = step_for(1.13);
    start.fade_in = 1000;
    start.start_frame = {321};
    mixer.post(start);
    mixer.post(SetVoiceGain{0, 0.3F, 5000});
    mixer.post(SetVoiceStep{0, step_for(0.9), 3000});
    mixer.post(SetGroupGain{0, 0.5F, 4000});
    return render(mixer, 9600, block).samples;
  };
  const auto reference = with_blocks(64);
  for (const std::size_t block : {1U, 37U, 256U, 1000U, 9600U}) CHECK(with_blocks(block) == reference);
}

TEST_CASE("whatever a voice is told, in blocks of any size the same is heard, in every layout") {
  const std::vector<BankClip> clips = {make_clip("long", 1, sine(440, 0.4)), make_clip("wide", 2, sine(700, 0.2, 2)),
                                       make_clip("short", 1, sine(300, 0.1), true), make_clip("tiny", 1, sine(1000, 0.003))};
  constexpr std::uint32_t voices = 6;
  constexpr std::int64_t frames = 14400;
  for (std::uint64_t seed = 0; seed < 30; ++seed) {
    INFO("seed " << seed);
    Random random(seed);
    const auto layout = static_cast<Layout>(seed % 4);
    const auto speed = [&] { return random.below(4) == 0 ? unity_step : step_for(random.between(0.3, 2.5)); };
    const auto amplitudes = [&] {
      Amplitudes gains{};
      for (std::size_t c = 0; c < 8; ++c) gains[c] = random.below(2) == 0 ? 0 : static_cast<float>(random.unit());
      return gains;
    };
    const auto number = [&](double low, double high) { return static_cast<float>(random.between(low, high)); };
    const auto law = [&] { return static_cast<FadeLaw>(random.below(3)); };
    const auto told = [&](std::uint32_t v) -> Command {
      const std::int64_t time = random.below(3) == 0 ? 0 : random.below(3000);
      const auto kind = random.below(2) == 0 ? StateFilter::Kind::low_pass : StateFilter::Kind::high_pass;
      switch (random.below(8)) {
        case 0: return SetVoiceGain{v, number(0, 1), time};
        case 1: return SetVoiceLift{v, number(0.3, 2), time};
        case 2: return SetVoiceSide{v, number(-1, 1), time};
        case 3: return SetVoiceChannels{v, amplitudes(), time};
        case 4: {
          const bool group = random.below(2) == 0;
          return SetFilter{group ? v % 2 : v, group, kind, random.below(4) == 0 ? 0 : number(200, 9000), time};
        }
        case 5:
          return random.below(3) == 0 ? Command{StopVoice{v, time, {random.below(20'000)}, law()}}
                                      : Command{SetGroupGain{v % 2, number(0.3, 1), time}};
        default: return SetVoiceStep{v, speed(), time};
      }
    };
    std::vector<std::pair<std::int64_t, Command>> script = {{0, DefineGroup{1, 0, 0.7F}}};
    for (std::uint32_t v = 0; v < voices; ++v) {
      auto start = voice_of(clips[random.below(4)], v);
      start.group = v % 2;
      start.step = speed();
      start.law = law();
      start.fade_in = random.below(3000);
      start.position.part = random.below(2) == 0 ? 0 : random.below(~0U);
      start.start_frame = {random.below(2000)};
      start.loop = random.below(2) == 0 || start.clip.frames < 200;
      start.fade_in = random.below(2) == 0 ? 0 : random.below(2000);
      start.in_world = random.below(2) == 0;
      start.channels = amplitudes();
      start.quality = random.below(2) == 0 ? Quality::standard : Quality::fine;
      script.emplace_back(0, start);
    }
    for (std::int64_t at = 0; at < frames; at += random.below(400)) script.emplace_back(at, told(random.below(voices)));
    const auto heard = [&](const std::function<std::int64_t()>& block) {
      Mixer mixer({.voices = voices, .layout = layout, .limiter = seed % 3 == 0});
      std::uint64_t request = 0;
      for (const auto& [at, command] : script) REQUIRE(mixer.post(command, ++request, {at}));
      mixer.commit();
      const auto width = static_cast<std::size_t>(channels(layout));
      std::vector<float> samples(static_cast<std::size_t>(frames) * width);
      for (std::int64_t at = 0, count = 0; at < frames; at += count) {
        count = std::min(block(), frames - at);
        render_guarded(mixer, std::span(samples).subspan(static_cast<std::size_t>(at) * width, static_cast<std::size_t>(count) * width));
      }
      return samples;
    };
    const auto reference = heard([] { return 64; });
    CHECK(std::any_of(reference.begin(), reference.end(), [](float x) { return std::abs(x) > 0.05F; }));
    CHECK((heard([] { return 512; }) == reference));
    CHECK((heard([&] { return 1 + random.below(1500); }) == reference));
  }
}

TEST_CASE("a loop has no seam, at unity and at other pitches, also when it is shorter than the filter") {
  for (const std::size_t periods : {1U, 2U, 100U})
    for (const double speed : {1.0, 0.83, 1.19, 3.7}) {
      const auto clip = make_clip("c", 1, sine(4000, static_cast<double>(periods) / 4000));
      REQUIRE(clip.frames == static_cast<std::int64_t>(12 * periods));
      Mixer mixer({.voices = 4});
      auto start = voice_of(clip);
      start.loop = true;
      start.step = step_for(speed);
      mixer.post(start);
      const Take take = render(mixer, 12000);
      std::vector<float> mono;
      for (std::size_t i = 4000; i < take.frames(); ++i) mono.push_back(take.left(i));
      INFO(periods << " periods at x" << speed);
      const double exact = static_cast<double>(start.step) / static_cast<double>(unity_step);
      CHECK(sine_snr(mono, 4000 * exact, 48000) > 60);
    }
}

TEST_CASE("stopping, changing level and bending never click") {
  const BankClip clip = make_clip("c", 1, sine(200, 2, 1, 1));
  const double smooth = 1.15 * 2 * std::numbers::pi * 200 / 48000 * static_cast<double>(centre) * 1.5;
  Mixer mixer({.voices = 4});
  auto start = voice_of(clip);
  start.loop = true;
  mixer.post(start);
  render(mixer, 1017);
  SECTION("a stop of no length takes five milliseconds") {
    mixer.post(StopVoice{0, 0});
    const Take take = render(mixer, 4800);
    CHECK(take.steepest() < smooth + 1.7 / 240);
    CHECK(take.part(0.0067, 0.09).peak() == 0);
  }
  SECTION("a change of level") {
    mixer.post(SetVoiceGain{0, 0.2F, 960});
    CHECK(render(mixer, 4800).steepest() < smooth);
  }
  SECTION("a bend") {
    mixer.post(SetVoiceStep{0, step_for(1.5), 960});
    const Take take = render(mixer, 9600);
    CHECK(take.steepest() < smooth);
    CHECK(take.part(0.1, 0.1).pitch() == Approx(300).epsilon(0.001));
  }
  SECTION("a second, quicker stop goes on from the level reached") {
    mixer.post(StopVoice{0, 9600});
    render(mixer, 4800);
    mixer.post(StopVoice{0, 480});
    const Take take = render(mixer, 4800);
    CHECK(take.steepest() < smooth);
    CHECK(take.part(0.012, 0.08).peak() == 0);
  }
}

TEST_CASE("groups pass their level on to their children, smoothly") {
  const BankClip clip = make_clip("c", 1, std::vector<float>(48000, 1.0F));
  Mixer mixer({.voices = 4});
  mixer.post(DefineGroup{1, 0, 0.5F});
  mixer.post(DefineGroup{2, 1, 0.5F});
  auto start = voice_of(clip);
  start.group = 2;
  mixer.post(start);
  CHECK(render(mixer, 640).left(600) == Approx(0.25F * centre));
  mixer.post(SetGroupGain{1, 0, 4800});
  const Take take = render(mixer, 9600);
  CHECK(take.steepest() < 0.001);
  CHECK(take.left(9599) == 0);
  CHECK(mixer.read_meter(2).peak == Approx(0.25F * centre * 2));
  CHECK(mixer.read_meter(2).peak == 0);
}

TEST_CASE("a voice that is stopped before its first frame is never heard") {
  const BankClip clip = make_clip("c", 1, sine(500, 0.1));
  Mixer mixer({.voices = 4});
  auto start = voice_of(clip);
  start.start_frame = {4800};
  mixer.post(start);
  render(mixer, 640);
  mixer.post(StopVoice{0, 0});
  CHECK(render(mixer, 9600).peak() == 0);
  VoiceFinished report;
  CHECK(mixer.poll(report, mixer.clock()));
}

TEST_CASE("samples too small to be heard cost no more than silence, and leave the caller's arithmetic alone") {
  const BankClip clip = make_clip("c", 1, std::vector<float>(4800, 1e-39F));
  Mixer mixer({.voices = 4});
  mixer.post(voice_of(clip));
  CHECK(render(mixer, 960).peak() == 0);
  volatile float tiny = 1e-39F;
  tiny = tiny * 0.5F;
  CHECK(tiny > 0);
}

namespace {

struct Timed {
  std::int64_t at;
  Command command;
};

/// A minute of anything for eight voices of one scope, whose law changes while they play, stop and change.
std::vector<Timed> scope_session(const BankClip& clip, Random& random) {
  const auto pick = [&](std::int64_t low, std::int64_t high) { return low + random.below(static_cast<std::uint32_t>(high - low + 1)); };
  std::vector<Timed> all;
  ScopeLaw law;
  constexpr std::int64_t pause_fade = 512;
  const auto voice = [&] { return static_cast<std::uint32_t>(pick(0, 7)); };
  for (std::int64_t at = 0; at < 60'000; at += quantum * pick(0, 40)) switch (pick(0, 8)) {
      case 0:
        law.hold({at}, pause_fade);
        all.push_back({at, SetScope{1, pause_fade, law}});
        break;
      case 1:
      case 2:
        law.resume({at});
        all.push_back({at, SetScope{1, pause_fade, law}});
        break;
      case 3:
        law.scale({at}, pick(0, 1) == 0 ? unity_scale : pick(unity_scale / 64, 4 * unity_scale), pick(0, 9600));
        all.push_back({at, SetScope{1, pause_fade, law}});
        break;
      case 4: {
        const bool ahead = pick(0, 1) == 0;
        const ScopeFrame frame{ahead ? (law.time_at({at}) >> scale_bits) + pick(0, 6000) : 0};
        all.push_back({at, StopVoice{voice(), pick(0, 3000), frame, static_cast<FadeLaw>(pick(0, 2))}});
        break;
      }
      case 5: all.push_back({at, SetVoiceStep{voice(), static_cast<std::uint64_t>(pick(1, 500)) << 26, pick(0, 2000)}}); break;
      case 6: all.push_back({at, SetVoiceGain{voice(), static_cast<float>(pick(0, 10)) / 10, pick(0, 2000)}}); break;
      case 7: all.push_back({at, SetGroupGain{0, static_cast<float>(pick(1, 10)) / 10, pick(0, 1) * 700}}); break;
      default: {
        StartVoice start = voice_of(clip, voice());
        start.scope = 1;
        start.loop = pick(0, 1) == 0;
        if (pick(0, 1) == 0) start.step = static_cast<std::uint64_t>(pick(8, 160)) << 26;
        start.start_frame = start.base = {pick(0, 1) == 0 ? 0 : (law.time_at({at}) >> scale_bits) + pick(0, 5000)};
        start.fade_in = pick(0, 1) * 400;
        start.low_pass = static_cast<float>(pick(0, 1) * 800);
        all.push_back({at, start});
      }
    }
  return all;
}

}  // namespace

TEST_CASE("while the time of a scope changes, blocks make no difference, and neither does a command that comes late") {
  std::vector<float> noise(10007);
  Random draws(7);
  for (float& sample : noise) sample = static_cast<float>(draws.between(-0.3, 0.3));
  const BankClip clip = make_clip("c", 1, noise);
  for (std::uint64_t seed = 1; seed <= static_cast<std::uint64_t>(times(60, 8)); ++seed) {
    Random random(seed);
    const std::vector<Timed> session = scope_session(clip, random);
    const bool late = seed % 2 == 0;
    std::vector<std::vector<float>> heard;
    for (const bool again : {false, true}) {
      Random sizes(seed), pieces(seed + (again ? 1000 : 0));
      Mixer mixer({.voices = 8, .limiter = late});
      std::vector<float> all;
      std::uint64_t request = 0;
      std::size_t next = 0;
      while (all.size() < 2 * 64'000) {
        const std::int64_t clock = mixer.clock().value;
        // Late: only when the clock is past their frame; again: told to land there, as a replay does.
        for (; next < session.size() && (!late || session[next].at <= clock); ++next)
          mixer.post(session[next].command, ++request,
                     {late && again ? clock : std::max<std::int64_t>(0, session[next].at - (late ? 70 : 0))});
        mixer.commit();
        for (std::uint32_t left = 1 + sizes.below(1500), piece = 0; left > 0; left -= piece) {
          piece = again ? std::min(left, 1 + pieces.below(700)) : left;
          const std::size_t before = all.size();
          all.resize(before + 2 * std::size_t{piece});
          render_guarded(mixer, std::span(all).subspan(before));
        }
        for (VoiceFinished report; mixer.poll(report, mixer.clock());) {
        }
      }
      all.resize(2 * 64'000);
      heard.push_back(std::move(all));
    }
    INFO("seed " << seed);
    REQUIRE(heard[0] == heard[1]);
  }
}
