// Ducks: how far and how quickly a group goes down while another one is heard, and what leaves it alone.

#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numeric>
#include <random>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A tone on the left, in the group `music`, and what lowers it on the right, in the group `voices`.
std::string ducked(const std::string& duck, const std::string& more = {}) {
  return "[groups.music]\n" + duck + "\n[groups.voices]\n[groups.crew]\nparent = \"voices\"\n" + more +
         "[sounds.hum]\ngroup = \"music\"\nclips = [\"hum.wav\"]\nloop = true\npan = \"100 % left\"\n"
         "[sounds.key]\ngroup = \"crew\"\nclips = [\"key.wav\"]\npan = \"100 % right\"\n"
         "[events.hum]\nstart = \"hum\"\n[events.key]\nstart = \"key\"\n";
}
const std::string by_eight = "duck = [ { for = \"voices\", by = \"-8 dB\" } ]";

using Signal = std::function<float(double seconds, std::mt19937& random)>;

float noise(double decibels, std::mt19937& random) {
  return static_cast<float>(amplitude(Decibels{decibels})) * std::normal_distribution<float>(0, 1)(random);
}
double into(double seconds, double period) { return seconds - std::floor(seconds / period) * period; }

/// The tone's level over time in dB of its level at the beginning, in windows of 2 ms (a period of the tone), while the key goes by
/// `signal` from one second on, for three seconds.
struct Followed {
  std::vector<double> levels;
  Take take;
  double at(double seconds) const { return levels[static_cast<std::size_t>(seconds / 0.002)]; }
  std::pair<double, double> between(double from, double to) const {
    const auto [least, most] = std::minmax_element(levels.begin() + static_cast<std::ptrdiff_t>(from / 0.002),
                                                   levels.begin() + static_cast<std::ptrdiff_t>(to / 0.002));
    return {*least, *most};
  }
};

Followed follow(const std::string& book, const Signal& signal, double seconds = 6, std::size_t block = 800) {
  Stage stage(book, {}, [&](const Folder& folder) {
    std::mt19937 random(5);
    std::vector<float> key(static_cast<std::size_t>(seconds * 48000));
    for (std::size_t i = 0; i < key.size(); ++i) {
      const double t = static_cast<double>(i) / 48000;
      key[i] = t >= 1 && t < 4 ? signal(t - 1, random) : 0;
    }
    folder.write_clip("clips/key.wav", key);
  });
  stage.raise("hum");
  stage.raise("key");
  Followed followed;
  for (std::size_t left = static_cast<std::size_t>(seconds * 48000); left > 0;) {
    const std::size_t count = std::min(block, left);
    std::vector<float> out(2 * count);
    stage.manager->render(out);
    stage.manager->update(Seconds{static_cast<double>(count) / 48000});
    followed.take.append(out);
    left -= count;
  }
  followed.take.samples.erase(followed.take.samples.begin(), followed.take.samples.begin() + 2 * latency_frames);
  for (double t = 0; t + 0.002 < followed.take.seconds(); t += 0.002)
    followed.levels.push_back(decibels(followed.take.part(t, 0.002).rms()).value);
  const double before = followed.at(0.5);
  for (double& level : followed.levels) level -= before;
  return followed;
}

/// Syllables of 140 ms, five a second, with a pause of 250 ms after each second.
float speech(double t, std::mt19937& random) {
  const double word = into(t, 1.25), syllable = into(word, 0.2);
  if (word > 1 || syllable > 0.14) return 0;
  return noise(-21, random) * static_cast<float>(std::sqrt(std::sin(3.14159 * syllable / 0.14)));
}

}  // namespace

TEST_CASE("while a voice speaks, the music is lower by what the book says, and comes back after it") {
  const Followed its = follow(ducked(by_eight), speech);
  CHECK(its.at(1.02) < -0.02);  // opened within 20 ms
  CHECK(its.at(1.1) < -7);
  const auto [least, most] = its.between(1.15, 4);
  CHECK(least == Approx(-8).margin(0.1));
  CHECK(most == Approx(-8).margin(0.1));
  CHECK(its.at(4.9) > -1);
  CHECK(its.at(5.05) == Approx(0).margin(0.001));
}

TEST_CASE("clicks and knocks lower nothing, however loud they are") {
  const auto untouched = [&](const Signal& signal) {
    const auto [least, most] = follow(ducked(by_eight), signal).between(0.1, 5.5);
    CHECK(std::abs(least) < 0.001);
    CHECK(std::abs(most) < 0.001);
  };
  for (const double rate : {2.0, 12.0}) untouched([&](double t, std::mt19937&) { return into(t, 1 / rate) < 0.001 ? 0.7F : 0.0F; });
  untouched([](double t, std::mt19937& random) { return into(t, 0.25) < 0.008 ? noise(-18, random) : 0.0F; });
  untouched([](double, std::mt19937& random) { return noise(-46, random); });  // breath, below `from`
}

TEST_CASE("a duck leaves no trace, moves without clicks, and does not depend on the caller's blocks") {
  const Followed plain = follow(ducked(""), speech, 7), its = follow(ducked(by_eight), speech, 7);
  const std::size_t from = 2 * 48000 * 5 + 2 * 4800;
  CHECK(std::equal(plain.take.samples.begin() + from, plain.take.samples.end(), its.take.samples.begin() + from));
  std::vector<float> left;
  for (std::size_t i = 0; i < its.take.frames(); ++i) left.push_back(its.take.left(i));
  CHECK(clicks(left) < -80);
  for (const std::size_t block : {std::size_t{64}, std::size_t{137}, std::size_t{777}, std::size_t{4096}})
    CHECK(follow(ducked(by_eight), speech, 7, block).take.samples == its.take.samples);
}

TEST_CASE("of several ducks the deepest counts, and a key counts after its own level") {
  const std::string both = "duck = [ { for = \"voices\", by = \"-8 dB\" }, { for = \"crew\", by = \"-14 dB\" } ]";
  CHECK(follow(ducked(both), speech).at(3) == Approx(-14).margin(0.1));
  // The steady key of -26 dB counts, unless its group is 20 dB lower.
  const Signal steady = [](double, std::mt19937& random) { return noise(-26, random); };
  CHECK(follow(ducked(by_eight), steady).at(3) == Approx(-8).margin(0.1));
  CHECK(follow(ducked(by_eight, "gain = \"-20 dB\"\n"), steady).at(3) == Approx(0).margin(0.001));
  CHECK(follow(ducked("duck = [ { for = \"voices\", by = \"-8 dB\", from = \"-60 dB\" } ]", "gain = \"-20 dB\"\n"), steady).at(3) ==
        Approx(-8).margin(0.1));
}

TEST_CASE("a duck takes its times from the book") {
  const std::string slow = "duck = [ { for = \"voices\", by = \"-12 dB\", attack = \"500 ms\", hold = \"0 s\", release = \"200 ms\" } ]";
  const Followed its = follow(ducked(slow), [](double, std::mt19937& random) { return noise(-20, random); });
  CHECK(its.at(1.27) == Approx(-6).margin(0.2));
  CHECK(its.at(1.6) == Approx(-12).margin(0.1));
  CHECK(its.at(4.14) == Approx(-6).margin(0.4));  // 40 ms until the bit is closed, 100 ms of 200
  CHECK(its.at(4.3) == Approx(0).margin(0.001));
}

TEST_CASE("ducks that cannot be are refused with the place and what to do") {
  const auto problem = [](const std::string& text) {
    const ReadBook read = parse_book("[book]\nname = \"b\"\n[groups.voices]\n[groups.crew]\nparent = \"voices\"\n" + text, "book.toml");
    std::string all;
    for (const Problem& its : read.problems) all += to_text(its) + "\n";
    return all;
  };
  const auto music = [&](const std::string& duck) { return problem("[groups.music]\nduck = [ { " + duck + " } ]\n"); };
  CHECK_THAT(music("for = \"voices\", by = \"+6 dB\""), Contains("7:33: a duck lowers its group, by -0.1 dB to -60 dB"));
  CHECK_THAT(music("for = \"voices\""), Contains("7:10: a duck lowers its group"));
  CHECK_THAT(music("for = \"voices\", by = \"silent\""), Contains("a duck lowers its group"));
  CHECK_THAT(music("for = \"voices\", by = \"-8 dB\", hold = \"1 h\""), Contains("hold"));
  CHECK_THAT(music("for = \"voices\", by = \"-8 dB\", hold = \"3600 s\""), Contains("hold: 30 s is the longest"));
  CHECK_THAT(music("for = \"voices\", by = \"-8 dB\", from = \"6 dB\""), Contains("from: between -100 dB and 0 dB"));
  CHECK_THAT(music("for = \"voice\", by = \"-8 dB\""), Contains("there is no group 'voice'; did you mean 'voices'?"));
  CHECK_THAT(music("by = \"-8 dB\""), Contains("a duck names the group that it listens to"));
  CHECK_THAT(music("for = \"music\", by = \"-8 dB\""),
             Contains("group 'music' cannot duck for 'music': a group cannot be lowered by itself"));
  CHECK_THAT(problem("[groups.x]\nparent = \"crew\"\nduck = [ { for = \"voices\", by = \"-8 dB\" } ]\n"), Contains("'x' is part of it"));
  CHECK_THAT(problem("[groups.x]\n[groups.y]\nparent = \"x\"\n[groups.z]\nparent = \"y\"\n[groups.x]\n"), !Contains("duck"));
  CHECK_THAT(problem("[groups.x]\nduck = [ { for = \"y\", by = \"-8 dB\" } ]\n[groups.y]\nparent = \"x\"\n"),
             Contains("that group is part of 'x'"));
  CHECK_THAT(problem("[groups.a]\nduck = [ { for = \"crew\", by = \"-8 dB\" } ]\n[groups.b]\nduck = [ { for = \"a\", by = \"-8 dB\" } ]\n"
                     "[groups.c]\nparent = \"voices\"\nduck = [ { for = \"b\", by = \"-8 dB\" } ]\n"),
             !Contains("circle"));
  CHECK_THAT(problem("[groups.a]\nduck = [ { for = \"b\", by = \"-8 dB\" } ]\n[groups.b]\nduck = [ { for = \"a\", by = \"-8 dB\" } ]\n"),
             Contains("group 'b' cannot duck for 'a': the ducks would go round in a circle"));
  CHECK_THAT(problem("[groups.a]\nduck = [ { for = \"voices\", by = \"-8 dB\" } ]\n[groups.c]\nparent = \"crew\"\n"
                     "duck = [ { for = \"a\", by = \"-8 dB\" } ]\n"),
             Contains("circle"));
  CHECK_THAT(problem("[groups.music]\nduck = { for = \"voices\", by = \"-8 dB\" }\n"), Contains("duck is a list of up to 4 tables"));
}

TEST_CASE("a duck that a reload takes out, or turns round, while it lowers its group comes up within its release") {
  for (const bool turned : {false, true}) {
    INFO("turned round: " << turned);
    const auto key = [](const Folder& folder) { folder.write_clip("clips/key.wav", std::vector<float>(2 * 48000, 0.2F)); };
    Stage stage(ducked(by_eight), {}, key);
    std::string after = ducked("");
    if (turned) after.replace(after.find("[groups.voices]\n"), 16, "[groups.voices]\nduck = [ { for = \"music\", by = \"-6 dB\" } ]\n");
    const Stage changed(after, {}, key);
    stage.raise("hum");
    const double before = decibels(stage.render(Seconds{0.3}).part(0.1, 0.2).rms()).value;
    stage.raise("key");
    CHECK(decibels(stage.render(Seconds{0.6}).part(0.4, 0.2).rms()).value == Approx(before - 8).margin(0.1));
    stage.manager->reload(*changed.bank);
    const Take take = stage.render(Seconds{1});
    CHECK(decibels(take.part(0.3, 0.02).rms()).value == Approx(before - 4).margin(0.6));
    CHECK(decibels(take.part(0.7, 0.2).rms()).value == Approx(before).margin(0.01));
    CHECK(decibels(take.part(0.7, 0.2).rms(1)).value > -40);  // the key is still heard
  }
}
