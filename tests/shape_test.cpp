#include <sndfile.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <numeric>

#include "base/random.hpp"
#include "choose/pick.hpp"
#include "stage.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;
using Catch::Matchers::StartsWith;

namespace {

const std::string events = "[events.s]\nstart=\"s\"\n[events.stop]\nstop=\"s\"\n";

/// Many starts of a sound.
std::vector<noted::Layer> starts(const std::string& sound, int count, std::uint64_t seed = 1) {
  Stage stage("[sounds.s]\n" + sound + "\n" + events, {.voices = 256, .seed = seed});
  for (int i = 0; i < count; ++i) {
    stage.raise("s");
    if (i % 100 == 99) stage.render(Seconds{0.15});
  }
  stage.render(Seconds{0.02});
  return stage.starts();
}

/// Pearson's chi-squared of counts against what was expected.
double chi_squared(const std::vector<double>& counts, const std::vector<double>& expected) {
  double sum = 0;
  for (std::size_t i = 0; i < counts.size(); ++i) sum += (counts[i] - expected[i]) * (counts[i] - expected[i]) / expected[i];
  return sum;
}

/// Of values in [low, high), how many are in each of ten equal parts.
std::vector<double> tenths(const std::vector<double>& values, double low, double high) {
  std::vector<double> counts(10, 0);
  for (const double value : values) ++counts.at(std::min<std::size_t>(9, static_cast<std::size_t>((value - low) / (high - low) * 10)));
  return counts;
}

double correlation(const std::vector<double>& a, const std::vector<double>& b) {
  const auto mean = [](const auto& v) { return std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size()); };
  const double ma = mean(a);
  const double mb = mean(b);
  double ab = 0, aa = 0, bb = 0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    ab += (a[i] - ma) * (b[i] - mb);
    aa += (a[i] - ma) * (a[i] - ma);
    bb += (b[i] - mb) * (b[i] - mb);
  }
  return ab / std::sqrt(aa * bb);
}

template <class F>
std::vector<double> column(const std::vector<noted::Layer>& entries, F value) {
  std::vector<double> values;
  for (const auto& entry : entries) values.push_back(value(entry));
  return values;
}
double gain_of(const noted::Layer& e) { return e.gain.value; }
double pitch_of(const noted::Layer& e) { return e.pitch.value; }

constexpr double unlikely_9 = 27.9;  // one in a thousand, of nine degrees of freedom
constexpr double unlikely_2 = 13.8;  // of two

/// A stage whose clips are tones of their own pitch: the name says it.
struct Tones : Stage {
  explicit Tones(const std::string& book) : Stage(book, {.limiter = false}, write_tones) {}
  static void write_tones(const Folder& folder) {
    int hertz = 300;
    for (const auto* name : {"planks-light", "planks-heavy", "steel-light", "steel-heavy", "mud-light"})
      folder.write_clip(std::string("clips/steps/") + name + ".wav", sine(hertz += 100, 0.2, 1, 0.5));
  }
  double pitch_heard(std::initializer_list<Trait> traits) {
    manager->raise("s", traits);
    const double pitch = render(Seconds{0.25}).part(0.05, 0.1).pitch();
    return std::round(pitch);
  }
};

}  // namespace

TEST_CASE("weighted picks come as often as their weights say, and repeat only where one weighs more than all others") {
  for (const auto& weights : std::vector<std::vector<double>>{{1, 3},
                                                              {10, 1, 1},
                                                              {2, 1, 1},
                                                              {1, 2, 5},
                                                              {3, 2, 2},
                                                              {1, 1, 1, 0.2},
                                                              {49, 26, 25},
                                                              {499, 251, 250},
                                                              {1, 2, 3, 4},
                                                              {1, 2, 0, 2},
                                                              {4, 4, 1},
                                                              {0, 1, 0}}) {
    std::string clips;
    double total = 0;
    for (std::size_t i = 0; i < weights.size(); ++i) {
      clips +=
          (i == 0 ? "" : ", ") + std::string("{file=\"n-") + std::to_string(i + 1) + ".wav\", weight=" + std::to_string(weights[i]) + "}";
      total += weights[i];
    }
    INFO(clips);
    Stage stage("[sounds.s]\nclips=[" + clips + "]\npick=\"random\"\n" + events);
    const BankChoice& choice = data_of(*stage.bank).sounds.at(0).layers.at(0).choices.at(0);
    Picks picks;
    constexpr int draws = 20000;
    std::vector<double> seen(weights.size()), counted, expected;
    std::vector<int> repeated(weights.size());
    std::uint32_t last = 99;
    for (int i = 0; i < draws; ++i) {
      const Picked picked = pick(Pick::random, choice, picks, 5);
      const std::uint32_t now = picked.clip;
      picks = picked.after;
      ++seen.at(now);
      repeated[now] += now == last ? 1 : 0;
      last = now;
    }
    for (std::size_t i = 0; i < weights.size(); ++i) {
      const double share = weights[i] / total;
      if (weights[i] == 0) {
        CHECK(seen[i] == 0);
        continue;
      }
      counted.push_back(seen[i]);
      expected.push_back(draws * share);
      // As little as it must: with a share p of all, 2 p - 1 of all draws.
      if (share > 0.5)
        CHECK(repeated[i] == Approx(draws * (2 * share - 1)).margin(300));
      else
        CHECK(repeated[i] == 0);
    }
    CHECK(chi_squared(counted, expected) < unlikely_2);
  }
  // And so it is heard.
  const auto entries = starts(R"(clips=[{file="n-1.wav"}, {file="n-2.wav", weight=3}])"
                              "\npick=\"random\"",
                              2000);
  const auto light = std::count_if(entries.begin(), entries.end(), [](const noted::Layer& e) { return e.clip == "n-1.wav"; });
  CHECK(static_cast<double>(light) / static_cast<double>(entries.size()) == Approx(0.25).margin(0.04));
}

TEST_CASE("a range is drawn evenly, or towards the middle, and one draw says nothing about the next") {
  const auto even = column(starts("clips=[\"n-*.wav\"]\ngain=\"-10 dB .. 0 dB\"\npitch=\"-2 st .. 2 st\"", 2000), gain_of);
  const std::vector<double> flat(10, static_cast<double>(even.size()) / 10);
  CHECK(chi_squared(tenths(even, -10, 0), flat) < unlikely_9);
  const std::vector<double> now(even.begin(), even.end() - 1);
  const std::vector<double> next(even.begin() + 1, even.end());
  CHECK(std::abs(correlation(now, next)) < 0.08);

  const auto middle = column(starts("clips=[\"n-*.wav\"]\ngain=\"-10 dB .. 0 dB\"\nspread=\"middle\"", 2000), gain_of);
  const double share = static_cast<double>(std::count_if(middle.begin(), middle.end(), [](double g) { return g > -7.5 && g < -2.5; }));
  CHECK(share / static_cast<double>(middle.size()) == Approx(0.75).margin(0.04));
}

#ifndef TIDEWATER_SANITIZED  // 120 managers, which take half a minute there and do nothing that others do not
TEST_CASE("neighbouring seeds draw nothing alike") {
  std::vector<double> here, beyond;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    const auto entries = starts("clips=[\"tone.wav\"]\ngain=\"-10 dB .. 0 dB\"", 1, seed);
    (seed % 2 == 1 ? here : beyond).push_back(entries.at(0).gain.value);
  }
  CHECK(std::abs(correlation(here, beyond)) < 0.42);  // one in a thousand, of sixty pairs
  std::vector<double> all = here;
  all.insert(all.end(), beyond.begin(), beyond.end());
  CHECK(chi_squared(tenths(all, -10, 0), std::vector<double>(10, 12)) < unlikely_9);
}
#endif

TEST_CASE("what is drawn together moves together; what is not does not") {
  const std::string ranges = "clips=[\"n-*.wav\"]\ngain=\"-10 dB .. 0 dB\"\npitch=\"-2 st .. 2 st\"";
  const auto apart = starts(ranges, 500);
  CHECK(std::abs(correlation(column(apart, gain_of), column(apart, pitch_of))) < 0.15);
  const auto together = starts(ranges + "\ntogether=[\"gain\", \"pitch\"]", 500);
  CHECK(correlation(column(together, gain_of), column(together, pitch_of)) > 0.999);
}

TEST_CASE("the draw is what is heard: low-pass, delay and start position, too") {
  Stage stage(
      "[sounds.s]\nclips=[\"tone.wav\"]\ndelay=\"100 ms .. 200 ms\"\nstart-at=\"200 ms .. 300 ms\"\nlow-pass=\"200 Hz .. 400 Hz\"\n" +
          events,
      {.limiter = false});
  for (int i = 0; i < 8; ++i) {
    stage.raise("s");
    const Take take = stage.render(Seconds{1});
    const noted::Layer entry = stage.starts().back();
    CHECK(take.onset() > 0.099);
    CHECK(take.onset() < 0.203);
    CHECK(entry.clip_start.value >= 0.2);
    const double length = 0.5 - entry.clip_start.value;
    const double onset = take.onset();
    CHECK(take.part(onset + length + 0.01, 0.1).peak() < 0.001);
    // 1 kHz through a second-order low-pass: 12 dB an octave above its corner.
    const double down = 1 / std::sqrt(1 + std::pow(1000 / entry.low_pass.value, 4));
    CHECK(take.part(onset + 0.05, 0.1).peak() == Approx(0.5 * 0.7071 * down).epsilon(0.1));
  }
}

TEST_CASE("a trait chooses the clips; what is not named takes the others, or is told") {
  Tones stage(R"([sounds.s]
clips = { by = "surface", planks = ["steps/planks-light.wav"], steel = ["steps/steel-light.wav"], otherwise = [] }
)" + events);
  CHECK(stage.pitch_heard({{"surface", "planks"}}) == 400);
  CHECK(stage.pitch_heard({{"wetness", "dry"}, {"surface", "steel"}}) == 600);
  CHECK(stage.manager->raise("s", {{"surface", "mud"}}).outcome == Outcome::no_clip);
  CHECK(stage.raise("s").outcome == Outcome::no_clip);
  stage.render(Seconds{0.1});
  CHECK(stage.why() == "'s' has no clip for surface = (not given), and none otherwise; there are clips for planks, steel");
}

TEST_CASE("a trait that no clip knows is told once for each value, with what there is") {
  Stage stage("[sounds.s]\nclips = { files = \"steps/{surface}-{weight}.wav\", otherwise = [\"low.wav\"] }\n" + events, {},
              Tones::write_tones);
  const auto told = [&] {
    std::string all;
    stage.render(Seconds{0.1});
    for (const auto& entry : stage.entries<noted::Notice>()) all += entry.why + "\n";
    stage.journal.clear();
    return all;
  };
  const auto raise = [&](std::initializer_list<Trait> traits) { return stage.manager->raise("s", traits).outcome; };
  CHECK(raise({{"surface", "steel"}, {"weight", "light"}}) == Outcome::started);
  CHECK(told().empty());
  for (int i = 0; i < 3; ++i) CHECK(raise({{"surface", "stel"}, {"weight", "light"}}) == Outcome::started);
  CHECK(told() == "s: 's' has no clip for surface = stel, and plays what it has otherwise; did you mean 'steel'?\n");
  CHECK(raise({{"surface", "grass"}, {"weight", "light"}}) == Outcome::started);
  CHECK_THAT(told(),
             StartsWith("s: 's' has no clip for surface = grass, and plays what it has otherwise; there are clips for mud, planks, steel"));
  CHECK(raise({{"surfase", "steel"}, {"weight", "light"}}) == Outcome::started);
  CHECK(told() ==
        "s: 's' has no clip for surface = (not given), and plays what it has otherwise; what came is called 'surfase', not 'surface'\n");
  CHECK(raise({{"surface", "mud"}, {"weight", "heavy"}}) == Outcome::started);
  CHECK(told() == "s: 's' has no clip for surface = mud, weight = heavy together, and plays what it has otherwise\n");
  CHECK(raise({{"surface", "stel"}, {"weight", "light"}}) == Outcome::started);
  CHECK(told().empty());
}

TEST_CASE("two traits choose without every pair being written out") {
  Tones by_name("[sounds.s]\nclips = { files = \"steps/{surface}-{weight}.wav\", otherwise = [\"low.wav\"] }\n" + events);
  CHECK(by_name.pitch_heard({{"surface", "steel"}, {"weight", "heavy"}}) == 700);
  CHECK(by_name.pitch_heard({{"weight", "light"}, {"surface", "mud"}}) == 800);
  CHECK(by_name.pitch_heard({{"surface", "mud"}, {"weight", "heavy"}}) == 250);
  Tones by_table(R"([sounds.s]
[sounds.s.clips]
by = ["surface", "weight"]
"*, heavy" = ["steps/planks-heavy.wav"]
"steel, *" = ["steps/steel-light.wav"]
"steel, heavy" = ["steps/steel-heavy.wav"]
otherwise = ["low.wav"]
)" + events);
  CHECK(by_table.pitch_heard({{"surface", "steel"}, {"weight", "heavy"}}) == 700);
  CHECK(by_table.pitch_heard({{"surface", "steel"}, {"weight", "light"}}) == 600);
  CHECK(by_table.pitch_heard({{"surface", "mud"}, {"weight", "heavy"}}) == 500);
}

TEST_CASE("emitters are picked for together, or each by itself, as the book says") {
  const auto clips = [](const std::string& pick_for) {
    Stage stage("[sounds.s]\nclips=[\"n-*.wav\"]\npick=\"in-order\"\npick-for=\"" + pick_for + "\"\n" + events);
    for (const std::uint64_t emitter : {7U, 8U, 7U, 8U}) stage.manager->raise("s", {}, Emitter{emitter});
    stage.render(Seconds{0.02});
    std::string all;
    for (const auto& entry : stage.starts()) all += entry.clip.substr(2, 1);
    return all;
  };
  CHECK(clips("all") == "1234");
  CHECK(clips("each-emitter") == "1122");
}

TEST_CASE("layers start together with levels, pitches and delays of their own, and stop as one") {
  Stage stage(R"([sounds.s]
gain = "-6 dB"
fade-out = "20 ms"
layers = [
  { name = "body", clips = ["hum.wav"], loop = true },
  { name = "top", clips = ["longer.wav"], gain = "-12 dB", pitch = "12 st", delay = "200 ms" },
  { name = "never", clips = ["tone.wav"], chance = "0 %" },
]
)" + events,
              {.limiter = false});
  const auto handle = stage.raise("s").playback();
  const Take take = stage.render(Seconds{1});
  const double body = 0.5 * 0.7071 * amplitude(Decibels{-6});
  CHECK(take.part(0.05, 0.1).peak() == Approx(body).epsilon(0.01));
  CHECK(take.part(0.05, 0.1).pitch() == Approx(500).epsilon(0.002));
  CHECK(take.part(0.5, 0.4).peak() == Approx(body * (1 + amplitude(Decibels{-12}))).epsilon(0.03));
  CHECK(stage.manager->stats().voices == 2);
  const auto layers = stage.entries<noted::FurtherLayer>();
  REQUIRE(layers.size() == 1);
  CHECK(layers[0].layer.name == "top");
  Playback(handle).set_gain(Decibels{-20}, Seconds{0.01});
  CHECK(stage.render(Seconds{0.2}).part(0.1, 0.1).peak() < body * 0.15);
  stage.raise("stop");
  CHECK(stage.render(Seconds{0.2}).part(0.1, 0.1).peak() == 0);
  CHECK(handle.ended());
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.entries<noted::Ended>().size() == 1);
}

TEST_CASE("a layer by chance is there as often as it says; a sound that is not there says so") {
  CHECK(starts("clips=[\"n-1.wav\"]\nchance=\"30 %\"", 1000).size() == Approx(300).margin(50));
  Stage never("[sounds.s]\nclips=[\"n-1.wav\"]\nchance=\"0 %\"\n" + events);
  CHECK(never.raise("s").outcome == Outcome::left_out);
  never.render(Seconds{0.02});
  CHECK_THAT(never.why(), Contains("plays by chance, and this time the draw left it out"));
}

namespace {

/// Half a second of 300 Hz, then one of 700 Hz, then one of 300 Hz again.
std::vector<float> three_parts() {
  auto samples = sine(300, 0.5, 1, 0.5);
  for (const auto& part : {sine(700, 0.5, 1, 0.5), sine(300, 0.5, 1, 0.5)}) samples.insert(samples.end(), part.begin(), part.end());
  return samples;
}

Take heard_loop(const std::string& keys, const std::vector<float>& samples, double length, double rate = 48000) {
  Stage stage("[sounds.s]\nclips=[\"parts.wav\"]\nloop=true\n" + keys + "\n" + events, {.limiter = false},
              [&](const Folder& folder) { folder.write_clip("clips/parts.wav", samples, 1, rate); });
  stage.raise("s");
  return stage.render(Seconds{length});
}

}  // namespace

TEST_CASE("a loop goes round between its points, after what comes before it") {
  const auto [keys, rate] = GENERATE(table<std::string, double>({{"loop-between=\"0.5 s .. 1 s\"", 48000},
                                                                 {"loop-between=\"24000 .. 48000 frames\"", 48000},
                                                                 {"loop-between=\"0.5 s .. 1 s\"", 44100}}));
  INFO(keys << " at " << rate << " Hz");
  auto samples = three_parts();
  if (rate != 48000) {
    samples.clear();
    for (const double hertz : {300.0, 700.0, 300.0})
      for (const float x : sine(hertz, 0.5, 1, 0.5, rate)) samples.push_back(x);
  }
  const Take take = heard_loop(keys, samples, 4, rate);
  CHECK(take.part(0.1, 0.3).pitch() == Approx(300).epsilon(0.002));
  CHECK(take.part(0.6, 3.3).pitch() == Approx(700).epsilon(0.002));
  CHECK(take.part(0.6, 3.3).steepest() < 0.5 * 0.7071 * 0.1);  // 350 whole periods: no seam to be heard
}

TEST_CASE("a crossfade hides a seam that was not cut clean") {
  const auto rough = sine(500, 0.5013, 1, 0.5);  // ends in the middle of a period
  const Take hard = heard_loop("", rough, 3);
  const Take soft = heard_loop("loop-crossfade=\"40 ms\"", rough, 3);
  CHECK(hard.part(0.1, 2.8).steepest() > 0.1);
  CHECK(soft.part(0.1, 2.8).steepest() < 0.5 * 0.7071 * 0.095);
  CHECK(soft.part(0.6, 2).peak() < 0.5 * 0.7071 * 1.42);
}

TEST_CASE("a crossfade keeps the level, of a tone at any phase and of noise") {
  Random random(2);
  std::vector<float> noise(60000);
  for (float& x : noise) x = static_cast<float>(random.between(-0.5, 0.5));
  // What is not alike at all (noise), and tones whose ends are 0 to 143 degrees apart: r from 1 to -0.8.
  for (int material = 0; material <= 8; ++material) {
    const double turn = material / 20.0;
    const auto samples = material == 8 ? noise : sine(500, (500 + turn) / 500, 1, 0.5);
    const Take take = heard_loop("loop-crossfade=\"100 ms\"", samples, 4);
    INFO(material);
    const double steady = take.part(0.3, 0.3).rms();
    for (double at = 0.5; at < 3.8; at += 0.02) {
      // Short stretches of noise differ by themselves: 50 ms of it by 0.3 dB in most of them.
      const double heard = take.part(at, material == 8 ? 0.1 : 0.02).rms();
      CHECK(std::abs(20 * std::log10(heard / steady)) < 0.5);
    }
  }
}

TEST_CASE("one channel has the mean power of the two that a stereo clip has") {
  struct Case {
    const char* name;
    double left, right, common;  // amplitudes of two tones, one in each channel, and of one in both
    double expected;             // RMS
  };
  for (const auto& [name, left, right, common, expected] : {Case{"mono in stereo", 0, 0, 0.4, 0.4 / std::sqrt(2)},
                                                            {"nothing in common", 0.4, 0.4, 0, 0.4 / std::sqrt(2)},
                                                            {"one side only", 0.4, 0, 0, 0.4 / 2},
                                                            {"half in common", 0.3, 0.3, 0.3, 0.3}}) {
    const auto one = sine(500, 1, 1, left);
    const auto other = sine(730, 1, 1, right);
    const auto both = sine(1000, 1, 1, common);
    std::vector<float> samples;
    for (std::size_t i = 0; i < one.size(); ++i) {
      samples.push_back(one[i] + both[i]);
      samples.push_back(other[i] + both[i]);
    }
    for (const bool stream : {false, true}) {
      Stage stage(std::string("[sounds.s]\nclips=[\"own.wav\"]\n") + (stream ? "stream=true\n" : "") + events,
                  {.layout = Layout::mono, .offline = true}, [&](const Folder& folder) { folder.write_clip("clips/own.wav", samples, 2); });
      stage.raise("s");
      std::vector<float> out(48000);
      stage.manager->render(out);
      double power = 0;
      for (std::size_t i = 12000; i < 36000; ++i) power += static_cast<double>(out[i]) * static_cast<double>(out[i]);
      INFO(name);
      CHECK(std::sqrt(power / 24000) == Approx(expected).epsilon(0.01));
    }
  }
}

TEST_CASE("a loop takes the points that the file itself has") {
  Stage stage("[sounds.s]\nclips=[\"marked.wav\"]\nloop=true\nloop-between=\"from-file\"\n" + events, {}, [](const Folder& folder) {
    folder.write("clips/x", "");
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_16;
    SNDFILE* file = sf_open(folder.path("clips/marked.wav").c_str(), SFM_WRITE, &info);
    SF_INSTRUMENT instrument{};
    instrument.loop_count = 1;
    instrument.loops[0].mode = SF_LOOP_FORWARD;
    instrument.loops[0].start = 24000;
    instrument.loops[0].end = 48000;
    sf_command(file, SFC_SET_INSTRUMENT, &instrument, sizeof(instrument));
    const auto samples = three_parts();
    sf_write_float(file, samples.data(), static_cast<sf_count_t>(samples.size()));
    sf_close(file);
  });
  stage.raise("s");
  CHECK(stage.render(Seconds{4}).part(0.6, 3.3).pitch() == Approx(700).epsilon(0.002));
}

TEST_CASE("two loops that begin anywhere do not march together") {
  const auto entries = starts("clips=[\"long.wav\"]\nloop=true\nstart-at=\"anywhere\"", 60);
  const auto begins = column(entries, [](const noted::Layer& e) { return e.clip_start.value; });
  CHECK(*std::min_element(begins.begin(), begins.end()) < 0.3);
  CHECK(*std::max_element(begins.begin(), begins.end()) > 1.7);
}

TEST_CASE("a sound that is like another takes over what it does not say, and each key says where it is from") {
  Stage stage(R"([sounds.first]
clips = ["n-1.wav"]
gain = "-20 dB"
pitch = "12 st"
[sounds.middle]
like = "first"
pitch = "0 st"
[sounds.s]
like = "middle"
clips = ["tone.wav"]
)" + events,
              {.limiter = false});
  stage.raise("s");
  const Take take = stage.render(Seconds{0.4});
  CHECK(take.part(0.1, 0.2).pitch() == Approx(1000).epsilon(0.001));
  CHECK(take.part(0.1, 0.2).peak() == Approx(0.05 * 0.7071).epsilon(0.01));
  const Book book = read_book(stage.folder.path("book.toml")).book;
  const auto sound = std::find_if(book.sounds.begin(), book.sounds.end(), [](const auto& s) { return s.name == "s"; });
  std::map<std::string, std::string> from;
  for (const auto& setting : sound->settings) from[setting.key] = setting.value + " / " + setting.from;
  CHECK_THAT(from["clips"], Contains("tone.wav") && Contains("/ own"));
  CHECK_THAT(from["gain"], Contains("-20 dB") && Contains("/ like first"));
  CHECK_THAT(from["pitch"], Contains("0 st") && Contains("/ like middle"));
  CHECK_THAT(from["rank"], Contains("5 / default"));
}

TEST_CASE("what cannot be shaped is told, all in one run, with its place and what to do") {
  Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + R"([sounds.a]
like = "b"
[sounds.b]
like = "a"
[sounds.c]
clips = [{ file = "tone.wav", weight = 0 }, { file = "low.wav", weight = 0 }]
pick = "random"
[sounds.d]
clips = [{ file = "tone.wav", weight = -2 }]
pick = "random"
[sounds.e]
clips = { by = "surface", planks = ["tone.wav"] }
[sounds.f]
clips = { files = "steps/{surface}-*.wav", otherwise = [] }
[sounds.g]
clips = ["tone.wav"]
together = ["gain", "pich"]
[sounds.h]
like = "tonne"
clips = ["tone.wav"]
)");
  std::string all;
  for (const auto& problem : read_book(folder.path("book.toml")).problems) all += to_text(problem) + "\n";
  INFO(all);
  CHECK_THAT(all, Contains("'a' is like 'b' is like 'a': a circle"));
  CHECK_THAT(all, Contains("book.toml:8:9: all weights are 0"));
  CHECK_THAT(all, Contains("'weight' must be a number from 0"));
  CHECK_THAT(all, Contains("a value that is not named would be silent; add otherwise ="));
  CHECK_THAT(all, Contains("no file fits 'steps/{surface}-*.wav'"));
  CHECK_THAT(all, Contains("'pich' cannot be drawn together; did you mean 'pitch'?"));
  CHECK_THAT(all, Contains("there is no sound 'tonne' to be like"));
  folder.write("book.toml",
               book_head +
                   "[sounds.a]\nclips=[\"tone.wav\"]\nloop=true\nloop-between=\"0.2 s .. 0.9 s\"\n[sounds.b]\nclips=[\"low.wav\"]\n"
                   "loop=true\nloop-between=\"from-file\"\n");
  try {
    compile_book(folder.path("book.toml"));
    FAIL("impossible loops were compiled");
  } catch (const Error& error) {
    CHECK_THAT(error.what(), Contains("its loop ends at 0.900 s, frame 43200, but the clip has 0.500 s, 24000 frames"));
    CHECK_THAT(error.what(), Contains("'low.wav': the file has no loop points"));
  }
}
