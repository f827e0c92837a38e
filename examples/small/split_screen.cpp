/// Split screen: two players on one screen are two listeners, and each sound is heard by the nearer one.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "marsh"

[sounds.frog]
sketch = { source = "tone", pitch = "500 Hz", glide = "5 st", length = "300 ms" }
place = "world"
far = "50 m"

[events."frog.croaked"]
start = "frog"
)";

int main() {
  Game game(book);
  const tidewater::Place frog{100, 0, 0};
  game.manager.set_listener(0, {.place = {0, 0, 0}});
  std::printf("one player, 100 m away\n");
  game.manager.raise("frog.croaked", {}, frog);
  game.play(0.5);
  game.manager.set_listener(1, {.place = {96, 0, 0}});
  std::printf("a second player, 4 m away\n");
  game.manager.raise("frog.croaked", {}, frog);
  game.play(0.5);
  game.manager.remove_listener(1);  // the second player has left
  game.manager.raise("frog.croaked", {}, frog);
  game.play(0.5);
}
