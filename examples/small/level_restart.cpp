/// A level that restarts: short sounds stop, and loops that the level asks for again within a second go on without a seam.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "locks"

[scopes.level]
grace = "1 s"
fade-out = "100 ms"

[sounds.music]
scope = "level"
sketch = { like = "hum", length = "2 s" }
loop = true
retrigger = "ignore"

[sounds.pump]
scope = "level"
sketch = { source = "noise", length = "1 s", hold = true, low-pass = "400 Hz" }
loop = true
fade-out = "300 ms"

[events."level.begun"]
start = "music"

[events."pump.ran"]
start = "pump"
)";

int main() {
  Game game(book);
  game.manager.begin("level");
  game.manager.raise("level.begun");
  game.manager.raise("pump.ran");
  game.play(2);
  std::printf("the player falls into the lock, and begins again\n");
  game.manager.begin("level");
  game.manager.raise("level.begun");  // the music goes on, under its old handle
  game.play(0.9);
  std::printf("nobody has asked for the pump again\n");
  game.play(0.6);
  game.play(1);
}
