/// A pause menu: the world stops in its tracks, and the menu has sounds of its own.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "ferry"

[scopes.world]
pause-fade = "80 ms"
[scopes.menu]

[sounds.engine]
scope = "world"
sketch = { like = "hum", length = "1 s" }
loop = true

[sounds.splash]
scope = "world"
sketch = { like = "splash" }

[sounds.chime]
scope = "menu"
sketch = { source = "tone", pitch = "880 Hz", length = "300 ms" }

[events."engine.started"]
start = "engine"

[events."wave.broke"]
start = "splash"

[events."menu.opened"]
start = "chime"
)";

int main() {
  Game game(book);
  game.manager.raise("engine.started");
  game.play(1);
  game.manager.pause("world");
  game.manager.raise("menu.opened");
  game.play(0.5);
  game.manager.raise("wave.broke");  // the world stands: a short sound is refused, and says so
  game.play(1);
  game.manager.resume("world");
  game.play(1);
}
