#include <catch2/catch.hpp>

#include "stage.hpp"
#include "tidewater/author/report.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("a report says what was asked, what was heard, what was not and why, and how loud it was") {
  Stage stage(
      "[groups.off]\nmute=true\n[sounds.a]\nclips=[\"long.wav\"]\n[sounds.b]\ngroup=\"off\"\nclips=[\"low.wav\"]\n[events.a]\nstart="
      "\"a\"\n[events.b]\nstart=\"b\"\n");
  Report report(test_rate);
  stage.raise("a");
  stage.raise("b");
  stage.raise("c");
  report.take(stage.render(Seconds{3}).samples);
  for (const auto& entry : stage.journal) report.take(entry);
  CHECK_THAT(report.text(), Contains("3 events raised by the game, of 3 kinds") && Contains("started    1 sound\n") &&
                                Contains("unheard    1 sound: group 'off' is muted since 0.0 s") && Contains("1 x c  unknown-event") &&
                                Contains("playbacks  1 at once at most\n  voices     1 at once at most, of 64\n"));
  CHECK(report.length() == Seconds{3});
  CHECK(report.true_peak().value == Approx(decibels(0.5 * 0.70711).value).margin(0.1));
  // A sine in both channels at peak p reads 20 log10(p) in LUFS at 1 kHz; 500 Hz weighs a little less.
  CHECK(report.loudness().value == Approx(-9.03 - 0.6).margin(0.5));
}

TEST_CASE("a report counts playbacks and voices apart: one with layers is one playback on several voices") {
  Stage stage(
      "[sounds.a]\nlayers = [ { name = \"x\", clips = [\"hum.wav\"], loop = true }, { name = \"y\", clips = [\"low.wav\"] }, "
      "{ name = \"z\", clips = [\"tone.wav\"] } ]\n[sounds.b]\nclips=[\"long.wav\"]\n[events.a]\nstart=\"a\"\n[events.b]\nstart=\"b\"\n"
      "[events.end]\nstop=\"a\"\n");
  Report report(test_rate);
  stage.raise("a");
  stage.render(Seconds{0.2});
  stage.raise("b");
  stage.render(Seconds{0.2});
  stage.raise("end");
  stage.render(Seconds{0.2});
  stage.raise("b");
  stage.render(Seconds{0.1});
  for (const auto& entry : stage.journal) report.take(entry);
  CHECK_THAT(report.text(), Contains("playbacks  2 at once at most\n  voices     4 at once at most, of 64\n"));
}
