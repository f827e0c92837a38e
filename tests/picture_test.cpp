#include <catch2/catch.hpp>

#include "picture/timeline_layout.hpp"
#include "stage.hpp"
#include "tidewater/picture/stress_chart.hpp"
#include "tidewater/picture/takes.hpp"
#include "tidewater/picture/timeline.hpp"
#include "tidewater/picture/treemap.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("a timeline is drawn as PNG and as SVG, with its names and reasons in it") {
  Stage stage("[sounds.tone]\nclips=[\"tone.wav\"]\nfade-in=\"50 ms\"\n[events.rung]\nstart=\"tone\"\n");
  Timeline timeline(test_rate);
  stage.raise("rung");
  stage.raise("missed");
  timeline.take(stage.render(Seconds{1}).samples);
  for (const auto& entry : stage.journal) timeline.take(entry);
  timeline.draw(stage.folder.path("t.png"), "a take");
  timeline.draw(stage.folder.path("t.svg"), "a take");
  CHECK(stage.folder.read("t.png").substr(1, 3) == "PNG");
  CHECK_THAT(stage.folder.read("t.svg"), Contains("<svg"));
  CHECK_THROWS_WITH(timeline.draw(stage.folder.path("t.gif"), ""), Contains("use .png or .svg"));
  CHECK_THROWS_WITH(timeline.draw("/nowhere/t.png", ""), Contains("cannot be written"));
  Timeline(test_rate).draw(stage.folder.path("none.png"), "nothing happened");
}

TEST_CASE("a timeline knows how far away what is in the world is, as it and its listener move") {
  Stage stage("[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nplace=\"world\"\nfar=\"50 m\"\n[events.a]\nstart=\"hum\"\n");
  stage.manager->set_listener(0, {});
  const Emitter thing = stage.manager->make_emitter({.place = {3, 4, 0}});
  stage.manager->raise("a", {}, thing);
  stage.render(Seconds{0.5});
  stage.manager->place(thing, {0, 20, 0});
  stage.render(Seconds{0.5});
  stage.manager->set_listener(0, {.place = {0, 0, 21}});
  stage.render(Seconds{0.5});
  stage.manager->place(thing, {0, 120, 21});
  stage.render(Seconds{0.5});
  TimelineFacts facts(test_rate);
  for (const auto& entry : stage.journal) facts.take(entry);
  const auto lanes = facts.lanes(96'000);
  REQUIRE(lanes.size() == 1);
  const Bar& bar = *lanes[0].rows.at(0).bars.at(0);
  std::vector<double> metres;
  for (const auto& [at, away] : bar.away) metres.push_back(away);
  REQUIRE(metres.size() == 4);
  CHECK(metres[0] == Approx(5).margin(0.01));
  CHECK(metres[1] == Approx(20).margin(0.01));
  CHECK(metres[2] == Approx(29).margin(0.01));
  CHECK(metres[3] == Approx(120).margin(0.01));
  CHECK(seconds({bar.away[1].first}, test_rate).value == Approx(0.5).margin(0.04));
  REQUIRE(bar.dormant.size() == 1);
  CHECK(seconds({bar.dormant[0].first}, test_rate).value == Approx(1.5).margin(0.04));
}

TEST_CASE("a timeline knows when scopes were paused and slow") {
  Stage stage("[scopes.world]\n[scopes.menu]\n[sounds.tone]\nclips=[\"tone.wav\"]\n[events.rung]\nstart=\"tone\"\n");
  const auto after = [&](const Outcome&) { stage.render(Seconds{0.5}); };
  after(stage.manager->pause("world"));
  after(stage.manager->pause("world"));
  after(stage.manager->resume("world"));
  after(stage.manager->set_time_scale("world", 0.25, Seconds{0.1}));
  after(stage.manager->pause("menu"));
  after(stage.manager->end("world"));
  TimelineFacts facts(test_rate);
  for (const auto& entry : stage.journal) facts.take(entry);
  (void)facts.lanes(144'000);
  std::vector<std::string> told;
  for (const auto& [scope, spans] : facts.scopes)
    for (const ScopeSpan& its : spans)
      told.push_back(scope + " " + its.text + " " + std::to_string(its.from / 24'000) + " " + std::to_string(its.to / 24'000));
  CHECK(told == std::vector<std::string>{"menu paused 4 6", "world paused 0 2", "world x0.25 3 5"});
}

TEST_CASE("voices held are read off between the measured points, and drawn") {
  StressResult result;
  result.deadline = Seconds{0.01};
  result.curves.push_back(
      {"unity", {{100, Seconds{0.001}, {}, {}, {}}, {300, Seconds{0.003}, {}, {}, {}}, {900, Seconds{0.009}, {}, {}, {}}}});
  CHECK(result.curves[0].voices_within(0.5, result.deadline) == 500);
  CHECK(result.curves[0].voices_within(0.05, result.deadline) == 50);
  CHECK(result.curves[0].voices_within(0.95, result.deadline) == 900);
  const Folder folder;
  draw_stress(result, folder.path("s.svg"), "how many");
  CHECK_THAT(folder.read("s.svg"), Contains("<svg"));
}

TEST_CASE("what takes room is drawn as areas: of any number of clips, none, and one that has all") {
  const Folder folder;
  const auto drawn = [&](const std::vector<TreemapItem>& items, const std::string& file) {
    draw_treemap(items, folder.path(file), "a bank", "a remark");
    return folder.read(file);
  };
  const auto fields = [](const std::string& svg) {
    std::size_t count = 0;
    for (const std::string shape : {"<path ", "<rect "})
      for (std::size_t at = 0; (at = svg.find(shape, at)) != std::string::npos; ++at) ++count;
    return count;
  };
  std::vector<TreemapItem> items;
  const std::string few = drawn({{"effects", "bell", "bell.flac", 1000, false, false}}, "few.svg");
  for (int i = 0; i < 400; ++i)
    items.push_back({"group " + std::to_string(i % 5), "sound " + std::to_string(i % 40), "clip-" + std::to_string(i) + ".flac",
                     static_cast<std::uint64_t>(1 + i * i * 50), i % 3 == 0, i % 7 == 0});
  CHECK(fields(drawn(items, "many.svg")) >= fields(few) + 400 - 20);  // what is smaller than a point is left out
  CHECK(drawn({}, "none.png").substr(1, 3) == "PNG");
  CHECK(drawn({{"a", "b", "c", 0, false, false}, {"a", "b", "d", ~std::uint64_t{0}, true, true}}, "one.png").substr(1, 3) == "PNG");
}

TEST_CASE("takes are drawn one below the other, a dozen at most; none is a picture, too") {
  const Folder folder;
  std::vector<HeardTake> takes;
  for (int i = 0; i < 14; ++i) takes.push_back({"take number " + std::to_string(i), sine(100 * (i + 1), 0.2, 2, 0.5)});
  takes[3].samples.clear();
  CHECK(draw_takes(takes, test_rate, folder.path("t.svg"), "takes of a tone") == 12);
  const std::string svg = folder.read("t.svg");
  CHECK_THAT(svg, Contains("<svg"));
  CHECK(svg.size() > 20000);
  CHECK(draw_takes({}, test_rate, folder.path("none.png"), "nothing") == 0);
  CHECK(folder.read("none.png").substr(1, 3) == "PNG");
  CHECK_THROWS_WITH(draw_takes(takes, test_rate, folder.path("t.gif"), ""), Contains("use .png or .svg"));
}

TEST_CASE("a timeline shows layers, what is turned and muted, and names what was refused") {
  Stage stage(
      "[groups.near]\n[sounds.both]\ngroup=\"near\"\nlayers = [ { name = \"low\", clips = [\"long.wav\"] }, { name = \"top\", clips = "
      "[\"low.wav\"] } ]\n"
      "[events.a]\nstart=\"both\"\n");
  stage.raise("a");
  stage.manager->set_gain("near", Decibels{-6}, Seconds{2});
  stage.render(Seconds{0.5});
  stage.manager->set_mute("near", true);
  stage.raise("no.such");
  stage.render(Seconds{0.5});
  stage.manager->set_mute("near", false);
  stage.manager->set_low_pass("master", Hertz{800}, Seconds{});
  stage.render(Seconds{0.5});
  stage.manager->set_mute("master", true);
  stage.render(Seconds{0.5});
  TimelineFacts facts(test_rate);
  Timeline timeline(test_rate);
  for (const auto& entry : stage.journal) {
    facts.take(entry);
    timeline.take(entry);
  }
  const auto lanes = facts.lanes(2 * 48000);
  REQUIRE(lanes.size() == 1);
  REQUIRE(lanes[0].rows.size() == 1);
  REQUIRE(lanes[0].rows[0].bars.size() == 2);
  CHECK(lanes[0].rows[0].slots == 2);
  CHECK(lanes[0].rows[0].bars[0]->layer == "low");
  CHECK(lanes[0].rows[0].bars[1]->layer == "top");
  std::string labels;
  for (const auto& change : facts.changes) labels += change.label + "; ";
  CHECK(labels == "near -6.0 dB over 2 s; near muted; near heard; master low-pass 800 Hz; master muted; ");
  REQUIRE(facts.muted.at("near").size() == 1);
  CHECK(facts.muted.at("near")[0].second - facts.muted.at("near")[0].first == Approx(24000).margin(1024));
  CHECK(facts.muted.at("master")[0].second == 2 * 48000);
  CHECK(facts.marks.at(1).label == "no.such");
  CHECK(facts.marks.at(1).refused);
  CHECK(facts.unheard.at(0).event == "no.such");
  timeline.draw(stage.folder.path("t.png"), "turned");
  CHECK(stage.folder.read("t.png").size() > 10000);
}
