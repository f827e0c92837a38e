#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>
#include <filesystem>

#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/credits.hpp"
#include "tidewater/author/gather.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/author/sketch.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A folder with a cache of its own.
struct Desk : Folder {
  Desk() { setenv("TIDEWATER_CACHE", path("cache").c_str(), 1); }

  void book(const std::string& text) const { write("book.toml", book_head + text); }
  /// All advice on the book, a line each.
  std::string advice() const {
    const ReadBook read = read_book(path("book.toml"));
    for (const auto& problem : read.problems) FAIL_CHECK(to_text(problem));
    std::string all;
    for (const auto& piece : check_clips(read.book).advice) all += to_text(piece) + "\n";
    return all;
  }
};

std::string start(const std::string& sound) { return "[events." + sound + "]\nstart=\"" + sound + "\"\n"; }

std::vector<float> at_level(std::vector<float> samples, double gain) {
  for (float& x : samples) x *= static_cast<float>(gain);
  return samples;
}

}  // namespace

TEST_CASE("check gives advice with place, figure, reason and remedy") {
  const Desk desk;
  auto late = sine(1000, 0.3, 1, 0.3);
  late.insert(late.begin(), 1680, 0.0F);  // 35 ms
  auto crackling = sine(500, 0.3, 1, 1.4);
  for (float& x : crackling) x = std::clamp(x, -1.0F, 1.0F);
  auto shifted = sine(500, 0.3, 1, 0.3);
  for (float& x : shifted) x += 0.05F;
  desk.write_clip("clips/late.wav", late);
  desk.write_clip("clips/crackling.wav", crackling);
  desk.write_clip("clips/shifted.wav", shifted);
  desk.write_clip("clips/rough.wav", sine(100, 0.5075, 1, 0.5));
  desk.write_clip("clips/pair-1.wav", sine(1000, 0.5, 1, 0.1));
  desk.write_clip("clips/pair-2.wav", sine(1000, 0.5, 1, 0.3));
  desk.write_clip("clips/odd-1.wav", sine(200, 0.2, 1, 0.3));
  desk.write_clip("clips/odd-2.wav", sine(4000, 1.5, 1, 0.3));
  desk.write_clip("clips/Pair-1.WAV.wav", sine(1000, 0.1));
  desk.write("clips/torn.wav", "nothing");
  desk.write_clip("clips/PAIR-2.aiff", sine(1000, 0.1));
  desk.write_clip("clips/nothing.wav", std::vector<float>(4800, 0.0F));
  desk.book(R"(
[sounds.late]
clips = ["late.wav"]
pitch = "-9 st .. 9 st"
[sounds.crackling]
clips = ["crackling.wav", "nothing.wav"]
[sounds.shifted]
clips = ["shifted.wav"]
[sounds.rough]
clips = ["rough.wav"]
loop = true
[sounds.pair]
clips = ["pair-*.wav"]
[sounds.odd]
clips = ["odd-*.wav"]
)" + start("late") +
            start("crackling") + start("shifted") + start("rough") + start("pair"));
  const std::string advice = desk.advice();
  INFO(advice);
  CHECK_THAT(advice,
             Contains("book.toml:5:10: leading-silence: 'late.wav' begins with 35 ms of silence, so it is heard late; cut its head"));
  CHECK_THAT(advice, Contains("wide-range: the pitch of 'late' wanders over 18.0 st"));
  CHECK_THAT(advice, Contains("clipping: 'crackling.wav' is cut off at full scale in 300 places"));
  CHECK_THAT(advice, Contains("silent-clip: 'nothing.wav'"));
  CHECK_THAT(advice, Contains("offset: 'shifted.wav' lies 5.0 % of full scale off the middle"));
  CHECK_THAT(advice, Contains("no-variation: 'shifted' has one clip"));
  CHECK_THAT(advice, Contains("loop-seam: the loop of 'rough.wav' jumps by 0.50"));
  CHECK_THAT(advice, Contains("uneven-loudness: 'pair' has clips of different loudness: 'pair-1.wav' -23.0 LUFS, 'pair-2.wav' -13.5 LUFS"));
  CHECK_THAT(advice,
             Contains("uneven-length: 'odd'") && Contains("uneven-spectrum: 'odd' has clips of very different colour: 'odd-1.wav' has its "
                                                          "balance at 200 Hz, 'odd-2.wav' at 4000 Hz"));
  CHECK_THAT(advice, Contains("stacking-loop: 'rough' loops, and whenever it is asked for again one more of it plays over the others"));
  CHECK_THAT(advice, Contains("unreached-sound: no event starts 'odd'"));
  CHECK_THAT(advice, Contains("near-name: 'PAIR-2.aiff' differs from 'pair-2.wav'"));
  CHECK_THAT(advice, Contains("unused-clip: no sound uses 'Pair-1.WAV.wav'; add it to one"));
  CHECK_THAT(advice, Contains("unused-clip: no sound uses 'torn.wav', and it cannot be read as a clip"));
  CHECK_THAT(advice, Contains("no-licence: 'crackling.wav' has no licence on record; give it one in credits.toml"));
}

TEST_CASE("music, ambience, speech, long clips and what seldom starts are not told to vary") {
  const Desk desk;
  for (const auto* name : {"tick", "song", "wind", "line", "chime", "knock", "alone"})
    desk.write_clip(std::string("clips/") + name + ".wav", sine(500, 0.2));
  desk.write_clip("clips/storm.wav", sine(500, 4.5));
  std::string book = "[groups.music]\n[groups.sea]\nparent=\"ambience\"\n[groups.ambience]\n[groups.speech]\n";
  for (const auto* sound : {"tick", "song", "wind", "line", "chime", "storm"}) {
    book += std::string("[sounds.") + sound + "]\nclips=[\"" + sound + ".wav\"]\n";
    const std::string name = sound;
    if (name == "song") book += "group=\"music\"\n";
    if (name == "wind") book += "group=\"sea\"\n";
    if (name == "line") book += "group=\"speech\"\n";
    if (name == "chime") book += "spacing=\"8 s\"\n";
    book += start(sound);
  }
  desk.book(book + "[sounds.alone]\nclips=[\"alone.wav\"]\n");
  const std::string advice = desk.advice();
  CHECK_THAT(advice, Contains("no-variation: 'tick'"));
  for (const auto* name : {"song", "wind", "line", "chime", "storm", "alone"})
    CHECK_THAT(advice, !Contains(std::string("no-variation: '") + name));
}

TEST_CASE("silence at the head of one take of several is cut there, not skipped in all of them") {
  const Desk desk;
  const auto late_by = [](std::size_t frames) {
    auto samples = sine(1000, 0.3, 1, 0.3);
    samples.insert(samples.begin(), frames, 0.0F);
    return samples;
  };
  for (int i = 1; i <= 5; ++i) desk.write_clip("clips/a-" + std::to_string(i) + ".wav", late_by(i == 3 ? 9600 : 0));
  for (int i = 1; i <= 3; ++i) desk.write_clip("clips/b-" + std::to_string(i) + ".wav", late_by(static_cast<std::size_t>(1440 * i)));
  desk.write_clip("clips/skipped.wav", late_by(4800));
  desk.book(
      "[sounds.a]\nclips=[\"a-*.wav\"]\n[sounds.b]\nclips=[\"b-*.wav\"]\n[sounds.skipped]\nclips=[\"skipped.wav\"]\nstart-at=\"95 ms\"\n" +
      start("a") + start("b") + start("skipped"));
  const std::string advice = desk.advice();
  CHECK_THAT(advice, Contains("'a-3.wav' begins with 200 ms of silence, so it is heard late; cut its head\n"));
  CHECK_THAT(advice,
             Contains("'b-3.wav' begins with 90 ms of silence, so it is heard late; cut its head, or skip it with start-at = \"30 ms\""));
  CHECK_THAT(advice, !Contains("'skipped.wav' begins with"));
}

TEST_CASE("a level that is out of reach says which of its bounds holds; an offset that fades away is no click; mono in stereo is seen") {
  const Desk desk;
  desk.write_clip("clips/faint.wav", at_level(sine(1000, 2), 0.004));
  auto faded = sine(500, 1, 1, 0.3);
  for (std::size_t i = 0; i < faded.size(); ++i)
    faded[i] = (faded[i] + 0.05F) *
               static_cast<float>(std::min({1.0, static_cast<double>(i) / 4800, static_cast<double>(faded.size() - 1 - i) / 4800}));
  desk.write_clip("clips/faded.wav", faded);
  desk.write_clip("clips/twice.wav", sine(500, 0.5, 2, 0.3), 2);
  auto wide = sine(500, 0.5, 2, 0.3);
  for (std::size_t i = 1; i < wide.size(); i += 2) wide[i] *= 0.9F;
  desk.write_clip("clips/wide.wav", wide, 2);
  std::string book = "[groups.loud]\nlevel=\"-15 LUFS\"\n[sounds.faint]\ngroup=\"loud\"\nclips=[\"faint.wav\"]\n" + start("faint");
  for (const auto* sound : {"faded", "twice", "wide"})
    book += std::string("[sounds.") + sound + "]\nclips=[\"" + sound + ".wav\"]\n" + start(sound);
  desk.book(book);
  const std::string advice = desk.advice();
  INFO(advice);
  CHECK_THAT(advice, Contains("peaks: 'faint.wav' reaches") && Contains("a level moves a clip by 24 dB at most; export it louder"));
  CHECK_THAT(advice, !Contains("offset: "));
  CHECK_THAT(advice,
             Contains("really-mono: 'twice.wav' is stereo, but its two sides are the same") && !Contains("really-mono: 'wide.wav'"));
}

TEST_CASE("advice is not repeated once the book has accepted it, with a reason") {
  const Desk desk;
  desk.write_clip("clips/a.wav", sine(1000, 0.3));
  const std::string book = "[sounds.a]\nclips=[\"a.wav\"]\n" + start("a");
  desk.book(book +
            "[[accepted]]\nadvice=\"no-variation\"\nabout=\"a\"\nreason=\"a test "
            "tone\"\n[[accepted]]\nadvice=\"no-licence\"\nreason=\"made here\"\n");
  CHECK(desk.advice().empty());
  CHECK(check_clips(read_book(desk.path("book.toml")).book).accepted == 2);
  desk.book("[sounds.a]\nclips=[\"a.wav\"]\npitch=\"-1 st .. 1 st\"\n" + start("a") +
            "[[accepted]]\nadvice=\"no-variation\"\nabout=\"a\"\nreason=\"a test tone\"\n");
  CHECK_THAT(desk.advice(), Contains("needless-accepted: nothing is left of the advice 'no-variation' about 'a' that is accepted here"));
  desk.book(book + "[[accepted]]\nadvice=\"no-varation\"\n");
  const auto problems = read_book(desk.path("book.toml")).problems;
  REQUIRE(problems.size() == 2);
  CHECK_THAT(problems[0].message + problems[1].message, Contains("did you mean 'no-variation'?") && Contains("needs a reason"));
}

TEST_CASE("what was measured is known by its content: a clip that changes is measured again, one that moves is not") {
  const Desk desk;
  desk.write_clip("clips/a.wav", at_level(sine(1000, 0.3), 0.3));
  desk.book("[sounds.a]\nclips=[\"*.wav\"]\npitch=\"-1 st .. 1 st\"\n" + start("a"));
  desk.advice();
  const std::string cache = desk.read("cache/clips.jsonl");
  CHECK(std::count(cache.begin(), cache.end(), '\n') == 1);
  std::filesystem::rename(desk.path("clips/a.wav"), desk.path("clips/b.wav"));
  desk.advice();
  CHECK(desk.read("cache/clips.jsonl") == cache);
  auto late = sine(1000, 0.3);
  late.insert(late.begin(), 4800, 0.0F);
  desk.write_clip("clips/b.wav", late);
  CHECK_THAT(desk.advice(), Contains("100 ms of silence"));
  desk.write("cache/clips.jsonl", "{\"key\": \"half a line\n" + cache.substr(0, 40));
  CHECK_THAT(desk.advice(), Contains("100 ms of silence"));
}

TEST_CASE("a level brings clips of any loudness and length to one loudness, but never over -1 dBTP") {
  const Desk desk;
  Random random(5);
  const auto noise = [&](double seconds, double gain) {
    std::vector<float> samples(static_cast<std::size_t>(seconds * 48000));
    for (float& x : samples) x = static_cast<float>(random.between(-gain, gain));
    return samples;
  };
  desk.write_clip("clips/long.wav", noise(5, 0.5));
  desk.write_clip("clips/short.wav", noise(0.6, 0.02));
  auto spike = noise(4, 0.01);
  spike[9000] = 0.7F;
  desk.write_clip("clips/spike.wav", spike);
  std::string book = "[groups.loud]\nlevel=\"-23 LUFS\"\n";
  for (const std::string name : {"long", "short", "spike"})
    book += "[sounds." + name + "]\ngroup=\"loud\"\nclips=[\"" + name + ".wav\"]\n" + start(name);
  desk.book(book);
  const Bank bank = compile_book(desk.path("book.toml"));
  const auto heard = [&](const char* event) {
    SoundManager manager({.limiter = false});
    manager.load(bank);
    manager.raise(event);
    std::vector<float> samples(2 * 48000 * 5);
    manager.render(samples);
    return Take{samples};
  };
  // A mono clip stands in the middle at equal power: as loud as it is by itself.
  CHECK(loudness_of(heard("long").samples, test_rate).value == Approx(-23).margin(0.2));
  CHECK(loudness_of(heard("short").part(0, 0.6).samples, test_rate).value == Approx(-23).margin(0.3));
  CHECK(heard("spike").peak() < amplitude(Decibels{-1}) * 0.7072);
  CHECK_THAT(desk.advice(), Contains("peaks: 'spike.wav' reaches"));
}

TEST_CASE("every ready recipe makes a quiet sound that begins at once, ends softly, and is the same each time") {
  CHECK(ready_recipes().size() >= 36);
  for (const auto& ready : ready_recipes()) {
    INFO(ready.name);
    Take take;
    const auto samples = make_sketch(ready.recipe);
    CHECK(samples == make_sketch(ready.recipe));
    CHECK_FALSE(samples == make_sketch(ready.recipe, 1, 1));
    for (const float x : samples) take.samples.insert(take.samples.end(), {x, x});
    CHECK(take.peak() == Approx(amplitude(ready.recipe.level)).epsilon(0.001));
    CHECK(take.onset() < 0.06);
    if (ready.recipe.hold)
      CHECK(std::abs(samples.front() - samples.back()) < 0.06F);
    else
      CHECK(std::abs(samples.back()) < 0.002F);
  }
}

TEST_CASE("a sketch in a book is heard, varies, and is told until it is replaced; so is a sketched file") {
  const Desk desk;
  desk.book("[sounds.a]\nsketch={like=\"confirm\", variants=3, level=\"-26 dB\"}\npick=\"in-order\"\n[sounds.b]\nclips=[\"b.wav\"]\n" +
            start("a") + start("b"));
  std::filesystem::create_directories(desk.path("clips"));
  write_sketch(desk.path("clips/b.wav"), make_sketch(ready_recipe("step")));
  CHECK_THAT(desk.advice(), Contains("placeholder: 3 of 3 clips of 'a' are sketches, 'sketch:a-1' first; replace them") &&
                                Contains("placeholder: 1 of 1 clips of 'b' is a sketch, 'b.wav' first; replace it") &&
                                !Contains("3 of 4 clips have no licence"));
  SoundManager manager({.limiter = false});
  manager.load(compile_book(desk.path("book.toml")));
  const auto heard = [&] {
    manager.raise("a");
    Take take;
    take.samples.resize(2 * 24000);
    manager.render(take.samples);
    manager.update({});
    return take;
  };
  const Take first = heard();
  CHECK(first.peak() == Approx(amplitude(Decibels{-26}) * 0.7071).epsilon(0.01));
  CHECK(first.part(0.02, 0.05).pitch() == Approx(520).epsilon(0.02));
  CHECK_FALSE(heard().samples == first.samples);
}

TEST_CASE("a recipe that cannot be made says what is wrong with it, and where") {
  const Desk desk;
  desk.write("r.toml", "source = \"nose\"\nlength = \"100 ms\"\nattack = \"200 ms\"\nvariants = 900\n");
  CHECK_THROWS_WITH(read_recipe(desk.path("r.toml")), Contains("r.toml:1:10: 'nose' is no source; write \"tone\"") &&
                                                          Contains("attack of 200 ms is longer than the whole sketch of 100 ms") &&
                                                          Contains("'variants' must be a whole number from 1 to 64"));
  CHECK_THROWS_WITH(ready_recipe("stp"), Contains("did you mean 'step'?"));
  CHECK_THROWS_WITH(write_sketch(desk.path("x.mid"), {}), Contains("use .wav, .flac, .ogg or .aiff"));
}

TEST_CASE("credits name every licence once, with who made what; clips without one are listed") {
  const Desk desk;
  for (const auto* name : {"gull-1.wav", "steps/a.wav", "steps/b.wav", "free.wav"})
    desk.write_clip(std::string("clips/") + name, sine(500, 0.1));
  desk.write("clips/credits.toml",
             "[[credits]]\nclips=[\"steps/\"]\nlicence=\"CC-BY-4.0\"\nauthor=\"Ada of Kelp Quay\"\nlink=\"https://example.org/steps\"\n"
             "[[credits]]\nclips=[\"gull-*\"]\nlicence=\"CC0-1.0\"\n");
  const std::string sound = "[sounds.a]\nclips=[\"*.wav\", \"steps/*.wav\"]\n";
  desk.book(sound + "[[credits]]\nclips=[\"steps/b.wav\"]\nlicence=\"CC-BY-4.0\"\nauthor=\"Ben of the Ferry\"\n");
  const Credits credits = credits_of(read_book(desk.path("book.toml")).book);
  INFO(credits.text);
  CHECK(credits.text ==
        "CC-BY-4.0\n  Ada of Kelp Quay\n    https://example.org/steps\n    steps/a.wav\n  Ben of the Ferry\n    steps/b.wav\n\n"
        "CC0-1.0\n  (author not named)\n    gull-1.wav\n");
  CHECK(credits.without == std::vector<std::string>{"free.wav"});
  desk.write("clips/credits.toml", "[[credits]]\nclip=[\"steps/\"]\n");
  const auto problems = credits_of(read_book(desk.path("book.toml")).book).problems;
  REQUIRE(problems.size() == 3);
  CHECK_THAT(to_text(problems[0]), Contains("credits.toml"));
}

TEST_CASE("times that a clip is too short for are told, and ends that cancel each other") {
  const Desk desk;
  desk.write_clip("clips/a.wav", at_level(sine(1000, 0.3), 0.3));
  desk.write_clip("clips/b.wav", at_level(sine(500, 1.001), 0.3));
  desk.write_clip("clips/c.wav", at_level(sine(500, 1), 0.3));
  desk.book(
      "[sounds.a]\nclips=[\"a.wav\"]\nstart-at=\"0.1 s .. 0.4 s\"\nfade-in=\"2 s\"\npitch=\"-1 st .. 1 st\"\n"
      "[sounds.b]\nclips=[\"b.wav\"]\nloop=true\nretrigger=\"ignore\"\nloop-crossfade=\"100 ms\"\n"
      "[sounds.c]\nclips=[\"c.wav\"]\nloop=true\nretrigger=\"ignore\"\nloop-crossfade=\"100 ms\"\n" +
      start("a") + start("b") + start("c"));
  const std::string advice = desk.advice();
  CHECK_THAT(advice, Contains("start-past-end: 'a' is to begin at 0.4 s, but 'a.wav' has 0.300 s: sometimes nothing is heard"));
  CHECK_THAT(advice, Contains("long-fade-in: the fade-in of 'a' takes 2 s, but 'a.wav' has 0.300 s"));
  CHECK_THAT(advice, Contains("opposed-ends: the ends that the loop-crossfade of 'b.wav' blends oppose each other (-1.00)"));
  CHECK_THAT(advice, !Contains("of 'c.wav' blends"));
}
