#include <catch2/catch.hpp>

#include "stage.hpp"
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
