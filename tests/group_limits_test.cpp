// Limits of groups: how many playbacks of all their sounds are heard at once, and who yields to one more.

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// Two lines of speech in a group with these keys, one of them in a group below it, and a sound beside them.
std::string speech(const std::string& keys) {
  return "[groups.guide]\n" + keys +
         "\n[groups.tours]\nparent = \"guide\"\n"
         "[sounds.welcome]\ngroup = \"guide\"\nclips = [\"long.wav\"]\nfade-out = \"50 ms\"\n"
         "[sounds.tour]\ngroup = \"tours\"\nclips = [\"long.wav\"]\nfade-out = \"200 ms\"\n"
         "[sounds.bell]\nclips = [\"long.wav\"]\n"
         "[events.welcome]\nstart = \"welcome\"\n[events.tour]\nstart = \"tour\"\n[events.bell]\nstart = \"bell\"\n";
}

/// Three loops in the world, which may be heard from everywhere, in a group with these keys.
std::string lamps(const std::string& keys) {
  const std::string lamp = "group = \"lamps\"\nplace = \"world\"\nfar = \"1000 m\"\nclips = [\"hum.wav\"]\nloop = true\n";
  return "[groups.lamps]\n" + keys + "\n[sounds.red]\n" + lamp + "[sounds.green]\n" + lamp + "[sounds.shot]\n" +
         "group = \"lamps\"\nplace = \"world\"\nfar = \"1000 m\"\nclips = [\"long.wav\"]\n" +
         "[events.red]\nstart = \"red\"\n[events.green]\nstart = \"green\"\n[events.shot]\nstart = \"shot\"\n";
}

std::vector<std::uint64_t> raises(const Stage& stage) {
  std::vector<std::uint64_t> raised;
  for (const PlaybackId id : sounding(stage)) raised.push_back(id.raise);
  return raised;
}

}  // namespace

TEST_CASE("a group with a limit of one lets one line be heard at a time, whatever its sound and the group below it") {
  Stage stage(speech("limit = 1"));
  const Raised welcome = stage.raise("welcome");
  stage.raise("bell");
  stage.render(Seconds{0.2});
  const Raised tour = stage.raise("tour");
  CHECK(tour.outcome == Outcome::started);
  stage.render(Seconds{0.1});
  CHECK(welcome.playback().ended());
  CHECK(raises(stage) == std::vector<std::uint64_t>{2, 3});
  const auto fading = stage.entries<noted::Fading>();
  REQUIRE(fading.size() == 1);
  CHECK(fading.front().how == Ending::yielded);
  CHECK(fading.front().why == "1 playback plays already in the group 'guide', which is its limit");
  CHECK(fading.front().fade.value == Approx(0.05));  // its own sound's
}

TEST_CASE("where a group is full, the newest is not started, and the journal names the group") {
  Stage stage(speech("limit = 2\nwhen-full = \"newest\""));
  CHECK(stage.raise("welcome").outcome == Outcome::started);
  CHECK(stage.raise("tour").outcome == Outcome::started);
  CHECK(stage.raise("tour").outcome == Outcome::limit_reached);
  stage.render(Seconds{0.01});
  CHECK(stage.why() == "2 playbacks play already in the group 'guide', which is its limit");
  CHECK(stage.manager->stats().refused == 0);
  CHECK(stage.raise("bell").outcome == Outcome::started);
  stage.render(Seconds{2.1});
  CHECK(stage.raise("tour").outcome == Outcome::started);  // both lines are over
}

TEST_CASE("the limit of a sound and those of several groups hold together") {
  Stage stage(
      "[groups.a]\nlimit = 3\n[groups.b]\nparent = \"a\"\nlimit = 2\n"
      "[sounds.x]\ngroup = \"b\"\nclips = [\"long.wav\"]\nlimit = 1\n[sounds.y]\ngroup = \"b\"\nclips = [\"long.wav\"]\n"
      "[sounds.z]\ngroup = \"a\"\nclips = [\"long.wav\"]\n[events.x]\nstart = \"x\"\n[events.y]\nstart = \"y\"\n[events.z]\nstart = "
      "\"z\"\n");
  const auto after = [&](Name event) {
    CHECK(stage.raise(event).outcome == Outcome::started);
    stage.render(Seconds{0.05});
    return raises(stage);
  };
  CHECK(after("x") == std::vector<std::uint64_t>{1});
  CHECK(after("x") == std::vector<std::uint64_t>{2});        // its own limit
  CHECK(after("y") == std::vector<std::uint64_t>{2, 3});     // two in b
  CHECK(after("y") == std::vector<std::uint64_t>{3, 4});     // the oldest of b leaves
  CHECK(after("z") == std::vector<std::uint64_t>{3, 4, 5});  // three in a
  CHECK(after("z") == std::vector<std::uint64_t>{4, 5, 6});  // the oldest of a leaves, which is of b
  CHECK(after("x") == std::vector<std::uint64_t>{5, 6, 7});
}

TEST_CASE("where a sound or a group is full, the farthest yields, the new one included") {
  for (const bool of_group : {true, false}) {
    INFO(of_group);
    const std::string keys = "limit = 2\nwhen-full = \"farthest\"\n";
    Stage stage(of_group ? lamps(keys)
                         : lamps("") + "[sounds.own]\nplace = \"world\"\nfar = \"1000 m\"\nclips = [\"long.wav\"]\n" + keys +
                               "[events.own]\nstart = \"own\"\n");
    stage.manager->set_listener(0, {});
    const auto at = [&](double metres) {
      const Outcome outcome = stage.manager->raise(of_group ? "shot" : "own", {}, Place{metres, 0, 0}).outcome;
      stage.render(Seconds{0.05});
      return outcome;
    };
    CHECK(at(30) == Outcome::started);
    CHECK(at(10) == Outcome::started);
    CHECK(at(20) == Outcome::started);  // the one at 30 m leaves
    CHECK(raises(stage) == std::vector<std::uint64_t>{2, 3});
    CHECK(at(25) == Outcome::limit_reached);
    CHECK_THAT(stage.why(), Contains("which is its limit; 25 m away, this one is the farthest"));
    CHECK(raises(stage) == std::vector<std::uint64_t>{2, 3});
    CHECK(at(20) == Outcome::started);  // as far as the farthest: the older leaves
    CHECK(raises(stage) == std::vector<std::uint64_t>{2, 5});
    CHECK(at(1) == Outcome::started);
    CHECK(raises(stage) == std::vector<std::uint64_t>{2, 6});
  }
}

TEST_CASE("loops in the world of a full group wait, and the loudest are heard where the listener goes") {
  Stage stage(lamps("limit = 2\nwhen-full = \"newest\""));
  stage.manager->set_listener(0, {});
  for (int i = 0; i < 6; ++i) stage.manager->raise(i % 2 == 0 ? "red" : "green", {}, Place{10.0 + 40 * i, 0, 0});
  stage.render(Seconds{0.1});
  CHECK(raises(stage) == std::vector<std::uint64_t>{1, 2});
  CHECK(stage.manager->stats().dormant == 4);
  stage.manager->set_listener(0, {.place = {210, 0, 0}});
  stage.render(Seconds{0.3});
  CHECK(raises(stage) == std::vector<std::uint64_t>{5, 6});
  CHECK(stage.manager->stats().dormant == 4);
  // A loop on its way to the listener is heard as soon as there is room.
  stage.manager->set_listener(0, {.place = {10, 0, 0}});
  stage.render(Seconds{0.3});
  CHECK(raises(stage) == std::vector<std::uint64_t>{1, 2});
}

TEST_CASE("a start that waits for its delay on the screen counts, and one in the world counts when it is heard") {
  Stage stage(
      "[groups.guide]\nlimit = 1\nwhen-full = \"newest\"\n[sounds.line]\ngroup = \"guide\"\nclips = [\"long.wav\"]\ndelay = \"1 s\"\n"
      "[sounds.call]\ngroup = \"guide\"\nclips = [\"long.wav\"]\nplace = \"world\"\ndelay = \"1 s\"\n"
      "[events.line]\nstart = \"line\"\n[events.call]\nstart = \"call\"\n");
  stage.manager->set_listener(0, {});
  CHECK(stage.raise("line").outcome == Outcome::started);
  CHECK(stage.raise("line").outcome == Outcome::limit_reached);
  stage.manager->stop_all(Seconds{0});
  stage.render(Seconds{0.1});
  CHECK(stage.manager->raise("call", {}, Place{1, 0, 0}).outcome == Outcome::started);
  CHECK(stage.manager->raise("call", {}, Place{2, 0, 0}).outcome == Outcome::started);
  stage.render(Seconds{1.2});
  CHECK(raises(stage) == std::vector<std::uint64_t>{3});
  const auto due = stage.entries<noted::Due>();
  REQUIRE(due.size() == 2);
  CHECK(due.back().why == "1 playback plays already in the group 'guide', which is its limit");
}

TEST_CASE("steps of a cadence count against the limit of their group, and what is paused only for its own scope") {
  Stage stage(
      "[scopes.world]\n[scopes.menu]\n[groups.guide]\nlimit = 1\nwhen-full = \"newest\"\n"
      "[sounds.step]\ngroup = \"guide\"\nclips = [\"long.wav\"]\ncadence = \"500 ms\"\nscope = \"world\"\n"
      "[sounds.line]\ngroup = \"guide\"\nclips = [\"hum.wav\"]\nloop = true\nscope = \"world\"\n"
      "[events.walk]\nstart = \"step\"\n[events.line]\nstart = \"line\"\n");
  CHECK(stage.raise("walk").outcome == Outcome::started);
  stage.render(Seconds{1.1});
  CHECK(raises(stage).size() == 1);
  CHECK(stage.raise("line").outcome == Outcome::limit_reached);
  stage.manager->stop_all(Seconds{0});
  stage.render(Seconds{0.1});
  CHECK(stage.raise("line").outcome == Outcome::started);
  stage.manager->pause("world");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("line").outcome == Outcome::limit_reached);
  CHECK(stage.manager->raise("line", {.scope = "menu"}).outcome == Outcome::started);
}

TEST_CASE("a limit of a group that is turned in the book holds from the reload on, for what plays already, too") {
  Stage stage(speech("limit = 3"));
  for (int i = 0; i < 3; ++i) stage.raise("welcome");
  stage.render(Seconds{0.05});
  CHECK(raises(stage).size() == 3);
  stage.folder.write("book.toml", book_head + speech("limit = 1\nwhen-full = \"newest\""));
  stage.manager->reload(compile_book(stage.folder.path("book.toml")));
  CHECK(stage.raise("welcome").outcome == Outcome::limit_reached);
  stage.render(Seconds{2.1});
  CHECK(stage.raise("welcome").outcome == Outcome::started);
  CHECK(stage.raise("tour").outcome == Outcome::limit_reached);
}

TEST_CASE("a group never has more than its limit, in random sessions") {
  std::mt19937 random(7);
  const auto pick = [&](int most) { return static_cast<int>(random() % static_cast<unsigned>(most)); };
  for (int session = 0; session < times(60, 12); ++session) {
    INFO("session " << session);
    const int limit = 1 + pick(3);
    std::string book = "[groups.top]\nlimit = " + std::to_string(limit) + "\nwhen-full = \"" +
                       std::string(when_full_words[static_cast<std::size_t>(session) % when_full_words.size()]) +
                       "\"\n[groups.below]\nparent = \"top\"\n";
    for (int s = 0; s < 6; ++s)
      book += "[sounds.s" + std::to_string(s) + "]\ngroup = \"" + (s % 2 == 0 ? "top" : "below") + "\"\nclips = [\"" +
              (s < 3 ? "long.wav" : "hum.wav") + "\"]\n" + (s < 3 ? "" : "loop = true\n") +
              (s % 3 == 0 ? "place = \"world\"\nfar = \"200 m\"\n" : "") + (s == 4 ? "delay = \"0 ms .. 400 ms\"\n" : "") +
              (s == 5 ? "retrigger = \"restart\"\n" : "") + "[events.e" + std::to_string(s) + "]\nstart = \"s" + std::to_string(s) +
              "\"\n[events.stop" + std::to_string(s) + "]\nstop = \"s" + std::to_string(s) + "\"\n";
    ManagerOptions options;
    options.voices = session % 2 == 0 ? 64 : 3;
    Stage stage(book, options);
    std::size_t most = 0;
    for (int frame = 0; frame < 200; ++frame) {
      if (pick(6) == 0) stage.manager->set_listener(0, {.place = {pick(300) - 150.0, 0, 0}});
      if (pick(3) == 0) {
        const std::string verb = pick(5) == 0 ? "stop" : "e", event = verb + std::to_string(pick(6));
        stage.manager->raise(Name(event), {}, Place{pick(300) - 150.0, 0, 0});
      }
      stage.render(Seconds{0.05});
      most = std::max(most, sounding(stage).size());
      REQUIRE(sounding(stage).size() <= static_cast<std::size_t>(limit));
    }
    CHECK(most == static_cast<std::size_t>(limit));
  }
}

TEST_CASE("bad limits of groups are told with their place") {
  const auto problem = [](const std::string& text) {
    const Folder folder;
    write_stage_clips(folder);
    const std::string whole = book_head + text + "[sounds.a]\nclips = [\"long.wav\"]\n[events.a]\nstart = \"a\"\n";
    const ReadBook read = parse_book(whole, folder.path("book.toml"));
    return read.problems.empty() ? std::string() : read.problems.front().message;
  };
  CHECK_THAT(problem("[groups.a]\nlimit = 0\n"), Contains("limit") && Contains("1"));
  CHECK_THAT(problem("[groups.a]\nwhen-full = \"newest\"\n"), Contains("'when-full' goes with a limit"));
  CHECK_THAT(problem("[groups.a]\nlimit = 1\nwhen-full = \"furthest\"\n"), Contains("\"farthest\""));
  std::string nested = "[groups.g0]\nlimit = 9\n";
  for (int g = 1; g < 4; ++g) nested += "[groups.g" + std::to_string(g) + "]\nlimit = 9\nparent = \"g" + std::to_string(g - 1) + "\"\n";
  CHECK_THAT(problem(nested), Contains("group 'g3' has a limit, and so have 3 groups above it"));
}
