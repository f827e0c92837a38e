/// A loop that is tied to an object: it plays while the object lives, comes from where the object is, and stops with it.

#include <optional>

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "quay"

[sounds.motor]
sketch = { like = "hum", length = "1 s" }
loop = true
place = "world"
fade-out = "200 ms"

[events."motor.ran"]
start = "motor"
)";

/// A boat of the game. Its guard stops the sound when the boat is destroyed.
struct Boat {
  explicit Boat(tidewater::SoundManager& manager)
      : emitter(manager.make_emitter({.place = {5, 0, 0}})), motor(manager.play_while("motor.ran", emitter)) {}

  tidewater::Emitter emitter;
  tidewater::PlayingWhile motor;
};

int main() {
  Game game(book);
  game.manager.set_listener(0, {});
  std::optional<Boat> boat(game.manager);
  game.play(1);
  game.manager.place(boat->emitter, {60, 0, 0});
  game.play(1);
  boat.reset();  // nobody has to remember the sound
  game.play(0.3);
  game.play(1);
}
