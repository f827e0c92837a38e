/// Plays the harbour's trip and prints hashes of what was decided: in a pool of five, with every instruction set that is offered here.
/// Then of decisions and samples in a pool that is large enough, with the plainest instruction set and the C library's
/// plainest functions (golden_test says how): those are the same on every x86-64.

#include <fmt/format.h>

#include <hwy/targets.h>

#include <cstdint>
#include <string_view>
#include <vector>

#include "../examples/harbour/scene.hpp"
#include "dsp/kernels.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/manager.hpp"

namespace {

using namespace tidewater;

class Hash {
 public:
  void add(const void* bytes, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) value_ = (value_ ^ static_cast<const unsigned char*>(bytes)[i]) * 0x100000001b3U;
  }
  void add(std::string_view text) { add(text.data(), text.size()); }
  std::uint64_t value() const { return value_; }

 private:
  std::uint64_t value_ = 0xcbf29ce484222325U;
};

std::string whose(Frames at, PlaybackId id, const std::string& sound) {
  return fmt::format("{} {}.{} {}", at.value, id.raise, id.response, sound);
}

std::string began(const std::string& who, Outcome outcome, const noted::Layer& layer) {
  return fmt::format("{} {} {} {} {} {:.2f} {:.2f} {:.2f} {:.2f}\n", who, to_text(outcome), layer.name, layer.clip, layer.starts.value,
                     layer.gain.value, layer.pitch.value, layer.pan.value, layer.low_pass.value);
}

/// What was decided, to a hundredth of a decibel and of a semitone; not the words.
std::string decided(const JournalEntry& e) {
  if (const auto* decision = e.as<noted::Decision>()) {
    noted::Layer nothing;
    nothing.starts = e.at;
    return began(whose(e.at, decision->playback, decision->sound), decision->outcome, decision->start.value_or(nothing));
  }
  if (const auto* further = e.as<noted::FurtherLayer>())
    return began(whose(e.at, further->playback, further->sound), further->outcome, further->layer);
  if (const auto* fading = e.as<noted::Fading>())
    return fmt::format("{} fading {} {:.3f}\n", whose(e.at, fading->playback, fading->sound), to_text(fading->how), fading->fade.value);
  if (const auto* woke = e.as<noted::Woke>())
    return fmt::format("{} woke {} {}\n", whose(e.at, woke->playback, woke->sound), woke->voice, woke->starts.value);
  if (const auto* ended = e.as<noted::Ended>())
    return fmt::format("{} ended {}\n", whose(e.at, ended->playback, ended->sound), to_text(ended->how));
  return {};
}

/// The hashes of one second: decisions by kind, and samples.
struct Second {
  noted::Sums decided;
  std::uint64_t samples = 0;
};

struct Played {
  std::uint64_t decisions = 0, samples = 0;
  std::vector<Second> seconds;
};

Played play(const Bank& bank, std::uint32_t voices) {
  Hash decisions, samples;
  std::vector<Second> seconds(harbour::Trip::lasts + 1);
  const auto note = [&](const JournalEntry& entry) {
    decisions.add(decided(entry));
    if (const auto* sums = entry.as<noted::Sums>())
      if (static_cast<std::size_t>(sums->second) < seconds.size()) seconds[static_cast<std::size_t>(sums->second)].decided = *sums;
  };
  {
    SoundManager manager({.voices = voices, .journal = note, .offline = true});
    manager.load(bank);
    harbour::Trip trip;
    harbour::Scene scene(manager);
    std::vector<float> block(1600);
    for (int frame = 0; frame < harbour::Trip::lasts * 60; ++frame) {
      scene.play(trip, trip.advance(frame / 60.0));
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
      samples.add(block.data(), block.size() * sizeof(float));
      if (frame % 60 == 59) seconds[static_cast<std::size_t>(frame / 60 + 1)].samples = samples.value();
    }
  }
  return {decisions.value(), samples.value(), seconds};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  constexpr std::uint32_t many = 64, few = 5;
  const std::int64_t offered = hwy::SupportedTargets();
  hwy::SetSupportedTargetsForTest(HWY_SSSE3);
  const Bank bank = compile_book(argv[1]);
  const Played played = play(bank, many);  // first: filters are made ready for the instruction set that is the first to need them
  for (std::int64_t left = offered; left != 0; left &= left - 1) {
    hwy::SetSupportedTargetsForTest(left & -left);
    if (std::string_view(kernels::target_name()) != hwy::TargetName(left & -left)) continue;  // not compiled for
    const Played crowded = play(bank, few);
    fmt::print("{:<8} crowded: decisions {:016x}\n", kernels::target_name(), crowded.decisions);
  }
  hwy::SetSupportedTargetsForTest(HWY_SSSE3);
  for (std::size_t second = 1; second < played.seconds.size(); ++second) {
    const Second& its = played.seconds[second];
    fmt::print("second {} choose {:016x} voices {:016x} play {:016x} samples {:016x}\n", second, its.decided.choose, its.decided.voices,
               its.decided.play, its.samples);
  }
  fmt::print("{:<8} decisions {:016x} samples {:016x}\n", kernels::target_name(), played.decisions, played.samples);
}
