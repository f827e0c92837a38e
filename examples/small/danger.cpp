/// Music that follows danger: drums come in with a gauge, and a fight changes the track on the bar.

#include "game.hpp"

constexpr std::string_view book = R"(
[book]
name = "lighthouse"

[gauges.danger]
smoothing = "500 ms"

[tracks.shore]
tempo = "120 bpm"
parts = [ { name = "round", bars = 2, loop = true } ]
stems = [
  { name = "bass", sketch = { source = "pluck", pitch = "110 Hz", length = "4 s", notes = ["0 st", "0 st", "7 st", "5 st"] } },
  { name = "drums", sketch = { source = "noise", length = "4 s", notes = ["0 st", "0 st", "0 st", "0 st", "0 st", "0 st", "0 st", "0 st"] },
    follow = [ { gauge = "danger", gain = [[0, "silent"], [1, "0 dB"]] } ] },
]

[tracks.fight]
tempo = "160 bpm"
parts = [ { name = "round", bars = 2, loop = true }, { name = "ending", bars = 1 } ]
sketch = { source = "tone", pitch = "220 Hz", length = "4.5 s", notes = ["0 st", "3 st", "7 st", "3 st", "0 st", "-12 st"] }

[tracks.shore.from.fight]
on = "end"

[events."level.began"]
play = "shore"

[events."wolf.attacked"]
play = "fight"

[events."wolf.fled"]
play = "shore"
)";

int main() {
  Game game(book);
  game.manager.raise("level.began");
  game.play(2);
  game.manager.set_gauge("danger", 1);  // drums join, in their place
  game.play(2);
  game.manager.raise("wolf.attacked");  // on the next bar
  game.play(4);
  game.manager.raise("wolf.attacked");  // it plays already: nothing changes
  game.manager.set_gauge("danger", 0);
  game.manager.raise("wolf.fled");  // after the round and its ending
  game.play(12);
}
