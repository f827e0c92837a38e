/// Raises an event again and again, for tests/raise_cost_test, which counts the instructions of that.
///     raise_cost plain     a sound with several clips and ranges of gain and pitch
///     raise_cost shaped    one whose clips go by two traits, on an emitter
/// Prints how many raises there were.

#include <array>
#include <cstdio>
#include <cstring>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/manager.hpp"

using namespace tidewater;

namespace {

constexpr std::uint32_t clips = 8;
constexpr int blocks = 100, raises_a_block = 64;

BankChoice choice(std::vector<HashedText> values) {
  BankChoice made;
  made.values = std::move(values);
  for (std::uint32_t clip = 0; clip < clips; ++clip) made.clips.push_back({clip, 1, {}});
  return made;
}

Bank bank(bool shaped) {
  auto data = std::make_shared<BankData>();
  data->name = "steps";
  data->rate = {48000};
  data->groups.emplace_back().name = "master";
  for (std::uint32_t clip = 0; clip < clips; ++clip)
    data->clips.push_back(make_clip("clips/step-" + std::to_string(clip), 1, std::vector<float>(64, 0.1F)));
  BankSound sound;
  sound.name = "step";
  sound.pitch = {{-2}, {2}};
  sound.gain = {{-9}, {-6}};
  BankLayer& layer = sound.layers.emplace_back();
  if (shaped) {
    layer.by = {"surface", "shoes"};
    for (const auto* surface : {"planks", "steel"})
      for (const auto* shoes : {"boots", "bare"}) layer.choices.push_back(choice({surface, shoes}));
  } else {
    layer.choices.push_back(choice({}));
  }
  data->sounds.push_back(sound);
  for (int event = 0; event < 500; ++event) {
    BankEvent& its = data->events.emplace_back();
    its.name = "event." + std::to_string(event);
    its.responses.emplace_back();
  }
  return bank_of(std::move(data));
}

}  // namespace

int main(int, char** arguments) {
  const bool shaped = std::strcmp(arguments[1], "shaped") == 0;
  SoundManager manager({.voices = 128});
  manager.load(bank(shaped));
  const Emitter walker = manager.make_emitter();
  const std::array<Name, 4> events = {Name("event.3"), Name("event.99"), Name("event.499"), Name("event.250")};
  std::vector<float> block(512);
  int started = 0;
  for (int b = 0; b < blocks; ++b) {
    for (std::size_t i = 0; i < raises_a_block; ++i) {
      const Name event = events[i % events.size()];
      const Raised raised =
          shaped ? manager.raise(event, {{"surface", i % 2 == 0 ? "planks" : "steel"}, {"shoes", "bare"}}, walker) : manager.raise(event);
      started += raised.outcome == Outcome::started ? 1 : 0;
    }
    manager.render(block);
    manager.update(Seconds{});
  }
  std::printf("%d\n", started);
}
