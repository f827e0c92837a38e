/// An action in stages: hauling a net begins, and is completed, interrupted or called off. Each stage raises an event of its own.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "trawler"

[sounds.creak]
sketch = { like = "hum", length = "1 s" }
loop = true
fade-out = "100 ms"

[sounds.thud]
sketch = { source = "noise", length = "200 ms", low-pass = "300 Hz" }

[sounds.groan]
sketch = { source = "tone", pitch = "180 Hz", glide = "-7 st", length = "400 ms" }

[events."net.hauled.begun"]
start = "creak"

[events."net.hauled.completed"]
responses = [ { stop = "creak", for = "action" }, { start = "thud" } ]

[events."net.hauled.interrupted"]
responses = [ { stop = "creak", for = "action" }, { start = "groan" } ]

[events."net.hauled.called-off"]
stop = "creak"
for = "action"
)";

int main() {
  Game game(book);
  tidewater::Action first = game.manager.begin_action("net.hauled");
  game.play(1);
  first.complete();
  game.play(1);
  {
    const tidewater::Action second = game.manager.begin_action("net.hauled");
    game.play(1);
  }  // the hauler is gone: the action is called off
  game.play(1);
}
