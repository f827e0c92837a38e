#include <catch2/catch.hpp>
#include <sstream>

#include "media/decode.hpp"
#include "process.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string harbour = BUILD_FOLDER "/examples/harbour/harbour";
const std::string tool = BUILD_FOLDER "/tidewater";
const std::string harbour_book = PROJECT_FOLDER "/examples/harbour/book.toml";

}  // namespace

TEST_CASE("the harbour's book is good: all the advice is about its placeholders") {
  const Folder folder;
  const Ran ran = run(folder, "TIDEWATER_CACHE=" + folder.path("cache") + " " + tool + " check --all " + harbour_book);
  CHECK(ran.exit == 0);
  std::istringstream lines(ran.out);
  int advice = 0;
  for (std::string line; std::getline(lines, line);) {
    INFO(line);
    if (line.empty() || line.find(": good: ") != std::string::npos) continue;
    CHECK_THAT(line, Contains(": placeholder: "));
    ++advice;
  }
  CHECK(advice > 0);
}

TEST_CASE("placeholders are marked where they are heard and shown") {
  const Folder folder;
  CHECK_THAT(run(folder, tool + " audition " + harbour_book + " steps --times 1 --trait surface=steel").out,
             Contains("steps/steel-") && Contains("LUFS  placeholder"));
  CHECK_THAT(run(folder, tool + " show " + harbour_book + " rope").out, Contains("sketch:rope-3  (placeholder)"));
  CHECK_THAT(run(folder, tool + " show " + harbour_book + " bell").out, !Contains("(placeholder)"));
}

TEST_CASE("a minute at the harbour sounds, never clips, and its journal gives it again bit for bit") {
  const Folder folder;
  const Ran demo = run(folder, harbour + " --out " + folder.path());
  REQUIRE(demo.exit == 0);
  CHECK_THAT(demo.out, Contains("ferry.whistled  unknown-event"));
  const Take take{decode_file(folder.path("harbour.wav")).samples};
  CHECK(take.frames() == 60 * 48000);
  CHECK(take.peak() < 0.9);
  CHECK(take.onset() == Approx(0.1).margin(0.005));
  // Under way it is never silent, and nothing pumps: each second is within reach of its neighbours.
  for (int second = 4; second < 54; ++second) CHECK(decibels(take.part(second, 1).rms()).value == Approx(-25).margin(9));

  const Ran again =
      run(folder, tool + " render " + harbour_book + " " + folder.path("harbour.journal.jsonl") + " --output " + folder.path("again.wav") +
                      " --journal " + folder.path("again.jsonl") + " --picture " + folder.path("again.png"));
  REQUIRE(again.exit == 0);
  CHECK(folder.read("again.wav") == folder.read("harbour.wav"));
}

TEST_CASE("every sound of the harbour is heard at once when it is auditioned") {
  const Folder folder;
  for (const std::string sound : {"bell", "bump", "click", "gangway", "gulls", "ticket-punch", "steps", "chatter"}) {
    const Ran ran =
        run(folder, tool + " audition " + harbour_book + " " + sound + " --times 2 --every '4 s' --output " + folder.path("a.wav"));
    REQUIRE(ran.exit == 0);
    const Take take{decode_file(folder.path("a.wav")).samples};
    INFO(sound);
    CHECK(take.onset() < 0.03);
    CHECK(take.peak() > 0.01);
    CHECK(take.peak() < 0.9);
  }
}
