#include <catch2/catch.hpp>
#include <map>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// The clips of `count` starts.
std::vector<std::string> picks(const std::string& pick, int count, const std::string& clips = "n-*.wav", std::uint64_t seed = 1) {
  Stage stage("[sounds.s]\nclips=[\"" + clips + "\"]\npick=\"" + pick + "\"\n[events.s]\nstart=\"s\"\n", {.seed = seed});
  for (int i = 0; i < count; ++i) {
    stage.raise("s");
    stage.render(Seconds{0.15});
  }
  std::vector<std::string> names;
  for (const auto& entry : stage.entries(JournalEntry::Kind::decision)) names.push_back(entry.clip);
  return names;
}

}  // namespace

TEST_CASE("shuffle plays each clip once a round, and never one twice running, also across the seam") {
  for (std::uint64_t seed = 1; seed <= 5; ++seed) {
    const auto names = picks("shuffle", 100, "n-*.wav", seed);
    for (std::size_t i = 1; i < names.size(); ++i) REQUIRE(names[i] != names[i - 1]);
    for (std::size_t round = 0; round < 20; ++round) {
      std::map<std::string, int> seen;
      for (std::size_t i = 0; i < 5; ++i) ++seen[names[round * 5 + i]];
      REQUIRE(seen.size() == 5);
    }
  }
}

TEST_CASE("shuffle's order differs from round to round") {
  const auto names = picks("shuffle", 50);
  int different = 0;
  for (std::size_t round = 1; round < 10; ++round)
    if (!std::equal(names.begin(), names.begin() + 5, names.begin() + static_cast<std::ptrdiff_t>(round) * 5)) ++different;
  CHECK(different >= 7);
}

TEST_CASE("random never repeats at once, and uses all clips about evenly") {
  const auto names = picks("random", 500);
  std::map<std::string, int> seen;
  for (std::size_t i = 0; i < names.size(); ++i) {
    ++seen[names[i]];
    if (i > 0) REQUIRE(names[i] != names[i - 1]);
  }
  REQUIRE(seen.size() == 5);
  for (const auto& [name, count] : seen) CHECK(count == Approx(100).margin(35));
}

TEST_CASE("in-order goes round") {
  CHECK(picks("in-order", 7) == std::vector<std::string>{"n-1.wav", "n-2.wav", "n-3.wav", "n-4.wav", "n-5.wav", "n-1.wav", "n-2.wav"});
}

TEST_CASE("a single clip is played each time, however it is picked") {
  for (const auto* pick : {"shuffle", "random", "in-order"}) CHECK(picks(pick, 3, "tone.wav") == std::vector<std::string>(3, "tone.wav"));
}

TEST_CASE("pitch and level are drawn anew at each start, within their ranges and heard so") {
  Stage stage("[sounds.s]\nclips=[\"tone.wav\"]\npitch=\"-2 st .. 2 st\"\ngain=\"-12 dB .. -6 dB\"\n[events.s]\nstart=\"s\"\n");
  double lowest = 1e9;
  double highest = 0;
  for (int i = 0; i < 40; ++i) {
    stage.raise("s");
    const Take take = stage.render(Seconds{0.7});
    const auto entry = stage.entries(JournalEntry::Kind::decision).back();
    const double pitch = take.part(0.05, 0.3).pitch();
    CHECK(pitch == Approx(1000 * ratio(entry.pitch)).epsilon(1e-4));
    CHECK(take.part(0.05, 0.3).peak() == Approx(0.5 * 0.70711 * amplitude(entry.gain)).epsilon(0.003));
    CHECK((entry.gain >= Decibels{-12} && entry.gain <= Decibels{-6}));
    lowest = std::min(lowest, pitch);
    highest = std::max(highest, pitch);
  }
  CHECK(lowest < 930);
  CHECK(lowest > 890);
  CHECK(highest > 1070);
  CHECK(highest < 1123);
}

TEST_CASE("another sound's starts do not change what a sound draws") {
  const std::string book =
      "[sounds.s]\nclips=[\"n-*.wav\"]\npitch=\"-2 st .. 2 "
      "st\"\n[sounds.t]\nclips=[\"n-*.wav\"]\n[events.s]\nstart=\"s\"\n[events.t]\nstart=\"t\"\n";
  const auto draws = [&](bool with_other) {
    Stage stage(book);
    for (int i = 0; i < 10; ++i) {
      if (with_other) stage.raise("t");
      stage.raise("s");
      stage.render(Seconds{0.3});
    }
    std::vector<std::pair<std::string, double>> out;
    for (const auto& e : stage.entries(JournalEntry::Kind::decision))
      if (e.sound == "s") out.emplace_back(e.clip, e.pitch.value);
    return out;
  };
  CHECK(draws(true) == draws(false));
}
