/// Nothing that changes while it sounds may be heard as a click: what a change leaves above 4 kHz of a tone far below.

#include <catch2/catch.hpp>
#include <cmath>

#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "dsp/resample.hpp"
#include "listening.hpp"
#include "mix/mixer.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

constexpr double clean = -60;  // dB; the tone itself is 0 dB
constexpr std::array tones = {55.0, 220.0, 997.0};

struct Player {
  explicit Player(double hertz, int channels = 1, std::uint32_t group = 0) : clip(make_clip("c", channels, sine(hertz, 1, channels))) {
    mixer.post(DefineGroup{1, 0, 1});
    StartVoice start;
    start.clip = clip.view();
    start.step = unity_step;
    start.loop = true;
    start.group = group;
    mixer.post(start);
  }

  /// A tenth of a second after `before` frames, with what `change` posts at its beginning; both channels' clicks.
  template <class Change>
  double hear(std::size_t before, Change change) {
    std::vector<float> lead(2 * before);
    mixer.render(lead);
    change(mixer);
    take.samples.resize(2 * 4800);
    // The change falls where the measuring begins to count.
    std::vector<float> all(lead.end() - 2 * std::min<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(before), 1200), lead.end());
    mixer.render(take.samples);
    all.insert(all.end(), take.samples.begin(), take.samples.end());
    return worst_channel(all);
  }

  static double worst_channel(const std::vector<float>& stereo) {
    double worst = -200;
    for (std::size_t channel = 0; channel < 2; ++channel) {
      std::vector<float> mono;
      for (std::size_t i = channel; i < stereo.size(); i += 2) mono.push_back(stereo[i]);
      worst = std::max(worst, clicks(mono));
    }
    return worst;
  }

  BankClip clip;
  Mixer mixer{{.voices = 4}};
  Take take;
};

/// The worst over four phases of a tone.
template <class Change>
double worst_of(double hertz, int channels, std::uint32_t group, Change change) {
  double worst = -200;
  for (int phase = 0; phase < 4; ++phase) {
    Player player(hertz, channels, group);
    worst = std::max(worst, player.hear(4800 + static_cast<std::size_t>(48000 / hertz * phase / 4), change));
  }
  return worst;
}

}  // namespace

TEST_CASE("levels, places and stops change without a click, however short the change is") {
  for (const double hertz : tones)
    for (const int channels : {1, 2})
      for (const std::int64_t time : {0, 300, 960}) {
        INFO(hertz << " Hz, " << channels << " channels, over " << time << " frames");
        const auto heard = [&](std::uint32_t group, const Command& command) {
          return worst_of(hertz, channels, group, [&](Mixer& mixer) { mixer.post(command); });
        };
        CHECK(heard(0, SetVoiceGain{0, 0, time}) < clean);
        CHECK(heard(0, SetVoiceGain{0, 0.3F, time}) < clean);
        CHECK(heard(0, SetVoiceSide{0, 1, time}) < clean);
        CHECK(heard(0, SetVoiceSide{0, -0.7F, time}) < clean);
        CHECK(heard(0, StopVoice{0, time}) < clean);
        CHECK(heard(1, SetGroupGain{1, 0.1F, time}) < clean);
        CHECK(heard(0, SetGroupGain{0, 0, time}) < clean);
      }
}

TEST_CASE("filters come, go and move without a click, on voices and on groups") {
  using Kind = StateFilter::Kind;
  struct Case {
    Kind kind;
    float from, to;
  };
  for (const double hertz : tones)
    for (const bool group : {false, true})
      for (const std::int64_t time : {0, 240, 960})
        for (const Case& change : {Case{Kind::low_pass, 0, 1000},
                                   {Kind::low_pass, 0, 400},
                                   {Kind::low_pass, 0, 100},
                                   {Kind::low_pass, 1000, 0},
                                   {Kind::low_pass, 100, 0},
                                   {Kind::low_pass, 8000, 100},
                                   {Kind::low_pass, 400, 8000},
                                   {Kind::high_pass, 0, 100},
                                   {Kind::high_pass, 0, 300},
                                   {Kind::high_pass, 0, 2000},
                                   {Kind::high_pass, 100, 0},
                                   {Kind::high_pass, 2000, 0}}) {
          INFO(hertz << " Hz, " << (change.kind == Kind::low_pass ? "low-pass " : "high-pass ") << change.from << " to " << change.to
                     << " Hz over " << time << (group ? ", group" : ", voice"));
          double worst = -200;
          for (int phase = 0; phase < times(4, 1); ++phase) {
            Player player(hertz, 1, 1);
            const std::uint32_t index = group ? 1 : 0;
            std::vector<float> some(2 * 512);
            player.mixer.render(some);
            if (change.from > 0) player.mixer.post(SetFilter{index, group, change.kind, change.from, 0});
            worst = std::max(worst, player.hear(9600 + static_cast<std::size_t>(48000 / hertz * phase / 4), [&](Mixer& mixer) {
              mixer.post(SetFilter{index, group, change.kind, change.to, time});
            }));
          }
          CHECK(worst < clean);
        }
}

TEST_CASE("a start inside a wave does not click, nor does a bend") {
  for (const double hertz : tones) {
    for (const std::int64_t at : {1, 111, 217, 400}) {
      const BankClip clip = make_clip("c", 1, sine(hertz, 1));
      Mixer mixer({.voices = 4});
      StartVoice start;
      start.clip = clip.view();
      start.step = unity_step;
      start.position.whole = at;
      start.start_frame = {2400};
      mixer.post(start);
      std::vector<float> all(2 * 9600);
      mixer.render(all);
      INFO(hertz << " Hz from frame " << at);
      CHECK(Player::worst_channel(all) < clean);
    }
    for (const double speed : {0.5, 0.9, 1.3, 2.0}) {
      INFO(hertz << " Hz bent to x" << speed);
      CHECK(worst_of(hertz, 1, 0, [&](Mixer& mixer) { mixer.post(SetVoiceStep{0, step_for(speed), 0}); }) < clean);
    }
  }
}

TEST_CASE("a slow stop that is followed by a quick one does not click") {
  for (const double hertz : tones)
    for (const std::int64_t quick : {0, 250, 700}) {
      INFO(hertz << " Hz, " << quick << " frames");
      CHECK(worst_of(hertz, 1, 0, [&](Mixer& mixer) {
              mixer.post(StopVoice{0, 480000});
              mixer.post(StopVoice{0, quick});
            }) < clean);
    }
}

TEST_CASE("changes that overtake one another do not click either") {
  Random random(11);
  for (int round = 0; round < 60; ++round) {
    const double hertz = tones[random.below(3)];
    Player player(hertz, 1 + static_cast<int>(random.below(2)), 1);
    std::vector<float> all(2 * 4800);
    player.mixer.render(all);
    std::string said;
    for (int i = 0; i < 40; ++i) {
      const auto amount = static_cast<float>(random.unit());
      const auto time = static_cast<std::int64_t>(random.below(3) == 0 ? 0 : random.below(2000));
      const float hz = random.below(3) == 0 ? 0 : static_cast<float>(std::exp2(random.between(6, 14)));
      const auto kind = random.below(2) == 0 ? StateFilter::Kind::low_pass : StateFilter::Kind::high_pass;
      const std::array<Command, 6> any = {SetVoiceGain{0, amount, time},       SetVoiceSide{0, 2 * amount - 1, time},
                                          SetGroupGain{1, amount, time},       SetGroupGain{0, amount, time},
                                          SetFilter{0, false, kind, hz, time}, SetFilter{1, true, kind, hz, time}};
      player.mixer.post(i == 37   ? Command(StopVoice{0, 4000})
                        : i == 38 ? Command(StopVoice{0, 700})
                        : i == 39 ? Command(StopVoice{0, 0})
                                  : any[random.below(6)]);
      std::vector<float> block(2 * (1 + random.below(500)));
      player.mixer.render(block);
      all.insert(all.end(), block.begin(), block.end());
    }
    std::vector<float> rest(2 * 4800);
    player.mixer.render(rest);
    all.insert(all.end(), rest.begin(), rest.end());
    INFO("round " << round << " at " << hertz << " Hz");
    CHECK(Player::worst_channel(all) < clean);
    CHECK(Take{rest}.part(0.05, 0.05).peak() < 1e-3);
  }
}

TEST_CASE("a place keeps the power wherever a sound stands") {
  for (float side = -1; side <= 1; side += 0.25F) {
    const BankClip clip = make_clip("c", 1, std::vector<float>(4800, 1.0F));
    Mixer mixer({.voices = 1});
    StartVoice start;
    start.clip = clip.view();
    start.step = unity_step;
    start.side = side;
    mixer.post(start);
    Take take;
    take.samples.resize(2 * 960);
    mixer.render(take.samples);
    CHECK(take.left(500) * take.left(500) + take.right(500) * take.right(500) == Approx(1));
    if (side == -1) CHECK(take.right(500) == Approx(0).margin(1e-6));
  }
}
