// Stops with a frame and a law, in the mixer itself: what is heard up to the frame, and how what crosses adds up.

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "bank/bank_data.hpp"
#include "listening.hpp"
#include "mix/mixer.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

BankClip steady() { return make_clip("steady", 1, std::vector<float>(400'000, 0.5F)); }

BankClip noise(unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<float> normal(0, 0.1F);
  std::vector<float> samples(400'000);
  for (float& sample : samples) sample = normal(random);
  return make_clip("noise", 1, samples);
}

StartVoice starts(const BankClip& clip, std::uint32_t voice, std::int64_t at, std::int64_t fade = 0, FadeLaw law = {}) {
  StartVoice start;
  start.voice = voice;
  start.clip = clip.view();
  start.step = unity_step;
  start.start_frame = start.base = {at};
  start.fade_in = fade;
  start.law = law;
  return start;
}

/// The left channel. What the limiter holds back is cut off, so that frame 0 is the mixer's.
std::vector<float> rendered(Mixer& mixer, std::size_t frames, std::size_t block) {
  std::vector<float> all, out;
  while (all.size() < frames) {
    const std::size_t count = std::min(block, frames - all.size());
    out.resize(2 * count);
    mixer.render(out);
    for (std::size_t i = 0; i < count; ++i) all.push_back(out[2 * i]);
  }
  return all;
}

/// Without the limiter: what is heard lies on the mixer's own frames.
MixerOptions plain() { return {.voices = 4, .limiter = false}; }

double level(const std::vector<float>& samples, std::size_t from, std::size_t count) {
  return power(std::span(samples).subspan(from, count));
}

}  // namespace

TEST_CASE("a stop that lies ahead begins on its frame, in blocks of any size, at once or over a time") {
  std::mt19937 random(5);
  const BankClip clip = steady();
  for (int i = 0; i < 300; ++i) {
    const auto at = 3000 + static_cast<std::int64_t>(random() % 9000), fade = static_cast<std::int64_t>(random() % 3) * 900;
    const std::size_t block = 64 + random() % 2000;
    INFO("at " << at << ", over " << fade << ", in blocks of " << block);
    Mixer mixer(plain());
    mixer.post(starts(clip, 0, 0));
    mixer.post(StopVoice{0, fade, {at}});
    const std::vector<float> heard = rendered(mixer, 20'000, block);
    const auto frame = static_cast<std::size_t>(at);
    REQUIRE(std::all_of(heard.begin() + 500, heard.begin() + at, [&](float sample) { return sample == heard[500]; }));
    REQUIRE(heard[frame + 60] < heard[500]);
    const auto length = static_cast<std::size_t>(std::max<std::int64_t>(fade, 240));
    REQUIRE(heard[frame + length - 40] > 0);
    REQUIRE(heard[frame + length] == 0);
    VoiceFinished report;
    REQUIRE(mixer.poll(report, mixer.clock()));
    REQUIRE(report.frame.value == at + static_cast<std::int64_t>(length));
  }
}

TEST_CASE("two unlike sounds that cross at equal power stay as loud as one; two like ones do so along straight lines") {
  constexpr std::int64_t at = 100'003, over = 96'000;
  const BankClip one = noise(1), other = noise(2), same = steady();
  const auto crossing = [&](const BankClip& from, const BankClip& to, FadeLaw law, std::size_t block) {
    Mixer mixer(plain());
    mixer.post(starts(from, 0, 0));
    mixer.post(starts(to, 1, at, over, law));
    mixer.post(StopVoice{0, over, {at}, law});
    return rendered(mixer, 240'000, block);
  };
  const std::vector<float> heard = crossing(one, other, FadeLaw::equal_power, 1000);
  CHECK(heard == crossing(one, other, FadeLaw::equal_power, 64));
  CHECK(heard == crossing(one, other, FadeLaw::equal_power, 2048));
  const double before = level(heard, 50'000, 48'000);
  const std::vector<float> by_loudness = crossing(one, other, FadeLaw::equal_loudness, 1000);
  double lowest = 0;
  for (std::size_t from = at; from + 4800 < at + over; from += 2400) {
    CHECK(std::abs(level(heard, from, 4800) - before) < 0.5);
    lowest = std::min(lowest, level(by_loudness, from, 4800) - before);
  }
  CHECK(lowest < -6);  // that law is made for a fade that is heard alone
  const std::vector<float> straight = crossing(same, same, FadeLaw::straight, 1000);
  for (std::size_t frame = at; frame < at + over; frame += 100) REQUIRE(straight[frame] == Approx(straight[50'000]).margin(1e-4));
}

TEST_CASE("a short crossing at equal power keeps its level, too, and does not click") {
  const BankClip clip = steady(), silence = make_clip("silence", 1, std::vector<float>(400'000, 0.0F));
  Mixer mixer(plain());
  mixer.post(starts(clip, 0, 0));
  mixer.post(StopVoice{0, 480, {9600}, FadeLaw::equal_power});
  mixer.post(starts(clip, 1, 20'000, 480, FadeLaw::equal_power));
  const std::vector<float> heard = rendered(mixer, 30'000, 480);
  for (std::size_t i = 0; i < 480; i += 16) {
    const double out = static_cast<double>(heard[9600 + i] / heard[500]), in = static_cast<double>(heard[20'000 + i] / heard[500]);
    CHECK(out * out + in * in == Approx(1).margin(1e-3));
  }
  CHECK(clicks(std::vector<float>(heard.begin() + 9000, heard.begin() + 11'000)) < -60);
}

TEST_CASE("a voice that is to stop on the frame on which it begins is never heard, and reported once") {
  const BankClip clip = steady();
  for (const std::int64_t stop : {4000, 3999, 64}) {
    Mixer mixer(plain());
    mixer.post(starts(clip, 0, 4000));
    mixer.post(StopVoice{0, 2000, {stop}});
    const std::vector<float> heard = rendered(mixer, 12'000, 100);
    CHECK(std::all_of(heard.begin(), heard.end(), [](float sample) { return sample == 0; }));
    VoiceFinished report;
    CHECK(mixer.poll(report, mixer.clock()));
    CHECK(!mixer.poll(report, mixer.clock()));
  }
}

TEST_CASE("a stop that lies ahead is replaced by another until it begins; after that only a quicker one counts") {
  const BankClip clip = steady();
  const auto silent_from = [&](std::initializer_list<StopVoice> stops) {
    Mixer mixer(plain());
    mixer.post(starts(clip, 0, 0));
    rendered(mixer, 2048, 64);
    for (const StopVoice& stop : stops) mixer.post(stop);
    const std::vector<float> heard = rendered(mixer, 30'000, 64);
    return 2048 + std::distance(heard.begin(), std::find(heard.begin(), heard.end(), 0.0F));
  };
  CHECK(silent_from({{0, 0, {9000}}}) == 9240);
  CHECK(silent_from({{0, 0, {9000}}, {0, 0, {12'000}}}) == 12'240);
  CHECK(silent_from({{0, 0, {12'000}}, {0, 0, {9000}}}) == 9240);
  CHECK(silent_from({{0, 0, {9000}}, {0, 2400}}) < 5000);                       // at once
  CHECK(silent_from({{0, 20'000}, {0, 0, {9000}}}) < 9400);                     // it is leaving, and is to leave more quickly from there on
  CHECK(silent_from({{0, 4000}, {0, 0, {9000}}}) == silent_from({{0, 4000}}));  // it is over before
}

TEST_CASE("in a scope that is slow a stop begins on its frame of the scope's time, and a pause puts it off") {
  const BankClip clip = steady();
  Mixer mixer(plain());
  StartVoice start = starts(clip, 0, 0);
  start.scope = 1;
  mixer.post(start);
  ScopeLaw law;
  law.scale({6400}, unity_scale / 4, 0);
  mixer.post(SetScope{1, 240, law});
  mixer.post(StopVoice{0, 0, {6400 + 2001}});
  const std::vector<float> heard = rendered(mixer, 30'000, 256);
  const auto falls = std::find_if(heard.begin() + 500, heard.end(), [&](float sample) { return sample < 0.999F * heard[500]; });
  const std::int64_t begins = law.frame_of((6400 + 2001) * unity_scale).value;
  CHECK((falls - heard.begin()) - begins >= 0);
  CHECK((falls - heard.begin()) - begins < 12);  // the fade begins without a bend

  Mixer paused(plain());
  paused.post(start);
  ScopeLaw hold;
  hold.hold({6400}, 512);
  paused.post(SetScope{1, 512, hold});
  paused.post(StopVoice{0, 0, {9000}});
  rendered(paused, 20'000, 256);
  VoiceFinished report;
  CHECK(!paused.poll(report, paused.clock()));
  hold.resume({20'096});
  paused.post(SetScope{1, 512, hold});
  rendered(paused, 20'000, 256);
  CHECK(paused.poll(report, paused.clock()));
}
