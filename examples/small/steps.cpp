/// Steps by surface, for the player and for others: the game says who stepped on what, and the book has the rest.

#include "game.hpp"

/// Sketches have no files, so that each surface has a sound of its own. With clips, one sound can have a table of clips by surface: see
/// docs/book.md.
constexpr std::string_view book = R"(
[book]
name = "quay"

[traits.surface]
values = ["planks", "steel"]

[sounds.on-planks]
sketch = { like = "step", variants = 5 }
pitch = "-2 st .. 2 st"
gain = "-6 dB .. 0 dB"
place = "world"

[sounds.on-steel]
sketch = { source = "tone", pitch = "700 Hz", length = "90 ms", variants = 5 }
pitch = "-2 st .. 2 st"
place = "world"

[events."walker.stepped"]
responses = [
  { start = "on-planks", when = { surface = "planks" } },
  { start = "on-steel", when = { surface = "steel" }, gain = "-3 dB" },
]
)";

int main() {
  Game game(book);
  game.manager.set_listener(0, {});
  const tidewater::Emitter player = game.manager.make_emitter({.place = {0, 0, 0}});
  const tidewater::Emitter other = game.manager.make_emitter({.place = {30, 0, 0}});
  for (const char* surface : {"planks", "planks", "steel"}) {
    game.manager.raise("walker.stepped", {{"surface", surface}}, player);
    game.play(0.4);
    game.manager.raise("walker.stepped", {{"surface", surface}}, other);  // the same, from 30 m away
    game.play(0.4);
  }
}
