// The player's settings: what they do to what is heard, and the file that keeps them.

#include "tidewater/settings.hpp"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>

#include "stage.hpp"
#include "tidewater/settings_file.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"(
[groups.music]
player = true
gain = "-6 dB"
[groups.effects]
[sounds.hum]
group = "music"
clips = ["hum.wav"]
loop = true
[sounds.shot]
group = "effects"
clips = ["tone.wav"]
[events.hum]
start = "hum"
[events.shot]
start = "shot"
)";

double level(Stage& stage) { return decibels(stage.render(Seconds{0.2}).part(0.1, 0.1).rms()).value; }

Settings of(double share, bool on = true) {
  Settings settings;
  settings.set_level("music", share);
  settings.set_on("music", on);
  return settings;
}

}  // namespace

TEST_CASE("half is half as loud, off is silence, and on again is what it was") {
  Stage stage(book);
  stage.raise("hum");
  const double full = level(stage);
  of(0.5).apply(*stage.manager);
  CHECK(level(stage) == Approx(full - 10).margin(0.02));
  stage.manager->set_gain("music", Decibels{-12});  // the game's level and the player's multiply
  CHECK(level(stage) == Approx(full - 16).margin(0.02));
  CHECK(stage.manager->group("music")->gain == Decibels{-12});
  of(0.5, false).apply(*stage.manager);
  CHECK(level(stage) < -100);
  CHECK(stage.raise("hum").outcome == Outcome::silent);
  stage.render(Seconds{0.02});
  CHECK(stage.why() == "the player has turned group 'music' off");
  stage.manager->set_mute("music", true);
  of(0.5, true).apply(*stage.manager);
  CHECK(level(stage) < -100);  // the game has muted it
  stage.manager->set_mute("music", false);
  of(0).apply(*stage.manager);
  CHECK(level(stage) < -100);
  of(1).apply(*stage.manager);
  stage.manager->set_gain("music", Decibels{-6});
  const auto both = level(stage);  // two hums by now
  CHECK(both > full);
  CHECK(stage.manager->group("music")->player_level == Share{1});
}

TEST_CASE("settings hold whether they come before a bank, between two or after it, and through a reload") {
  const Stage compiled(book);
  const auto heard = [&](int when) {
    SoundManager manager({.offline = true});
    const auto apply = [&](int at) {
      if (at == when) of(0.25).apply(manager);
    };
    apply(0);
    manager.load(*compiled.bank);
    apply(1);
    std::vector<float> out(2 * 4800);
    manager.raise("hum");
    manager.render(out);
    apply(2);
    manager.reload(*compiled.bank);
    apply(3);
    CHECK(manager.player_level("music") == Share{when < 4 ? 0.25 : 1});
    CHECK(manager.offered_groups() == std::vector<std::string>{"music"});
    for (int i = 0; i < 3; ++i) manager.update(Seconds{0.1}), manager.render(out);
    return out;
  };
  const auto first = heard(0);
  for (const int when : {1, 2, 3}) CHECK(heard(when) == first);
  CHECK(heard(4) != first);
}

TEST_CASE("a group that is not offered, and shares that are none, are told") {
  Stage stage(book);
  CHECK(stage.manager->set_player_level("effects", 0.5) == Outcome::unknown_group);
  stage.render(Seconds{0.02});
  CHECK(stage.why() == "group 'effects' is not offered to the player; write player = true in [groups.effects]");
  CHECK(stage.manager->set_player_level("music", std::nan("")) == Outcome::not_a_number);
  CHECK(stage.manager->set_player_level("music", -1) == Outcome::done);
  CHECK(stage.manager->player_level("music") == Share{0});
  CHECK(stage.manager->set_player_level("music", 2) == Outcome::done);
  CHECK(stage.manager->player_level("music") == Share{1});
  Settings settings;
  CHECK_FALSE(settings.set_level("music", std::nan("")));
  CHECK(settings.set_level("music", 7));
  CHECK(settings.level("music") == Share{1});
  CHECK(settings.level("never-set") == Share{1});
  CHECK(settings.on("never-set"));
}

TEST_CASE("applying settings asks only for what is new") {
  Stage stage(book);
  for (int i = 0; i < 3; ++i) of(0.5).apply(*stage.manager);
  stage.render(Seconds{0.02});
  CHECK(stage.requests<asked::SetPlayerLevel>().size() == 1);
  CHECK(stage.requests<asked::SetPlayerSwitch>().empty());
}

TEST_CASE("settings survive a file, with groups that nobody knows") {
  const Folder folder;
  const std::string path = folder.path("of/kelp/settings.json");
  CHECK(read_settings(path).problem.empty());
  Settings settings = of(0.3, false);
  settings.set_level("caf\u00e9 \"noise\"", 0.7);
  CHECK(write_settings(settings, path).empty());
  const SettingsRead read = read_settings(path);
  CHECK(read.problem.empty());
  CHECK(read.settings == settings);
  CHECK_THAT(write_settings(settings, folder.path("of")), Contains("is a folder"));
}

TEST_CASE("a file that is damaged at any byte is read as far as it is good, is told, and is not lost") {
  const Folder folder;
  const std::string path = folder.path("settings.json");
  write_settings(of(0.5, false), path);
  const std::string good = folder.read("settings.json");
  std::size_t told = 0;
  for (std::size_t at = 0; at < good.size(); ++at)
    for (const char damage : {'\0', '{', 'x', '\xff'}) {
      std::string text = good;
      text[at] = damage;
      folder.write("settings.json", text);
      const SettingsRead read = read_settings(path);
      for (const Settings::Group& its : read.settings.groups()) CHECK((its.level.value >= 0 && its.level.value <= 1));
      told += read.problem.empty() ? 0 : 1;
      if (!read.problem.empty()) CHECK_THAT(read.problem, Contains("settings.json"));
    }
  CHECK(told > 2 * good.size());
  for (std::size_t size = 0; size + 2 < good.size(); ++size) {
    folder.write("settings.json", good.substr(0, size));
    CHECK_FALSE(read_settings(path).problem.empty());
  }
  folder.write("settings.json", good.substr(0, 20));
  CHECK(write_settings(of(0.1), path).empty());
  CHECK(read_settings(path).settings == of(0.1));
  CHECK(folder.read("settings.json.damaged") == good.substr(0, 20));
}

TEST_CASE("bad values and hostile files are told with the place") {
  const Folder folder;
  const auto problem = [&](const std::string& text) {
    folder.write("s.json", text);
    return read_settings(folder.path("s.json")).problem;
  };
  const auto music = [&](const std::string& its) {
    return problem("{ \"tidewater-settings\": 1, \"groups\": { \"music\": " + its + " } }");
  };
  CHECK_THAT(music("{ \"level\": -1 }"), Contains("the level of 'music' is -1"));
  CHECK_THAT(music("{ \"level\": 2 }"), Contains("from 0 to 1 there may be, and 1 is taken"));
  CHECK_THAT(music("{ \"level\": \"half\" }"), Contains("the level of 'music' is \"half\", not a number"));
  CHECK_THAT(music("{ \"on\": 1 }"), Contains("'on' of 'music' is 1"));
  CHECK_THAT(music("[]"), Contains("the group 'music' is not an object"));
  CHECK_THAT(music("{ \"level\": NaN }"), Contains("s.json:1:60: this is no JSON"));
  CHECK_THAT(problem(std::string(500'000, '[')), Contains("nested too deeply"));
  CHECK_THAT(problem(std::string(500'000, '{')), Contains("no JSON"));
  CHECK_THAT(problem(std::string("\xff\xfe{\0}\0", 6)), Contains("no text"));
  CHECK_THAT(problem("{ \"caf\xe9\": 1 }"), Contains("this is no JSON"));
  CHECK_THAT(problem("{}"), Contains("this is no settings file"));
  CHECK_THAT(problem("{ \"tidewater-settings\": 99 }"), Contains("a newer version"));
  CHECK_THAT(problem("{ \"tidewater-settings\": 1, \"groups\": [] }"), Contains("'groups' is not an object"));
  std::filesystem::resize_file(folder.path("s.json"), std::uintmax_t{2} << 30);
  CHECK_THAT(read_settings(folder.path("s.json")).problem, Contains("no text") || Contains("larger than"));
}
