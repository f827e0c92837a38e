/// Responses in banks, patches and banks without names, in replays and saved states, and with emitters and scopes that change while a
/// response waits.

#include <catch2/catch.hpp>
#include <memory>

#include "bank/bank_data.hpp"
#include "process.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/guards.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// One response of each verb, with all that it can have.
const std::string every_verb = R"([groups.machines]
[gauges.heat]
from = -1
to = 3
[traits.floor]
values = ["wood", "stone"]
[scopes.hall]
[sounds.loom]
group = "machines"
scope = "hall"
clips = ["hum.wav"]
loop = true
fade-out = "120 ms"
[sounds.tap]
clips = { by = "floor", wood = ["n-1.wav"], otherwise = ["n-2.wav"] }
[events.all]
responses = [
  { start = "loom", gain = "-4.5 dB", delay = "10 ms .. 20 ms", chance = "90 %", when = { floor = ["wood", "stone"], shoes = "boots" } },
  { stop = "loom", for = "scope" },
  { stop = "loom", fade = "1.5 s", for = "all", delay = "1 s" },
  { fade = "loom", to = "silent", over = "250 ms", for = "action" },
  { pause = "loom", for = "emitter" },
  { resume = "loom", delay = "40 ms .. 2 s" },
  { gauge = "heat", to = -0.25, for = "all" },
  { level = "machines", to = "-7 dB", over = "2 s" },
  { mute = "machines", chance = "50 %" },
  { unmute = "machines", delay = "3 s" },
  { raise = "tapped", gain = "-3 dB", for = "all" },
  { call-off = "all", delay = "500 ms", for = "scope" },
]
[events.tapped]
start = "tap"
)";

Book book_of(const Folder& folder, const std::string& text) {
  ReadBook read = parse_book(book_head + text, folder.path("book.toml"));
  for (const Problem& problem : read.problems) FAIL_CHECK(to_text(problem));
  return read.book;
}

/// Whether two events do the same.
void check_alike(const BookEvent& one, const BookEvent& other) {
  REQUIRE(one.responses.size() == other.responses.size());
  for (std::size_t r = 0; r < one.responses.size(); ++r) {
    const BookResponse &a = one.responses[r], &b = other.responses[r];
    INFO(word_of(a.verb));
    CHECK(static_cast<const ResponseDesign&>(a) == b);
    CHECK(a.target == b.target);
    REQUIRE(a.when.size() == b.when.size());
    for (std::size_t w = 0; w < a.when.size(); ++w) {
      CHECK(a.when[w].name == b.when[w].name);
      CHECK(a.when[w].value == b.when[w].value);
    }
  }
}

/// Two seconds in game frames.
void play(SoundManager& manager, std::vector<float>& heard, int frames = 120) {
  std::vector<float> block(1600);
  for (int i = 0; i < frames; ++i) {
    manager.update(Seconds{1.0 / 60});
    manager.render(block);
    heard.insert(heard.end(), block.begin(), block.end());
  }
}

}  // namespace

TEST_CASE("responses come out of a bank as they went in, and a bank that is taken apart packs to the same again") {
  const Folder folder;
  write_stage_clips(folder);
  const Book book = book_of(folder, every_verb);
  const std::string file = pack(book, folder.path("banks")).front().file;
  const Bank bank = open_bank(file);
  const Book back = tidewater::book_of(bank, "back.toml");
  REQUIRE(back.events.size() == 2);
  for (const BookEvent& event : book.events) {
    const auto its = std::find_if(back.events.begin(), back.events.end(), [&](const BookEvent& e) { return e.name == event.name; });
    REQUIRE(its != back.events.end());
    check_alike(event, *its);
  }
  REQUIRE(back.traits.size() == 1);
  CHECK(back.traits[0].values == std::vector<std::string>{"wood", "stone"});

  CHECK(unpack(bank, folder.path("apart")).the_same);
  const ReadBook again = read_book(folder.path("apart/book.toml"));
  for (const Problem& problem : again.problems) FAIL_CHECK(to_text(problem));
  for (const BookEvent& event : again.book.events)
    check_alike(event, *std::find_if(book.events.begin(), book.events.end(), [&](const BookEvent& e) { return e.name == event.name; }));
}

TEST_CASE("a bank without names raises, mutes and compares traits as one with names does") {
  const Folder folder;
  write_stage_clips(folder);
  const std::string text =
      "[groups.machines]\n[traits.floor]\nvalues=[\"wood\", \"stone\"]\n[sounds.tap]\ngroup=\"machines\"\nclips=[\"tone.wav\"]\n"
      "[events.a]\nresponses=[{raise=\"b\", when={floor=\"wood\"}}]\n[events.b]\nstart=\"tap\"\n[events.off]\nmute=\"machines\"\n"
      "[targets.handheld]\nnames=\"stripped\"\n";
  const Book book = book_of(folder, text);
  const std::string file = pack(book, folder.path("banks"), {.target = "handheld"}).front().file;
  CHECK_THAT(folder.read("banks/stage.tidebank"), !Contains("machines") && !Contains("wood"));
  SoundManager manager({.offline = true});
  manager.load(open_bank(file));
  CHECK(manager.raise("a", {{"floor", "stone"}}).outcome == Outcome::left_out);
  CHECK(manager.raise("a", {{"floor", "wood"}}).outcome == Outcome::started);
  std::vector<float> heard;
  play(manager, heard, 10);
  CHECK(*std::max_element(heard.begin(), heard.end()) > 0.1F);
  CHECK(manager.raise("off").outcome == Outcome::done);
  heard.clear();
  play(manager, heard, 4);
  heard.clear();
  CHECK(manager.raise("b").outcome == Outcome::silent);
  play(manager, heard, 10);
  CHECK(*std::max_element(heard.begin(), heard.end()) == 0.0F);
}

TEST_CASE("a bank of an older version, with one delay for a response, plays it; a verb of a newer version is refused") {
  const Folder folder;
  write_stage_clips(folder);
  BankData data = data_of(compile(book_of(folder, "[sounds.tap]\nclips=[\"n-1.wav\"]\n[events.a]\nstart=\"tap\"\ndelay=\"300 ms\"\n")));
  data.events[0].responses[0].delay.high = {};  // there was no place for it
  write_bank(bank_of(std::make_shared<BankData>(data)), folder.path("old.tidebank"));
  const Bank old = open_bank(folder.path("old.tidebank"));
  CHECK(data_of(old).events[0].responses[0].delay == Range<Seconds>{{0.3}, {0.3}});

  data.events[0].responses[0].verb = static_cast<Verb>(verb_words.size() + 2);
  write_bank(bank_of(std::make_shared<BankData>(data)), folder.path("new.tidebank"));
  CHECK_THROWS_WITH(open_bank(folder.path("new.tidebank")), Contains("a newer version of the library packed the bank"));
}

TEST_CASE("chains, chances and pauses replay bit for bit, and what an event raised is found again by its number") {
  const std::string text =
      "[sounds.tap]\nclips=[\"n-*.wav\"]\npitch=\"-3 st .. 3 st\"\n[sounds.loom]\nclips=[\"hum.wav\"]\nloop=true\n"
      "[events.a]\nresponses=[{raise=\"b\"}, {raise=\"b\", delay=\"100 ms .. 900 ms\", chance=\"60 %\"}]\n"
      "[events.b]\nresponses=[{start=\"tap\"}, {start=\"loom\", chance=\"40 "
      "%\"}]\n[events.off]\npause=\"loom\"\n[events.on]\nresume=\"loom\"\n";
  Stage stage(text, {.seed = 5});
  std::vector<float> original;
  std::vector<Playback> looms;
  for (int i = 0; i < 12; ++i) {
    const Raised raised = stage.raise("a");
    for (std::size_t p = 0; p < raised.count; ++p) looms.push_back(raised.playbacks[p]);
    if (i % 3 == 1) stage.raise("off");
    if (i % 3 == 2) stage.raise("on");
    if (i % 4 == 3) looms[looms.size() / 2].set_gain(Decibels{-9});
    if (i % 5 == 4) looms.back().stop(Seconds{0.05});
    play(*stage.manager, original, 20);
  }
  CHECK(stage.manager->stats().raised > 30);
  stage.manager.reset();
  std::string journal;
  for (const auto& entry : stage.journal) journal += to_json(entry) + "\n";
  const JournalScript script = parse_journal(journal, "j.jsonl");
  std::vector<float> again;
  const auto take = [&](std::span<const float> samples) { again.insert(again.end(), samples.begin(), samples.end()); };
  SoundManager manager(options_of(script));
  replay(script, *stage.bank, manager, take);
  REQUIRE(again.size() >= original.size());
  CHECK(std::equal(original.begin(), original.end(), again.begin()));
}

TEST_CASE("a manager that is saved with responses on its agenda and paused playbacks goes on as the first does") {
  const Folder folder;
  write_stage_clips(folder);
  const std::string text =
      "[sounds.tap]\nclips=[\"tone.wav\"]\n[sounds.loom]\nclips=[\"hum.wav\"]\nloop=true\n"
      "[events.a]\nresponses=[{start=\"loom\"}, {raise=\"b\", delay=\"700 ms\"}, {pause=\"loom\", delay=\"200 ms\"}, {resume=\"loom\", "
      "delay=\"900 ms\"}, {fade=\"loom\", to=\"-9 dB\", over=\"1 s\", delay=\"1 s\"}]\n"
      "[events.b]\nresponses=[{start=\"tap\"}, {raise=\"b\", delay=\"250 ms\", chance=\"90 %\"}]\n";
  const Bank bank = compile(book_of(folder, text));
  SoundManager one({.offline = true});
  one.load(bank);
  one.raise("a");
  std::vector<float> before, first, second;
  play(one, before, 30);  // half a second: paused, and three responses are to come
  const std::vector<std::byte> saved = one.save();
  SoundManager other({.offline = true});
  other.restore(saved, {&bank, 1});
  play(one, first);
  play(other, second);
  CHECK(first == second);
  CHECK(std::any_of(first.begin(), first.end(), [](float sample) { return sample != 0; }));
  CHECK(one.stats().raised == other.stats().raised);
  CHECK(one.stats().raised > 2);
}

TEST_CASE("a delayed raise is heard where its emitter is by then, and nowhere if the emitter is gone") {
  const std::string text =
      "[sounds.bell]\nclips=[\"tone.wav\"]\nplace=\"world\"\nfar=\"50 m\"\n[sounds.ding]\nclips=[\"n-1.wav\"]\n"
      "[events.a]\nresponses=[{start=\"bell\"}, {raise=\"b\", delay=\"800 ms\"}]\n[events.b]\nresponses=[{start=\"bell\"}, "
      "{start=\"ding\"}]\n";
  const auto outcomes_of = [&](const auto& meanwhile) {
    Stage stage(text);
    stage.manager->set_listener(0, {});
    const Emitter emitter = stage.manager->make_emitter({.place = {5, 0, 0}});
    stage.manager->raise("a", {}, emitter);
    stage.render(Seconds{0.1});
    meanwhile(*stage.manager, emitter);
    stage.render(Seconds{1.5});
    std::vector<Outcome> outcomes;
    for (const auto& decision : stage.entries<noted::Decision>())
      if (decision.event == "b") outcomes.push_back(decision.outcome);
    return outcomes;
  };
  const auto stays = outcomes_of([](SoundManager&, Emitter) {});
  CHECK(stays == std::vector<Outcome>{Outcome::started, Outcome::started});
  const auto far_away = outcomes_of([](SoundManager& manager, Emitter emitter) { manager.place(emitter, {200, 0, 0}); });
  CHECK(far_away == std::vector<Outcome>{Outcome::out_of_range, Outcome::started});
  const auto gone = outcomes_of([](SoundManager& manager, Emitter emitter) { manager.remove_emitter(emitter); });
  CHECK(gone == std::vector<Outcome>{Outcome::emitter_gone, Outcome::started});
}

TEST_CASE("the delay of a response stands while its scope is paused, and is over with the scope's end") {
  const std::string text =
      "[scopes.hall]\n[sounds.tap]\nscope=\"hall\"\nclips=[\"tone.wav\"]\n[events.a]\nresponses=[{raise=\"b\", delay=\"500 "
      "ms\"}]\n[events.b]\nstart=\"tap\"\n";
  const auto starts_after = [&](const auto& meanwhile, Seconds length) {
    Stage stage(text);
    stage.manager->raise("a", {.scope = "hall"});
    stage.render(Seconds{0.2});
    meanwhile(*stage.manager);
    stage.render(length);
    return stage.starts().size();
  };
  CHECK(starts_after([](SoundManager&) {}, Seconds{1}) == 1);
  CHECK(starts_after([](SoundManager& manager) { manager.pause("hall"); }, Seconds{5}) == 0);
  CHECK(starts_after([](SoundManager& manager) { manager.set_time_scale("hall", 0.25, {}); }, Seconds{0.9}) == 0);
  CHECK(starts_after([](SoundManager& manager) { manager.set_time_scale("hall", 0.25, {}); }, Seconds{1.5}) == 1);
  CHECK(starts_after([](SoundManager& manager) { manager.end("hall"); }, Seconds{5}) == 0);
}

TEST_CASE("a patch has the event whose responses changed, and the bank's other events raise the new one") {
  const Folder folder;
  write_stage_clips(folder);
  const auto text = [](const char* clip) {
    return std::string("[sounds.tap]\nclips=[\"n-1.wav\"]\n[sounds.other]\nclips=[\"") + clip +
           "\"]\n[events.a]\nraise=\"b\"\n[events.b]\nstart=\"other\"\n[events.c]\nstart=\"tap\"\n";
  };
  const std::string base = pack(book_of(folder, text("n-2.wav")), folder.path("banks")).front().file;
  const PackedBank patch = pack(book_of(folder, text("n-3.wav")), folder.path("banks"), {.patch_of = {base}}).front();
  SoundManager manager({.offline = true});
  manager.load(open_bank(base));
  CHECK(manager.raise("a").outcome == Outcome::started);
  manager.load(open_bank(patch.file));
  const Raised raised = manager.raise("a");
  CHECK(raised.outcome == Outcome::started);
  CHECK(raised.count == 1);
  CHECK(data_of(open_bank(patch.file)).events.size() == 1);
}

TEST_CASE("an audition of an event plays what the event raises, too") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml",
               book_head +
                   "[sounds.tap]\nclips=[\"n-1.wav\"]\n[sounds.bell]\nclips=[\"tone.wav\"]\n[events.a]\nresponses=[{start=\"tap\"}, "
                   "{raise=\"b\", delay=\"200 ms\"}]\n[events.b]\nstart=\"bell\"\n");
  const Ran ran =
      run(folder, BUILD_FOLDER "/tidewater audition " + folder.path("book.toml") + " a --times 1 --output " + folder.path("a.wav"));
  INFO(ran.out << ran.err);
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("n-1.wav") && Contains("+ tone.wav"));
  const Ran shown = run(folder, BUILD_FOLDER "/tidewater show " + folder.path("book.toml") + " a");
  CHECK_THAT(shown.out, Contains("raise  b") && Contains("0.2 s"));
  CHECK_THAT(run(folder, BUILD_FOLDER "/tidewater show " + folder.path("book.toml")).out, Contains("start tap; raise b after 0.2 s"));
}
