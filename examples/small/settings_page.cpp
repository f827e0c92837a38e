/// A settings page: a level and a switch for each group that the book offers, kept in a file.

#include "tidewater/settings.hpp"

#include "game.hpp"
#include "tidewater/settings_file.hpp"

constexpr std::string_view book = R"(
[book]
name = "ferry"

[groups.music]
player = true
[groups.effects]
player = true

[sounds.song]
group = "music"
sketch = { like = "hum", length = "1 s" }
loop = true

[sounds.gulls]
group = "effects"
sketch = { source = "tone", pitch = "1.2 kHz", length = "200 ms" }
cadence = "400 ms"

[events."trip.began"]
responses = [ { start = "song" }, { start = "gulls" } ]
)";

constexpr const char* path = "out/settings.json";

/// What the page shows.
void show(const tidewater::SoundManager& manager, const tidewater::Settings& settings) {
  for (const std::string& group : manager.offered_groups())
    std::printf("         %-8s %3.0f %%  %s\n", group.c_str(), 100 * settings.level(group).value, settings.on(group) ? "on" : "off");
}

int main() {
  Game game(book);

  // At the start: what the player has set before holds, whether banks are loaded yet or not. A damaged file gives full levels.
  const tidewater::SettingsRead read = tidewater::read_settings(path);
  if (!read.problem.empty()) std::printf("%s\n", read.problem.c_str());
  tidewater::Settings settings = read.settings;
  settings.apply(game.manager);
  show(game.manager, settings);
  game.manager.raise("trip.began");
  game.play(2);

  // The player moves the slider of the music to the middle, which sounds half as loud, and switches the effects off.
  settings.set_level("music", 0.5);
  settings.set_on("effects", false);
  settings.apply(game.manager);
  show(game.manager, settings);
  game.play(2);

  // The page is closed.
  const std::string problem = tidewater::write_settings(settings, path);
  std::printf("         %s\n", problem.empty() ? "kept in out/settings.json" : problem.c_str());
}
