/// A rhythm game's clock: lamps that blink on the beat, and keys that are judged by what the player hears.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "lighthouse"

[tracks.march]
tempo = "97 bpm"
metre = "3/4"
parts = [ { name = "intro", bars = 1 }, { name = "round", bars = 2, loop = true } ]
sketch = { source = "pluck", pitch = "220 Hz", length = "5.567 s", notes = ["0 st", "7 st", "7 st"] }

[events."song.began"]
play = "march"
)";

/// A key was pressed now: how far it is from the nearest beat. On a sound card `latency` is `device.latency()`.
void judge(const tidewater::SoundManager& manager, tidewater::Seconds latency = {}) {
  const auto heard = manager.beat("main", latency);
  if (!heard) return;
  const double after = heard->into, before = 1 - heard->into;
  std::printf("         key: bar %lld, beat %u of '%s', %.0f %% of a beat %s\n", static_cast<long long>(heard->bar), heard->beat,
              std::string(heard->part.text()).c_str(), 100 * std::min(after, before), after < before ? "late" : "early");
}

int main() {
  Game game(book);
  game.manager.raise("song.began");
  for (int press = 0; press < 4; ++press) {
    for (int frame = 0; frame < 41; ++frame) {
      game.play(1.0 / 60, false);
      for (const tidewater::PassedBeat& its : game.manager.beats())
        std::printf("%6.2f s  %s\n", static_cast<double>(its.at.value) / game.manager.rate().value, its.beat == 1 ? "FLASH" : "flash");
    }
    judge(game.manager);
  }
}
