/// The effects of responses, measured by what is heard: each verb, `for`, `when`, chances, delays, and chains of events.

#include <catch2/catch.hpp>
#include <memory>

#include "bank/bank_data.hpp"
#include "stage.hpp"
#include "tidewater/guards.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr Seconds quarter{0.25};

/// Returns the RMS level of a take in dB.
double level_of(const Take& take) { return 20 * std::log10(take.rms() + 1e-9); }

const std::string looms =
    "[scopes.hall]\n[scopes.yard]\n[groups.machines]\n[gauges.pace]\n"
    "[sounds.loom]\nclips=[\"hum.wav\"]\nloop=true\ngroup=\"machines\"\n"
    "[sounds.click]\nclips=[\"n-1.wav\"]\n[events.\"loom.began\"]\nstart=\"loom\"\n";

/// A stage with these responses of event "x".
Stage with(const std::string& responses, const ManagerOptions& options = {}) {
  return Stage(looms + "[events.x]\nresponses = [ " + responses + " ]\n", options);
}

std::string why(Stage& stage) {
  stage.manager->update({});
  return stage.why();
}

std::uint32_t playing(const Stage& stage) { return stage.manager->stats().voices; }

}  // namespace

TEST_CASE("a stop without `for` is for the playbacks of the raise's emitter, and for all of them if there is none") {
  Stage stage = with("{ stop = \"loom\" }");
  const Emitter one = stage.manager->make_emitter(), other = stage.manager->make_emitter();
  for (const Emitter emitter : {one, one, other, Emitter{}}) stage.manager->raise("loom.began", {}, emitter);
  stage.render(quarter);
  REQUIRE(playing(stage) == 4);
  CHECK(stage.manager->raise("x", {}, one).outcome == Outcome::done);
  CHECK(playing(stage) == 2);
  CHECK(stage.manager->raise("x", {}, one).outcome == Outcome::nothing_to_stop);
  CHECK_THAT(why(stage), Contains("'loom' was not playing"));
  stage.manager->raise("x");
  CHECK(playing(stage) == 0);
}

TEST_CASE("a stop is for all, for a scope or for an action where it says so") {
  const auto left_after = [](const char* whom) {
    Stage stage = with(std::string("{ stop = \"loom\", for = \"") + whom + "\" }, { start = \"click\" }");
    const Emitter one = stage.manager->make_emitter(), other = stage.manager->make_emitter();
    stage.manager->raise("loom.began", {}, one, {.scope = "hall"});
    stage.manager->raise("loom.began", {}, other, {.scope = "hall"});
    stage.manager->raise("loom.began", {}, other, {.scope = "yard"});
    stage.render(quarter);
    stage.manager->raise("x", {}, one, {.scope = "hall"});
    stage.render(quarter);
    return playing(stage);
  };
  CHECK(left_after("emitter") == 2);
  CHECK(left_after("all") == 0);
  CHECK(left_after("scope") == 1);
  CHECK(left_after("action") == 3);
}

TEST_CASE("`for` action means what the same action has started, also by way of other events") {
  Stage stage(looms +
              "[events.\"cloth.woven.begun\"]\nresponses=[ { start = \"loom\" }, { raise = \"loom.began\" } ]\n"
              "[events.\"cloth.woven.completed\"]\nstop=\"loom\"\nfor=\"action\"\n");
  stage.raise("loom.began");
  Action first = stage.manager->begin_action("cloth.woven");
  Action second = stage.manager->begin_action("cloth.woven");
  stage.render(quarter);
  REQUIRE(playing(stage) == 5);
  CHECK(first.begun().count == 2);
  CHECK(first.complete().outcome == Outcome::done);
  CHECK(playing(stage) == 3);
  stage.render(quarter);
  for (std::size_t i = 0; i < 2; ++i) {
    CHECK(first.begun().playbacks[i].ended() == true);
    CHECK(second.begun().playbacks[i].ended() == false);
  }
  CHECK(second.complete().outcome == Outcome::done);
  CHECK(playing(stage) == 1);
}

TEST_CASE("a fade brings what plays to a level over its time, and what starts later is as loud as ever") {
  Stage stage = with("{ fade = \"loom\", to = \"-12 dB\", over = \"100 ms\" }");
  stage.raise("loom.began");
  stage.render(quarter);
  const double before = level_of(stage.render(quarter));
  stage.raise("x");
  stage.render(quarter);
  CHECK(level_of(stage.render(quarter)) == Approx(before - 12).margin(0.1));
  CHECK(stage.why() == "fade 'loom' to -12 dB");
  stage.raise("loom.began");
  stage.render(quarter);
  CHECK(level_of(stage.render(quarter)) > before);
}

TEST_CASE("a playback that is paused is silent, keeps its place and gives up its voice; then it goes on from there") {
  Stage stage("[sounds.long]\nclips=[\"long.wav\"]\n[events.a]\nstart=\"long\"\n[events.b]\npause=\"long\"\n[events.c]\nresume=\"long\"\n");
  const Raised raised = stage.raise("a");
  Playback playback = raised.playbacks[0];
  stage.render(quarter);
  stage.raise("b");
  CHECK(playback.state() == PlaybackState::held);
  CHECK(stage.raise("b").outcome == Outcome::nothing_to_stop);
  stage.render(Seconds{0.05});
  const Seconds stood_at = playback.position();
  CHECK(stood_at.value == Approx(0.26).margin(0.02));
  CHECK(stage.render(Seconds{5}).peak() == 0);
  CHECK(playback.position().value == Approx(stood_at.value).margin(0.012));
  CHECK(playing(stage) == 0);
  CHECK(playback.ended() == false);
  stage.raise("c");
  const Take after = stage.render(Seconds{1});
  CHECK(after.part(0.1, 0.8).rms() > 0.2);
  CHECK(playback.position().value == Approx(stood_at.value + 1).margin(0.05));
  stage.render(Seconds{1});
  CHECK(playback.ended() == true);
}

TEST_CASE("a start whose delay is not over waits on while it is paused") {
  Stage stage(
      "[sounds.tone]\nclips=[\"tone.wav\"]\n[events.a]\nresponses=[{start=\"tone\", delay=\"1 s\"}]\n[events.b]\npause=\"tone\"\n"
      "[events.c]\nresume=\"tone\"\n");
  stage.raise("a");
  stage.render(Seconds{0.4});
  stage.raise("b");
  CHECK(stage.render(Seconds{3}).peak() == 0);
  stage.raise("c");
  const Take after = stage.render(Seconds{1});
  CHECK(after.part(0, 0.55).peak() == 0);
  CHECK(after.part(0.65, 0.3).peak() > 0.3);
}

TEST_CASE("a cadence that is paused takes no step until it goes on") {
  Stage stage(
      "[sounds.tick]\nclips=[\"n-5.wav\"]\ncadence=\"200 ms\"\n[events.a]\nstart=\"tick\"\n[events.b]\npause=\"tick\"\n"
      "[events.c]\nresume=\"tick\"\n");
  stage.raise("a");
  CHECK(stage.render(Seconds{1}).rms() > 0.1);
  stage.raise("b");
  stage.render(Seconds{0.02});
  CHECK(stage.render(Seconds{2}).peak() == 0);
  stage.raise("c");
  CHECK(stage.render(Seconds{1}).rms() > 0.1);
}

TEST_CASE("a gauge is set for all, or for the raise's emitter alone") {
  const std::string book =
      "[gauges.pace]\n[sounds.loom]\nclips=[\"hum.wav\"]\nloop=true\nfollow=[{gauge=\"pace\", gain=[[0, \"silent\"], [1, \"0 dB\"]]}]\n"
      "[events.\"loom.began\"]\nstart=\"loom\"\n[events.fast]\ngauge=\"pace\"\nto=1\n[events.faster]\ngauge=\"pace\"\nto=1\nfor=\"all\"\n";
  Stage stage(book);
  const Emitter one = stage.manager->make_emitter({.place = {1, 0, 0}}), other = stage.manager->make_emitter({.place = {2, 0, 0}});
  stage.manager->raise("loom.began", {}, one);
  stage.manager->raise("loom.began", {}, other);
  CHECK(stage.render(quarter).peak() == 0);
  stage.manager->raise("fast", {}, one);
  stage.render(Seconds{1});
  const double alone = stage.render(quarter).rms();
  CHECK(alone > 0.1);
  stage.manager->raise("faster", {}, one);
  stage.render(Seconds{1});
  CHECK(stage.render(quarter).rms() > 1.3 * alone);
}

TEST_CASE("groups are brought to a level, muted and heard again") {
  Stage stage(looms +
              "[events.low]\nlevel=\"machines\"\nto=\"-20 dB\"\nover=\"50 ms\"\n[events.off]\nmute=\"machines\"\n[events.on]\n"
              "responses=[{unmute=\"machines\", delay=\"500 ms\"}]\n");
  stage.raise("loom.began");
  stage.render(quarter);
  const double before = level_of(stage.render(quarter));
  stage.raise("low");
  stage.render(quarter);
  CHECK(level_of(stage.render(quarter)) == Approx(before - 20).margin(0.1));
  stage.raise("off");
  stage.render(quarter);
  CHECK(stage.render(quarter).peak() == 0);
  stage.raise("on");
  CHECK(stage.render(Seconds{0.45}).peak() == 0);
  stage.render(Seconds{0.15});
  CHECK(level_of(stage.render(quarter)) == Approx(before - 20).margin(0.1));
}

TEST_CASE("an event that is raised by another has its traits, its emitter and its gain, and its handles come with the raise") {
  Stage stage(
      "[sounds.tap]\nclips={by=\"floor\", wood=[\"n-1.wav\"], stone=[\"n-5.wav\"], otherwise=[]}\n[events.tapped]\nstart=\"tap\"\n"
      "[events.walked]\nresponses=[{raise=\"tapped\", gain=\"-6 dB\"}, {start=\"tap\", gain=\"-20 dB\"}]\n");
  const Emitter walker = stage.manager->make_emitter();
  const Raised raised = stage.manager->raise("walked", {{"floor", "stone"}}, walker);
  REQUIRE(raised.count == 2);
  stage.manager->update({});
  const auto starts = stage.starts();
  REQUIRE(starts.size() == 2);
  CHECK(starts[0].clip == "n-5.wav");
  CHECK(starts[0].gain == Decibels{-6});
  CHECK(starts[1].gain == Decibels{-20});
  CHECK(raised.playbacks[0].id().raise == 2);
  CHECK(raised.playbacks[1].id().raise == 1);
  CHECK(stage.manager->stats().raised == 2);
}

TEST_CASE("what a delayed raise starts is heard on its exact frame, from twenty updates a second on") {
  for (const double frame : {1.0 / 144, 1.0 / 60, 0.045}) {
    Stage stage(
        "[sounds.tap]\nclips=[\"tone.wav\"]\n[events.a]\nresponses=[{start=\"tap\"}, {raise=\"b\", delay=\"700 ms\"}]\n"
        "[events.b]\nresponses=[{start=\"tap\"}, {raise=\"c\", delay=\"500 ms\"}]\n[events.c]\nstart=\"tap\"\n");
    stage.raise("a");
    std::vector<float> block;
    for (double at = 0; at < 2; at += frame) {
      stage.manager->update(Seconds{frame});
      block.assign(2 * static_cast<std::size_t>(frame * test_rate.value), 0);
      stage.manager->render(block);
    }
    std::vector<std::int64_t> starts;
    for (const auto& its : stage.starts()) starts.push_back(its.starts.value);
    for (const auto& due : stage.entries<noted::Due>()) CHECK(due.outcome == Outcome::started);
    REQUIRE(starts.size() == 3);
    CHECK(starts[1] - starts[0] == static_cast<std::int64_t>(0.7 * test_rate.value));
    CHECK(starts[2] - starts[0] == static_cast<std::int64_t>(1.2 * test_rate.value));
  }
}

TEST_CASE("a response is carried out as often as its chance says, after a delay from its range, and only for its traits") {
  Stage stage(
      "[sounds.tap]\nclips=[\"n-1.wav\"]\n[events.a]\nresponses=[{start=\"tap\", chance=\"25 %\", delay=\"100 ms .. 300 ms\"}]\n"
      "[events.b]\nresponses=[{start=\"tap\", when={floor=[\"wood\", \"stone\"], shoes=\"boots\"}}]\n");
  int started = 0;
  for (int i = 0; i < 2000; ++i) {
    if (plays(stage.raise("a").outcome)) ++started;
    if (i % 50 == 0) stage.render(quarter);
  }
  CHECK(started > 430);
  CHECK(started < 570);
  CHECK_THAT(stage.manager->raise("a").outcome == Outcome::left_out ? why(stage) : "a chance of 25 %", Contains("a chance of 25 %"));
  double least = 1, most = 0;
  for (const auto& decision : stage.entries<noted::Decision>()) {
    if (!decision.start) continue;
    const double delay = static_cast<double>((decision.start->starts - decision.at).value) / test_rate.value;
    least = std::min(least, delay);
    most = std::max(most, delay);
  }
  CHECK(least >= 0.1);
  CHECK(least < 0.11);
  CHECK(most > 0.29);
  CHECK(most <= 0.31);
  const auto outcome = [&](std::initializer_list<Trait> traits) { return stage.manager->raise("b", traits).outcome; };
  CHECK(plays(outcome({{"floor", "stone"}, {"shoes", "boots"}})));
  CHECK(plays(outcome({{"shoes", "boots"}, {"floor", "wood"}})));
  CHECK(outcome({{"floor", "sand"}, {"shoes", "boots"}}) == Outcome::left_out);
  CHECK(outcome({{"floor", "stone"}}) == Outcome::left_out);
  CHECK(outcome({}) == Outcome::left_out);
  CHECK_THAT(why(stage), Contains("other traits"));
}

TEST_CASE("what an event still has to do is called off, and what has begun plays on") {
  Stage stage(
      "[sounds.tap]\nclips=[\"tone.wav\"]\n[sounds.loom]\nclips=[\"hum.wav\"]\nloop=true\n"
      "[events.a]\nresponses=[{start=\"loom\"}, {start=\"tap\", delay=\"600 ms\"}, {raise=\"b\", delay=\"700 ms\"}, {stop=\"loom\", "
      "delay=\"800 ms\"}]\n"
      "[events.b]\nstart=\"tap\"\n[events.off]\ncall-off=\"a\"\n");
  const Emitter one = stage.manager->make_emitter(), other = stage.manager->make_emitter();
  stage.manager->raise("a", {}, one);
  stage.manager->raise("a", {}, other);
  stage.render(Seconds{0.5});
  CHECK(stage.manager->raise("off", {}, one).outcome == Outcome::done);
  CHECK_THAT(why(stage), Contains("2 responses and 1 start of 'a' were still to come"));
  stage.render(Seconds{2});
  CHECK(stage.starts().size() == 5);  // two looms, two taps with a delay, and one tap of 'b'
  CHECK(playing(stage) == 1);         // of the two looms one was stopped
}

TEST_CASE("a bank whose events raise each other without a delay is cut short, and says so") {
  Stage stage(
      "[sounds.tap]\nclips=[\"n-1.wav\"]\n[events.a]\nresponses=[{start=\"tap\"}, {raise=\"a\", delay=\"1 "
      "s\"}]\n[events.off]\ncall-off=\"a\"\n");
  for (const int raises : {1, 2}) {
    BankData data = data_of(*stage.bank);
    data.name = "quick";
    BankResponse raise = data.events[0].responses[1];
    raise.delay = {};
    data.events[0].responses.assign(static_cast<std::size_t>(raises), raise);
    SoundManager manager({.journal = [&](const JournalEntry& entry) { stage.journal.push_back(entry); }});
    manager.load(bank_of(std::make_shared<BankData>(data)));
    CHECK(manager.raise("a").outcome == Outcome::chain_too_long);
    CHECK(manager.stats().raised <= 1025);
    manager.update({});
    CHECK_THAT(why(stage), Contains(raises == 1 ? "64 deep" : "at this moment"));
    CHECK(manager.raise("off").outcome == Outcome::nothing_to_stop);
  }
}

TEST_CASE("events that raise each other too quickly, or ever more of them, are refused in a book") {
  const Folder folder;
  write_stage_clips(folder);
  const auto problem = [&](const std::string& events) {
    const ReadBook read = parse_book(book_head + "[sounds.tap]\nclips=[\"n-1.wav\"]\n" + events, folder.path("book.toml"));
    return read.problems.empty() ? std::string() : read.problems.front().message;
  };
  const auto again = [](const std::string& how) { return "[events.a]\nresponses=[{raise=\"a\", " + how + "}]\n"; };
  CHECK_THAT(problem(again("chance=\"50 %\"")), Contains("takes 0.02 s at least"));
  CHECK_THAT(problem(again("delay=\"19 ms .. 5 s\"")), Contains("that may take only 0.019 s"));
  CHECK(problem(again("delay=\"20 ms\"")).empty());
  const auto two = [](const std::string& chance) {
    return "[events.a]\nresponses=[{raise=\"b\", delay=\"1 s\"}]\n[events.b]\nresponses=[{raise=\"a\", chance=\"" + chance +
           "\"}, {raise=\"a\", chance=\"" + chance + "\"}]\n";
  };
  CHECK(problem(two("50 %")).empty());
  CHECK_THAT(problem(two("60 %")), Contains("the events 'a', 'b' raise each other in a circle") && Contains("multiply"));
  // Of two raises for different traits only one is carried out.
  const std::string either =
      "[events.a]\nresponses=[{raise=\"a\", delay=\"1 s\", when={floor=\"wood\"}}, {raise=\"a\", delay=\"1 s\", when={floor=\"stone\"}}]\n";
  CHECK(problem(either).empty());
  CHECK_THAT(
      problem(either + "[events.b]\nresponses=[{raise=\"b\", delay=\"1 s\", when={floor=\"wood\"}}, {raise=\"b\", delay=\"1 s\"}]\n"),
      Contains("event 'b' raises itself"));
  CHECK(problem("[events.a]\nraise=\"b\"\n[events.b]\nraise=\"c\"\n[events.c]\nstart=\"tap\"\n").empty());
}

TEST_CASE("a value that a declared trait does not have is an error in the book, and told once in play") {
  const std::string book =
      "[traits.floor]\nvalues=[\"wood\", \"stone\"]\n[sounds.tap]\nclips={by=\"floor\", wood=[\"n-1.wav\"], otherwise=[]}\n"
      "[events.a]\nresponses=[{start=\"tap\", when={floor=\"stone\"}}]\n";
  Stage stage(book);
  std::size_t told = 0;
  for (const auto& [value, is_new] : std::vector<std::pair<const char*, bool>>{
           {"wood", false}, {"stone", false}, {"ston", true}, {"ston", false}, {"sand", true}, {"sand", false}}) {
    stage.manager->raise("a", {{"floor", value}, {"shoes", value}});
    stage.manager->update({});
    const auto notices = stage.entries<noted::Notice>();
    INFO(value);
    CHECK(notices.size() == told + (is_new ? 1 : 0));
    told = notices.size();
  }
  REQUIRE(told == 2);
  CHECK(stage.entries<noted::Notice>()[0].why ==
        "'a' was raised with floor = 'ston', which no loaded bank declares; did you mean 'stone'?");

  const Folder folder;
  write_stage_clips(folder);
  const auto problem = [&](std::string from, const std::string& to) {
    std::string text = book;
    text.replace(text.find(from), from.size(), to);
    const ReadBook read = parse_book(book_head + text, folder.path("book.toml"));
    return read.problems.empty() ? std::string() : read.problems.front().message;
  };
  CHECK(problem("wood=[", "stone=[").empty());
  CHECK_THAT(problem("wood=[", "wod=["), Contains("trait 'floor' has no value 'wod'; did you mean 'wood'?"));
  CHECK_THAT(problem("floor=\"stone\"", "floor=\"ice\""), Contains("no value 'ice'; add it to the values of [traits.floor]"));
  CHECK_THAT(problem("values=[\"wood\", \"stone\"]", "values=[]"), Contains("needs the list of its values"));
  CHECK_THAT(problem("\"stone\"]", "\"wood\"]"), Contains("has the value 'wood' twice"));
}

TEST_CASE("mistakes in responses are told with what would be right") {
  const Folder folder;
  write_stage_clips(folder);
  const auto problem = [&](const std::string& response) {
    const ReadBook read =
        parse_book(book_head + "[groups.music]\n[gauges.pace]\n[sounds.tap]\nclips=[\"n-1.wav\"]\n[events.a]\n" + response + "\n",
                   folder.path("book.toml"));
    return read.problems.empty() ? std::string() : read.problems.front().message;
  };
  CHECK_THAT(problem("raise=\"aa\""), Contains("there is no event 'aa'; did you mean 'a'?"));
  CHECK_THAT(problem("level=\"musik\"\nto=\"0 dB\""), Contains("there is no group 'musik'; did you mean 'music'?"));
  CHECK_THAT(problem("gauge=\"pac\"\nto=1"), Contains("there is no gauge 'pac'; did you mean 'pace'?"));
  CHECK_THAT(problem("gauge=\"pace\"\nto=2"), Contains("'pace' is never 2: it goes from 0 to 1"));
  CHECK_THAT(problem("gauge=\"pace\"\nto=\"1\""), Contains("must be a number"));
  CHECK_THAT(problem("fade=\"tap\""), Contains("a fade needs to = \"-6 dB\""));
  CHECK_THAT(problem("start=\"tap\"\nfor=\"all\""), Contains("a for goes with stop, fade, pause, resume, gauge, raise or call-off"));
  CHECK_THAT(problem("mute=\"music\"\nover=\"1 s\""), Contains("a over goes with fade or level"));
  CHECK_THAT(problem("raise=\"a\"\ndelay=\"1 s\"\nfor=\"scope\""), Contains("emitter"));
  CHECK_THAT(problem("start=\"tap\"\nwhen=\"wood\""), Contains("'when' names traits and their values"));
  CHECK_THAT(problem("start=\"tap\"\nwhen={floor=3}"), Contains("a value of a trait is text"));
  CHECK_THAT(problem("start=\"tap\"\nchance=\"140 %\""), Contains("chance"));
}
