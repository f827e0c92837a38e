/// Rapid fire: a nail gun that the game fires thirty times a second. The book keeps it from becoming a wall of noise.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "boatyard"

[sounds.nail]
sketch = { source = "noise", length = "120 ms", variants = 6 }
pitch = "-3 st .. 3 st"
gain = "-6 dB .. 0 dB"
spacing = "60 ms"             # of two shots that are nearer to each other the second is left out
limit = 3                     # more than three at once are not heard apart
when-full = "oldest"

[events."nail.driven"]
start = "nail"
)";

int main() {
  Game game(book);
  int started = 0;
  for (int shot = 0; shot < 30; ++shot) {
    if (tidewater::plays(game.manager.raise("nail.driven").outcome)) ++started;
    game.play(1.0 / 30);
  }
  std::printf("30 shots were raised in a second, %d were heard\n", started);
}
