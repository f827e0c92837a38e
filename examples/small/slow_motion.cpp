/// Slow motion: everything in the scope "world" slows down together, pitch, delays and rhythms included. The menu does not.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "regatta"

[scopes.world]
[scopes.menu]

[sounds.oars]
scope = "world"
sketch = { source = "noise", length = "150 ms", variants = 3 }
cadence = "500 ms"

[sounds.click]
scope = "menu"
sketch = { source = "tone", pitch = "1 kHz", length = "50 ms" }

[events."crew.rowed"]
start = "oars"

[events."button.pressed"]
start = "click"
)";

int main() {
  Game game(book);
  game.manager.raise("crew.rowed");
  game.play(2);
  std::printf("a quarter of the speed, reached within 300 ms\n");
  game.manager.set_time_scale("world", 0.25, tidewater::Seconds{0.3});
  game.play(2);
  game.manager.raise("button.pressed");  // as quick as ever
  game.play(2);
  game.manager.set_time_scale("world", 1, tidewater::Seconds{0.3});
  game.play(2);
}
