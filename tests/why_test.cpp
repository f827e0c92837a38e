/// `tidewater why` and `tidewater missing`, on sessions that a manager has recorded.

#include <catch2/catch.hpp>

#include "process.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"([groups.ambience]
[groups.birds]
parent = "ambience"
[sounds.step]
clips = { by = "floor", wood = ["n-1.wav"], otherwise = ["n-2.wav"] }
spacing = "80 ms"
[sounds.gull]
group = "birds"
clips = ["hum.wav"]
loop = true
[sounds.bell]
clips = ["tone.wav"]
place = "world"
far = "120 m"
[sounds.ding]
sketch = { like = "step" }
[sounds.never]
clips = ["low.wav"]
[events.stepped]
start = "step"
[events.cried]
start = "gull"
[events.rang]
responses = [ { start = "bell" }, { raise = "dinged", delay = "1 s" } ]
[events.dinged]
start = "ding"
[events.nobody]
start = "never"
)";

/// A session, and its journal as a file.
void record(const Folder& folder, const std::string& name) {
  folder.write("book.toml", book_head + book);
  JournalFile journal(folder.path(name));
  SoundManager manager({.journal = journal.sink(), .offline = true});
  manager.load(compile_book(folder.path("book.toml")));
  std::vector<float> block(2 * 1488);
  const auto frames = [&](int count) {
    for (int i = 0; i < count; ++i) {
      manager.update(Seconds{0.031});
      manager.render(block);
    }
  };
  manager.set_listener(0, {});
  manager.raise("stepped", {{"floor", "wood"}});
  frames(1);
  manager.raise("stepped", {{"floor", "sand"}});
  frames(9);
  manager.raise("stepped", {{"floor", "sand"}});
  manager.set_mute("ambience", true);
  frames(10);
  manager.raise("cried");
  const Emitter far_away = manager.make_emitter({.place = {212, 0, 0}});
  manager.raise("rang", {}, far_away);
  manager.raise("steped");
  frames(60);
}

}  // namespace

TEST_CASE("why says in sentences what became of each raise, with the figures that decided and what would change it") {
  const Folder folder;
  write_stage_clips(folder);
  record(folder, "j.jsonl");
  const auto why = [&](const std::string& arguments) {
    return run(folder, BUILD_FOLDER "/tidewater why " + folder.path("j.jsonl") + arguments);
  };
  const std::string all = why("").out;
  INFO(all);
  CHECK_THAT(all, Contains("raise 1 'stepped'\n             'step' was heard: n-1.wav at 0.0 dB\n"));
  CHECK_THAT(all, Contains("'step' would begin 31 ms after another start of it; its spacing is 80 ms\n") &&
                      Contains("to change that: raise it later, or shorten its spacing"));
  CHECK_THAT(
      all, Contains("silent 'gull'") && Contains("group 'ambience' is muted since 0.3 s") && Contains("to change that: unmute its group"));
  CHECK_THAT(all, Contains("it is 212 m away, and far is 120 m") && Contains("bring it nearer to a listener, or raise its far"));
  CHECK_THAT(all, Contains("'dinged' on emitter") || Contains("'dinged', raised by 'rang'"));
  CHECK_THAT(all, Contains("7 raises, of which 3 started something that was heard"));
  CHECK_THAT(why(" --event cried").out, Contains("1 raise, of which 0 started"));
  CHECK_THAT(why(" --at 0s --event stepped").out, Contains("3 raises"));
  CHECK_THAT(why(" --emitter 1").out, Contains("raise 5 'rang' on emitter 1"));
  const Ran none = why(" --event crid");
  CHECK(none.exit == 1);
  CHECK_THAT(none.out, Contains("no raise of 'crid'") && Contains("did you mean 'cried'?"));
  CHECK(why(" --at soon").exit == 1);
}

TEST_CASE("missing lists what a book lacks and what no session used, most frequent first") {
  const Folder folder;
  write_stage_clips(folder);
  record(folder, "1.jsonl");
  record(folder, "2.jsonl");
  const Ran ran = run(
      folder, BUILD_FOLDER "/tidewater missing " + folder.path("book.toml") + " " + folder.path("1.jsonl") + " " + folder.path("2.jsonl"));
  INFO(ran.out);
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("  event   times\n  steped      2\n"));
  CHECK_THAT(ran.out, Contains("step, floor = sand      4\n"));
  CHECK_THAT(ran.out, Contains("Placeholders that were heard") && Contains("sketch:ding"));
  CHECK_THAT(ran.out, Contains("Events of the book that no session raised:\n\n  nobody\n"));
  CHECK_THAT(ran.out, Contains("Sounds of the book that no session heard:\n\n  bell\n  gull\n  never\n"));
  CHECK_THAT(ran.out, Contains("2 sessions were looked at"));
  CHECK(run(folder, BUILD_FOLDER "/tidewater missing " + folder.path("none.toml") + " " + folder.path("1.jsonl")).exit == 1);
}
