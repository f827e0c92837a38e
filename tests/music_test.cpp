/// Music, measured by what is heard: on which frame a track takes over, how loud a crossing is, and what stays together.

#include <catch2/catch.hpp>
#include <cmath>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A clip of two channels that hold a level each: who is heard is seen in every sample.
std::vector<float> held(double left, double right, std::int64_t frames) {
  std::vector<float> samples;
  for (std::int64_t i = 0; i < frames; ++i) {
    samples.push_back(static_cast<float>(left));
    samples.push_back(static_cast<float>(right));
  }
  return samples;
}

/// Frames of so many beats, by other arithmetic than the library's.
std::int64_t beats(long double count, long double tempo, long double rate = test_rate.value) {
  return static_cast<std::int64_t>(std::floor(count * 60 / tempo * rate + 0.5L));
}

/// A stage of two tracks on the stand "main": "calm" is heard on the left, "storm" on the right.
Stage stage_of(const std::string& calm, const std::string& storm, ManagerOptions options = {}) {
  options.limiter = false;
  const std::string book = "[tracks.calm]\nclips = [\"calm.wav\"]\ntempo = \"97 bpm\"\n" + calm +
                           "\n[tracks.storm]\nclips = [\"storm.wav\"]\ntempo = \"120 bpm\"\n" + storm +
                           "\n[events.calm]\nplay = \"calm\"\n[events.storm]\nplay = \"storm\"\n[events.quiet]\nleave = \"main\"\n";
  return Stage(book, options, [](const Folder& folder) {
    folder.write_clip("clips/calm.wav", held(0.5, 0, beats(32, 97)), 2);
    folder.write_clip("clips/storm.wav", held(0, 0.5, beats(32, 120)), 2);
  });
}

const std::string round_of_eight = "parts = [ { name = \"round\", bars = 8, loop = true } ]";

/// The first frame at which a channel is heard, from `from` on; nothing if it is silent.
std::optional<std::size_t> heard_from(const Take& take, int channel, std::size_t from = 0) {
  for (std::size_t i = from; i < take.frames(); ++i)
    if (std::abs(channel == 0 ? take.left(i) : take.right(i)) > 1e-4F) return i;
  return std::nullopt;
}
/// The last frame at which it is heard at full level.
std::size_t full_until(const Take& take, int channel, std::size_t from) {
  std::size_t i = from;
  while (i < take.frames() && std::abs(channel == 0 ? take.left(i) : take.right(i)) > 0.49F) ++i;
  return i;
}

}  // namespace

TEST_CASE("a track takes over on the bar of the one that plays, by a cut") {
  Stage stage = stage_of(round_of_eight, round_of_eight);
  CHECK(stage.manager->raise("calm").outcome == Outcome::started);
  Take take = stage.render(Seconds{1});
  CHECK(stage.manager->raise("storm").outcome == Outcome::planned);
  take.append(stage.render(Seconds{4}).samples);
  const std::size_t calm = heard_from(take, 0).value();
  CHECK(calm == 63);
  const std::size_t storm = heard_from(take, 1).value();
  CHECK(static_cast<std::int64_t>(storm - calm) == beats(4, 97));
  CHECK(full_until(take, 0, calm + 10) == Approx(storm).margin(30));
  CHECK_FALSE(heard_from(take, 0, storm + 241).has_value());
  CHECK(stage.manager->raise("storm").outcome == Outcome::went_on);
  CHECK(stage.manager->raise("quiet").outcome == Outcome::done);
  stage.render(Seconds{1});
  CHECK(stage.manager->raise("quiet").outcome == Outcome::nothing_to_stop);
  CHECK(stage.manager->stats().voices == 0);
}
