#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "choose/pick.hpp"
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
  for (const auto& start : stage.starts()) names.push_back(start.clip);
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
    const auto entry = stage.starts().back();
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
    for (const auto& e : stage.entries<noted::Decision>())
      if (e.sound == "s") out.emplace_back(e.start->clip, e.start->pitch.value);
    return out;
  };
  CHECK(draws(true) == draws(false));
}

TEST_CASE("a shuffle from a key is even: every clip at every place, and after every other; asking again gives the same") {
  for (const std::uint32_t count : {2U, 3U, 5U, 8U, 13U, 17U, 18U}) {
    INFO(count << " clips");
    BankChoice choice;
    choice.clips.resize(count);
    const auto n = static_cast<double>(count);
    constexpr int rounds = 4000;
    std::vector<double> places(std::size_t{count} * count), pairs(places);
    for (std::uint64_t list = 1; list <= 20; ++list) {
      Picks picks;
      std::vector<int> seen(count);
      for (std::uint32_t i = 0; i < rounds / 20 * count; ++i) {
        const Picked picked = pick(Pick::shuffle, choice, picks, list);
        REQUIRE(picked.clip < count);
        REQUIRE(picked.clip != picks.last);
        REQUIRE(pick(Pick::shuffle, choice, picks, list).clip == picked.clip);
        Picks without_deck = picks;
        without_deck.cards = without_deck.next_at = 0;
        REQUIRE(pick(Pick::shuffle, choice, without_deck, list).clip == picked.clip);  // the deck is only quicker
        ++places[i % count * count + picked.clip];
        if (picks.last != Picks::none) ++pairs[picks.last * count + picked.clip];
        ++seen[picked.clip];
        picks = picked.after;
        if (i % count != count - 1) continue;
        REQUIRE(seen == std::vector<int>(count, static_cast<int>(i / count) + 1));  // each once a round
      }
    }
    // Five standard deviations of a count, for as many counts as there are; two clips alternate, and have no choice but the first.
    if (count == 2) continue;
    const double each = rounds / n;
    for (const double found : places) CHECK(found == Approx(each).margin(5 * std::sqrt(each)));
    for (std::size_t i = 0; i < pairs.size(); ++i) {
      const double expected = i / count == i % count ? 0 : rounds * n / (n * (n - 1));
      CHECK(pairs[i] == Approx(expected).margin(i / count == i % count ? 0 : 5 * std::sqrt(expected)));
    }
  }
}

TEST_CASE("draws are the sound's own: neither another sound nor a refusal changes them, and a bank that comes back goes on with them") {
  const std::string both =
      "[sounds.a]\nclips=[\"n-*.wav\"]\ngain=\"-9 dB .. 0 dB\"\n[sounds.b]\nclips=[\"n-*.wav\"]\nlimit=1\nwhen-full="
      "\"newest\"\ngain=\"-9 dB .. 0 dB\"\n[events.a]\nstart=\"a\"\n[events.b]\nstart=\"b\"\n";
  const auto gains = [&](const std::string& sound, int others, bool reload) {
    Stage stage(both);
    std::vector<double> found;
    for (int i = 0; i < 12; ++i) {
      for (int j = 0; j < others; ++j) stage.raise(sound == "a" ? "b" : "a");
      stage.raise(Name(sound));
      stage.render(Seconds{0.5});
      if (reload && i == 5) {
        stage.manager->unload("stage");
        stage.render(Seconds{0.1});
        stage.manager->load(*stage.bank);
      }
    }
    for (const auto& entry : stage.entries<noted::Decision>())
      if (entry.sound == sound) found.push_back(entry.start->gain.value);
    return found;
  };
  for (const std::string sound : {"a", "b"}) {
    const auto alone = gains(sound, 0, false);
    CHECK(alone.size() == 12);
    CHECK(gains(sound, 3, false) == alone);
    CHECK(gains(sound, 1, true) == alone);
  }
}
