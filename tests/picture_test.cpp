#include <catch2/catch.hpp>

#include "stage.hpp"
#include "tidewater/picture/stress_chart.hpp"
#include "tidewater/picture/takes.hpp"
#include "tidewater/picture/timeline.hpp"

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
