/// The cost of ducks and moods in the mixer, and the speed of `balance` and `compare`.

#include "mix.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <memory>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "mix/mixer.hpp"
#include "tidewater/author/balance.hpp"
#include "tidewater/author/compare.hpp"

namespace tidewater::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr int mix_block = 256;
constexpr double mix_block_microseconds = 1e6 * mix_block / 48000;
constexpr std::uint32_t group_count = 16;

BankClip tone(const char* name, double hertz, double seconds, double decay = 0) {
  std::vector<float> samples(static_cast<std::size_t>(seconds * 48000));
  for (std::size_t i = 0; i < samples.size(); ++i)
    samples[i] = static_cast<float>(0.3 * std::exp(-decay * static_cast<double>(i) / 48000) *
                                    std::sin(6.2831853 * hertz * static_cast<double>(i) / 48000));
  return make_clip(name, 1, samples);
}

/// 64 varied loops in 16 groups; microseconds a block.
class Groups16 {
 public:
  Groups16(std::uint32_t ducks, bool moods) : clip_(tone("tone", 1000, 1)) {
    for (std::uint32_t g = 1; g <= group_count; ++g) mixer_.post(DefineGroup{g, 0, 1});
    for (std::uint32_t d = 0; d < ducks; ++d) mixer_.post(SetDuck{2 + d, 0, {.key = 1, .by = -8}});
    for (std::uint32_t v = 0; v < 64; ++v) {
      StartVoice start;
      start.voice = v;
      start.group = 1 + v % group_count;
      start.clip = clip_.view();
      start.step = step_for(1.01 + v * 0.001);
      start.loop = true;
      mixer_.post(start);
    }
    run(400);
    moods_ = moods;
  }
  void measure() {
    if (moods_)  // every group moves during the whole round
      for (std::uint32_t g = 1; g <= group_count; ++g) mixer_.post(SetGroupGain{g, turn_ % 2 == 0 ? 0.5F : 1.0F, 40 * mix_block, true});
    ++turn_;
    const auto began = Clock::now();
    run(40);
    const double each = std::chrono::duration<double, std::micro>(Clock::now() - began).count() / 40;
    least = least == 0 ? each : std::min(least, each);
  }
  double least = 0;

 private:
  void run(int blocks) {
    for (int i = 0; i < blocks; ++i) mixer_.render(out_);
  }
  BankClip clip_;
  Mixer mixer_{{.voices = 64}};
  std::vector<float> out_ = std::vector<float>(2 * mix_block);
  bool moods_ = false;
  int turn_ = 0;
};

/// A bank of 40 sounds of speech-like length in four groups, and a session in which about ten sound at once.
Bank forty_sounds() {
  auto data = std::make_shared<BankData>();
  data->name = "forty";
  data->rate = Hertz{48000};
  data->groups.resize(4);
  for (std::uint32_t g = 0; g < 4; ++g) data->groups[g].name = std::array{"master", "voices", "effects", "music"}[g];
  for (std::uint32_t s = 0; s < 40; ++s) {
    data->clips.push_back(tone(("clip" + std::to_string(s)).c_str(), 200 + 50 * s, 2, 3));
    BankSound& sound = data->sounds.emplace_back();
    sound.name = "sound" + std::to_string(s);
    sound.group = 1 + s % 3;
    BankLayer& layer = sound.layers.emplace_back();
    layer.choices.resize(1);
    layer.choices[0].clips.push_back({s, 1, {}, 1});
    data->events.push_back({"event" + std::to_string(s), {{{Verb::start, {}, {}}, s}}});
  }
  return bank_of(data);
}

JournalScript session_of(double seconds) {
  std::string text;
  for (int i = 0; i < static_cast<int>(seconds * 5); ++i)
    text += fmt::format("{{\"at\": \"{:.1f} s\", \"request\": \"raise\", \"event\": \"event{}\"}}\n", 0.2 * i, i * 7 % 40);
  return parse_journal(text + fmt::format("{{\"at\": \"{:.1f} s\", \"end\": true}}\n", seconds), "session.jsonl");
}

double seconds_of(Clock::time_point began) { return std::chrono::duration<double>(Clock::now() - began).count(); }

}  // namespace

void print_mix_table() {
  std::vector<std::unique_ptr<Groups16>> groups;
  for (const auto& [ducks, moods] : {std::pair{0U, false}, {15U, false}, {15U, true}})
    groups.push_back(std::make_unique<Groups16>(ducks, moods));
  for (int round = 0; round < 200; ++round)
    for (auto& its : groups) its->measure();
  const auto share = [&](std::size_t which) { return 100 * (groups[which]->least - groups[0]->least) / mix_block_microseconds; };
  fmt::print("\n| a block of 256 frames, 64 voices in 16 groups | ours | of the block's time | reach |\n| --- | ---: | ---: | ---: |\n");
  fmt::print("| yardstick: without ducks and moods | {:.2f} us | | |\n", groups[0]->least);
  fmt::print("| 15 ducks, all down | {:.2f} us | {:+.2f} % | 0.5 % |\n", groups[1]->least, share(1));
  fmt::print("| 15 ducks, and a mood that moves all 16 groups | {:.2f} us | {:+.2f} % | 1 % |\n", groups[2]->least, share(2));

  constexpr double minutes = 10;
  const Bank bank = forty_sounds();
  const std::span<const Bank> banks(&bank, 1);
  const JournalScript script = session_of(60 * minutes);
  const auto times = [&](auto work) {
    const auto began = Clock::now();
    work();
    return seconds_of(began);
  };
  const double plain = times([&] {
    ManagerOptions options = options_of(script);
    SoundManager manager(std::move(options));
    replay(script, banks, manager, [](std::span<const float>) {});
  });
  const double balanced = times([&] { balance_of(banks, std::span(&script, 1)); });
  const std::vector<JournalScript> ten(10, session_of(6 * minutes));
  const double compared = times([&] { compare({ComparedVersion{banks}, ComparedVersion{banks}}, ten); });
  const auto real = [&](double seconds) { return fmt::format("{:.0f} x real time", 60 * minutes / seconds); };
  fmt::print("\n| ten minutes of session, 40 sounds, ten at once | ours | reach |\n| --- | ---: | ---: |\n");
  fmt::print("| yardstick: rendered and no more | {} | |\n", real(plain));
  fmt::print("| balance | {} | 50 x |\n| compare, two identical banks, ten sessions of a minute | {} | 50 x |\n", real(balanced),
             real(compared));
}

}  // namespace tidewater::bench
