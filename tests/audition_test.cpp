#include "tidewater/author/audition.hpp"

#include <catch2/catch.hpp>
#include <cmath>

#include "stage.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string sounds = R"(
[sounds.tone]
clips = ["tone.wav"]
spacing = "10 s"
[sounds.quiet]
clips = ["quiet.wav"]
[sounds.turns]
clips = ["n-1.wav", "n-2.wav", "n-3.wav"]
pick = "in-order"
[sounds.hum]
layers = [ { clips = ["hum.wav"], loop = true }, { clips = ["low.wav"] } ]
[events.both]
responses = [ { start = "tone" }, { start = "quiet" } ]
)";

struct Desk : Folder {
  Desk() {
    write_stage_clips(*this);
    write("book.toml", book_head + sounds);
    ReadBook read = read_book(path("book.toml"));
    for (const auto& problem : read.problems) FAIL_CHECK(to_text(problem));
    book = std::move(read.book);
  }
  std::vector<AuditionTake> takes(const std::string& name, const AuditionOptions& options = {}) const {
    std::vector<AuditionTake> all;
    Audition({audition_side(book, name)}, options).render({.take = [&](const AuditionTake& take) { all.push_back(take); }});
    return all;
  }
  Book book;
};

}  // namespace

TEST_CASE("each take is heard by itself: its clip, its length, its loudness") {
  const Desk desk;
  const auto takes = desk.takes("tone", {.times = 3});
  REQUIRE(takes.size() == 3);
  for (const auto& take : takes) {
    CHECK(take.clip == "tone.wav");  // the sound's spacing does not hold back takes that follow each other
    const Take heard{take.samples};
    CHECK(heard.onset() < 0.003);
    CHECK(heard.part(0.1, 0.2).pitch() == Approx(1000).epsilon(1e-4));
    CHECK(heard.seconds() == Approx(0.5).margin(0.03));
    CHECK(take.loudness.value == Approx(-9.03).margin(0.1));  // a sine of peak 0.5 at -3 dB in both channels
  }
  const auto crowded = desk.takes("tone", {.times = 3, .every = Seconds{1}});
  CHECK(crowded[0].clip == "tone.wav");
  CHECK_THAT(crowded[1].why, Contains("too-soon: 'tone' would begin 1 s after another start of it; its spacing is 10 s"));
  CHECK(crowded[2].starts.value == 96000);
  CHECK(crowded[2].loudness == silence);
}

TEST_CASE("layers and further sounds of an event belong to one take, and a loop is cut off") {
  const Desk desk;
  const auto hum = desk.takes("hum", {.times = 1});
  CHECK(hum[0].clip == "hum.wav");
  CHECK(hum[0].more_clips == std::vector<std::string>{"low.wav"});
  CHECK(Take{hum[0].samples}.seconds() == Approx(8.3).margin(0.1));
  const auto both = desk.takes("both", {.times = 1});
  CHECK(both[0].sound == "tone");
  CHECK(both[0].more_clips == std::vector<std::string>{"quiet.wav"});
}

TEST_CASE("what takes have in common: how often each clip came, and how long none came twice") {
  const Desk desk;
  const auto takes = desk.takes("turns", {.times = 7, .every = Seconds{0.5}});
  const TakesInCommon common = in_common(takes);
  CHECK(common.clips == std::map<std::string, int>{{"n-1.wav", 3}, {"n-2.wav", 2}, {"n-3.wav", 2}});
  CHECK(common.starts_without_repetition == 3);
  CHECK(common.time_without_repetition.value == Approx(1).margin(0.003));
  CHECK(common.loudest.value - common.quietest.value < 2);
  CHECK(in_common({}).clips.empty());
}

TEST_CASE("of two sides the louder comes down, by 24 dB at most") {
  const Desk desk;
  Audition audition({audition_side(desk.book, "quiet", "A"), audition_side(desk.book, "tone", "B")}, {.times = 2});
  const EvenedOut evened = audition.even_out();
  CHECK_FALSE(evened.first_was_louder);
  CHECK(evened.down.value == Approx(20).margin(0.1));
  std::vector<AuditionTake> takes;
  audition.render({.take = [&](const AuditionTake& take) { takes.push_back(take); }});
  REQUIRE(takes.size() == 4);
  CHECK(takes[1].side == "B");
  CHECK(takes[1].loudness.value == Approx(takes[0].loudness.value).margin(0.1));
  CHECK_THROWS_WITH(Audition({audition_side(desk.book, "tone")}, {}).even_out(), Contains("two sides"));
  CHECK_THROWS_WITH(audition_side(desk.book, "tome"), Contains("no sound or event is called 'tome'; did you mean 'tone'?"));
}

TEST_CASE("an audition that is called off ends after a short fade, and what is heard live is told as it begins") {
  const Desk desk;
  int blocks = 0;
  std::size_t heard = 0;
  const Audition audition({audition_side(desk.book, "hum")}, {.times = 100});
  audition.render({.sound = [&](std::span<const float> samples) { heard += samples.size() / 2; }, .go_on = [&] { return ++blocks < 200; }});
  CHECK(heard < 4 * 48000);

  std::vector<std::string> clips;
  Audition live({audition_side(desk.book, "turns")}, {.times = 2});
  live.play({.take = [&](const AuditionTake& take) { clips.push_back(take.clip); }}, [&](SoundManager& manager, const auto& takes) {
    std::vector<float> samples;
    takes([&](std::int64_t frames) {
      samples.resize(static_cast<std::size_t>(frames) * 2);
      manager.render(samples);
      manager.update({});
    });
  });
  CHECK(clips == std::vector<std::string>{"n-1.wav", "n-2.wav"});
}
