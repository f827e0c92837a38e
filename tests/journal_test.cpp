#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "base/random.hpp"
#include "play/options.hpp"
#include "request/described.hpp"
#include "stage.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

const std::string book = R"(
[groups.effects]
[sounds.step]
group = "effects"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-12 dB .. -6 dB"
[sounds.hum]
clips = ["hum.wav"]
loop = true
gain = "-12 dB"
fade-in = "20 ms"
fade-out = "150 ms"
[events.step]
responses = [ { start = "step" }, { start = "step", delay = "77 ms" } ]
[events.hum]
start = "hum"
[events.hush]
stop = "hum"
)";

std::vector<Json> lines_of(const std::string& text) {
  std::vector<Json> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(Json::parse(line));
  return lines;
}

}  // namespace

TEST_CASE("a recorded journal, played again with the same book and seed, gives the same samples bit for bit") {
  Take original;
  std::string text;
  Stage stage(book, {.voices = 4, .seed = 99});
  const auto hear = [&](double time) {
    const Take take = stage.render(Seconds{time});
    original.append(take.samples);
  };
  Playback hum = stage.raise("hum").playback();
  hear(0.1);
  for (int i = 0; i < 30; ++i) {
    stage.raise("step");
    if (i == 7) hum.bend(Semitones{-5}, Seconds{0.3});
    if (i == 9) stage.manager->set_gain("effects", Decibels{-7.3}, Seconds{0.11});
    if (i == 11) hum.set_gain(Decibels{4.4}, Seconds{0.2});
    if (i == 10) hum.set_pan(Pan{-0.37}, Seconds{0.1});
    if (i == 14) hum.set_low_pass(Hertz{900});
    if (i == 16) stage.manager->set_high_pass("effects", Hertz{300}, Seconds{0.05});
    if (i == 22) stage.manager->set_high_pass("effects", Hertz{0});
    if (i == 12) stage.raise("missing");
    if (i == 13) stage.manager->set_mute("effects", true);
    if (i == 15) stage.manager->set_mute("effects", false);
    if (i == 17) hum.stop(Seconds{0.25});
    if (i == 25) stage.raise("hum");
    hear(0.0413);
  }
  stage.manager->stop_all(Seconds{0.1});
  hear(0.3);
  stage.manager.reset();
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";

  const JournalScript script = parse_journal(text, "j");
  CHECK(script.head.seed == 99);
  std::string second_text;
  std::vector<float> again;
  {
    ManagerOptions options = options_of(script);
    options.journal = [&](const JournalEntry& entry) { second_text += to_json(entry) + "\n"; };
    SoundManager manager(std::move(options));
    replay(script, *stage.bank, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  }
  CHECK(again == original.samples);
  const auto sorted = [](const std::string& all) {  // ends are noted when they are noticed
    auto lines = lines_of(all);
    std::stable_sort(lines.begin(), lines.end(), [](const Json& a, const Json& b) { return a.value("at", 0) < b.value("at", 0); });
    std::multiset<std::string> out;
    for (const auto& line : lines) out.insert(line.dump());
    return out;
  };
  CHECK(sorted(second_text) == sorted(text));
}

TEST_CASE("a replay with another book finds playbacks by their sounds, and says in which second and where it began to differ") {
  Stage stage(
      "[sounds.step]\nclips=[\"n-*.wav\"]\n[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n"
      "[events.both]\nresponses=[{start=\"hum\"},{start=\"step\"}]\n");
  const Raised raised = stage.raise("both");
  for (int i = 0; i < 24; ++i) {
    stage.render(Seconds{0.1});
    stage.raise("both");
  }
  CHECK(Playback(raised.playback()).stop() == Outcome::done);
  stage.render(Seconds{0.1});
  stage.manager.reset();
  std::string text;
  for (const auto& entry : stage.journal) text += to_json(entry) + "\n";
  const JournalScript script = parse_journal(text, "j");
  CHECK(script.sums.size() == 2);
  const auto notices_with = [&](const std::string& changed) {
    const Stage other(changed);
    std::vector<std::string> told;
    ManagerOptions options = options_of(script);
    options.journal = [&](const JournalEntry& entry) {
      if (const auto* notice = entry.as<noted::Notice>()) told.push_back(notice->why);
      if (const auto* fading = entry.as<noted::Fading>()) told.push_back(fading->sound + " " + std::string(to_text(fading->how)));
    };
    SoundManager manager(std::move(options));
    replay(script, *other.bank, manager, [](std::span<const float>) {});
    manager.update({});
    return told;
  };
  const std::string sounds = "[sounds.step]\nclips=[\"n-*.wav\"]\n[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n[events.both]\n";
  CHECK(notices_with(sounds + "responses=[{start=\"hum\"},{start=\"step\"}]\n") == std::vector<std::string>{"hum stopped"});
  // The other way round: it is still the hum that is stopped.
  CHECK(notices_with(sounds + "responses=[{start=\"step\"},{start=\"hum\"}]\n") ==
        std::vector<std::string>{"j:2: the bank 'stage' is not as it was when this was recorded",
                                 "before second 1 this is other than the recording, first in what was drawn and picked; with the same book "
                                 "it would not be",
                                 "hum stopped"});
  CHECK(notices_with(sounds + "start=\"step\"\n").back() ==
        "j:" + std::to_string(script.requests.back().line) + ": playback 1.1 was of 'hum', which 'both' does not start any more");
}

TEST_CASE("a replay can mix as the kind of machine that recorded it") {
  const std::string best = machine();
  CHECK(!mix_as("a machine that nobody has"));
  CHECK(machine() == best);
  const Stage stage(book);
  for (const std::string kind : {"SSSE3", "SSE4", "AVX2"}) {
    if (!mix_as(kind)) continue;  // not on this machine
    CHECK(machine() == kind);
    CHECK(!mix_as("a machine that nobody has"));
    CHECK(machine() == kind);
    std::string notices;
    const auto play = [&] {
      JournalScript script =
          parse_journal("{\"journal\":1,\"machine\":\"" + kind + "\"}\n{\"at\":0,\"request\":\"raise\",\"event\":\"step\"}\n", "j");
      ManagerOptions options = options_of(script);
      options.journal = [&](const JournalEntry& entry) {
        if (const auto* notice = entry.as<noted::Notice>()) notices += notice->why;
        if (const auto* head = entry.as<noted::Head>()) notices += head->machine + ". ";
      };
      SoundManager manager(std::move(options));
      replay(script, *stage.bank, manager, [](std::span<const float>) {});
    };
    play();
    CHECK(notices == kind + ". ");
    mix_as("");
    if (best == kind) continue;
    play();
    CHECK_THAT(notices, Contains("recorded on a machine of the kind " + kind + ", and mixed here as " + best));
  }
  mix_as("");
  CHECK(machine() == best);
}

TEST_CASE("a journal tells what was asked, what was decided and why, one object a line") {
  Stage stage(book, {.seed = 3});
  stage.raise("hum");
  stage.raise("hun");
  stage.render(Seconds{0.1});
  stage.raise("hush");
  stage.render(Seconds{0.3});
  std::vector<Json> lines;
  for (const auto& entry : stage.journal) lines.push_back(Json::parse(to_json(entry)));
  CHECK(lines[0] == Json{{"journal", 1},
                         {"rate", 48000.0},
                         {"seed", 3},
                         {"voices", 64},
                         {"quality", "standard"},
                         {"layout", "stereo"},
                         {"limiter", true},
                         {"playbacks", 65536},
                         {"emitters", 16384},
                         {"recorded", true},
                         {"machine", machine()}});
  CHECK(lines[1]["request"] == "load");
  CHECK(lines[2] == Json{{"at", 0}, {"request", "raise"}, {"id", 1}, {"event", "hum"}});
  CHECK(lines[3]["outcome"] == "started");
  CHECK(lines[3]["playback"] == "1.1");
  CHECK(lines[3]["clip"] == "hum.wav");
  CHECK(lines[3]["gain"] == "-12 dB");
  CHECK(lines[3]["loop"] == true);
  CHECK(lines[5]["outcome"] == "unknown-event");
  CHECK_THAT(lines[5]["why"].get<std::string>(), Contains("did you mean 'hum'?"));
  const auto ended = std::find_if(lines.begin(), lines.end(), [](const Json& line) { return line.contains("ended"); });
  REQUIRE(ended != lines.end());
  CHECK((*ended)["ended"] == "1.1");
  CHECK((*ended)["how"] == "stopped");
  CHECK((*ended)["at"] == 4928 + 7200);  // from the first quantum that was not mixed yet
}

TEST_CASE("every option that decides what is heard stands in the journal's first line and in a saved state") {
  using Change = std::pair<std::string, std::function<void(ManagerOptions&)>>;
  const std::vector<Change> changes = {
      {"rate", [](ManagerOptions& o) { o.rate = Hertz{44100}; }},
      {"seed", [](ManagerOptions& o) { o.seed = 77; }},
      {"voices", [](ManagerOptions& o) { o.voices = 5; }},
      {"playbacks", [](ManagerOptions& o) { o.playbacks = 100; }},
      {"emitters", [](ManagerOptions& o) { o.emitters = 7; }},
      {"quality", [](ManagerOptions& o) { o.quality = Quality::fine; }},
      {"layout", [](ManagerOptions& o) { o.layout = Layout::surround_5_1; }},
      {"limiter", [](ManagerOptions& o) { o.limiter = false; }},
      {"offline", [](ManagerOptions& o) { o.offline = false; }},
      {"clip_memory", [](ManagerOptions& o) { o.clip_memory = 5'000'000; }},
  };
  {
    // Whoever adds an option has to answer here whether it decides anything: journal, reading_thread and journal_lines do not.
    const ManagerOptions all;
    const auto& [rate, voices, seed, sink, layout, quality, offline, reading, lines, playbacks, emitters, clip_memory, limiter] = all;
    static_cast<void>(
        std::tie(rate, voices, seed, sink, layout, quality, offline, reading, lines, playbacks, emitters, clip_memory, limiter));
    CHECK(changes.size() == 13 - 3);
  }
  SoundManager usual({.offline = true});
  const std::vector<std::byte> saved = usual.save();
  for (const auto& [name, change] : changes) {
    INFO(name);
    ManagerOptions options{.offline = true};
    change(options);
    ManagerOptions recording = options;
    std::string journal;
    recording.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; };
    {
      SoundManager manager(std::move(recording));
      manager.raise("nothing");
    }
    const DecidingOptions read = deciding(options_of(parse_journal(journal, "j")));
    const std::string differs = difference(deciding(options), read);
    CHECK((differs.empty() || name == "offline" || name == "clip_memory"));  // these lead to requests, which are in the journal

    SoundManager other(options);
    CHECK_THAT(other.try_restore(saved, {}), Contains("other options: " + name + ": "));
  }
}

TEST_CASE("options out of their range are told with the range, as a wrong rate is") {
  CHECK_THROWS_WITH(SoundManager({.voices = 0}), "ManagerOptions::voices is 0; it must be from 1 to 4096");
  CHECK_THROWS_WITH(SoundManager({.voices = 100'000}), Contains("voices is 100000"));
  CHECK_THROWS_WITH(SoundManager({.voices = 64, .playbacks = 8}), Contains("playbacks is 8; it must be from 64 to"));
  CHECK_THROWS_WITH(SoundManager({.emitters = 1U << 30U}), Contains("emitters is 1073741824"));
  CHECK_THROWS_WITH(SoundManager({.journal = [](const JournalEntry&) {}, .journal_lines = 3}),
                    Contains("journal_lines is 3; it must be from 256"));
}

TEST_CASE("a journal can be written by hand, with times, and ends when its sounds do") {
  Stage stage(book);
  const auto script = parse_journal(
      "{\"at\": \"0.5 s\", \"request\": \"raise\", \"event\": \"hum\"}\n\n"
      "{\"at\": \"0.75 s\", \"request\": \"gain\", \"playback\": \"1.1\", \"gain\": \"-6 dB\"}\r\n"
      "{\"at\": 48000, \"request\": \"stop\", \"playback\": \"1.1\", \"fade\": \"100 ms\"}\n",
      "j");
  SoundManager manager(options_of(script));
  Take take;
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { take.append(block); });
  CHECK(take.onset() == Approx(0.5).margin(0.005));
  CHECK(take.part(1.11, 1).peak() == 0);
  CHECK(static_cast<double>(take.frames()) / 48000 == Approx(1.12).margin(0.05));
}

TEST_CASE("what is wrong in a journal is told line by line") {
  struct Case {
    std::string line, problem;
  };
  for (const auto& [line, problem] :
       {Case{"not json", "is not a JSON object"},
        Case{"[1]", "is not a JSON object"},
        Case{"{\"at\":0}", "is neither a request"},
        Case{"{\"request\":\"raise\",\"event\":\"a\"}", "needs \"at\""},
        Case{"{\"at\":-5,\"request\":\"raise\",\"event\":\"a\"}", "\"at\" must be a number from 0"},
        Case{"{\"at\":\"5\",\"request\":\"raise\",\"event\":\"a\"}", "lacks a unit"},
        Case{"{\"at\":0,\"request\":\"rise\"}", "did you mean 'raise'?"},
        Case{"{\"at\":0,\"request\":\"raise\"}", "needs \"event\""},
        Case{"{\"at\":0,\"request\":\"stop\",\"playback\":\"1\"}", "names no playback"},
        Case{"{\"at\":0,\"request\":\"mute\",\"group\":\"a\",\"mute\":3}", "true or false"},
        Case{"{\"at\":0,\"request\":\"gain\",\"group\":\"a\",\"gain\":\"-6\"}", "lacks a unit"},
        Case{"{\"at\":9,\"updates\":1000000000,\"every\":1e9}", "longer than 1000 hours"},
        Case{"{\"at\":9,\"updates\":0}", "must be a number from 1"},
        Case{"{\"at\":0,\"request\":\"low-pass\",\"group\":\"a\",\"frequency\":\"800\"}", "lacks a unit"},
        Case{"{\"at\":0,\"request\":\"pan\",\"playback\":\"1.1\",\"pan\":\"left\"}", "no place between the speakers"},
        Case{"{\"at\":1e300,\"request\":\"raise\",\"event\":\"a\"}", "must be a number"},
        Case{"{\"at\":1.5,\"request\":\"raise\",\"event\":\"a\"}",
             "\"at\" is a whole number of frames, or a time in quotes with its unit: \"1.5 s\""},
        Case{"{\"at\":0,\"request\":\"raise\",\"evnt\":\"a\"}", "a request 'raise' has no key \"evnt\"; did you mean 'event'?"},
        Case{"{\"at\":0,\"request\":\"stop-all\",\"over\":\"1 s\"}", "has no key \"over\"; known are at, request, fade"},
        Case{"{\"at\":0,\"request\":\"stop-all\",\"fade\":0.5}",
             "\"fade\" needs quotes and a unit: \"0.5\" lacks a unit; write \"0.5 ms\" or \"0.5 s\""},
        Case{"{\"at\":0,\"request\":\"gain\",\"group\":\"a\",\"gain\":-6}", "write \"-6 dB\""},
        Case{"{\"at\":0,\"request\":\"stop\",\"playback\":\"7.1\"}",
             "no raise before this line has the number 7, so there is no playback 7.1; there were 1"}}) {
    INFO(line);
    const std::string good = "{\"at\":0,\"request\":\"raise\",\"event\":\"a\"}\n";
    CHECK_THROWS_WITH(parse_journal(good + line + "\n", "j"), Contains("j:2: ") && Contains(problem));
  }
  CHECK_THROWS_WITH(parse_journal("{\"at\":0,\"request\":\"stop\",\"playback\":\"1.1\"}", "j"),
                    Contains("j:1: nothing was raised before this line"));
  // A faulty raise is told once, not wherever its sounds are stopped.
  CHECK_THROWS_WITH(parse_journal("{\"at\":0,\"request\":\"raise\"}\n{\"at\":0,\"request\":\"stop\",\"playback\":\"1.1\"}", "j"),
                    !Contains("j:2"));
  CHECK_THROWS_WITH(parse_journal("x\ny\n", "j"), Contains("j:1: ") && Contains("j:2: "));
  CHECK_THROWS_WITH(parse_journal("", "j"), Contains("holds no requests"));
  CHECK_THROWS_WITH(parse_journal("{\"at\":9,\"request\":\"stop-all\"}\n{\"at\":3,\"request\":\"stop-all\"}", "j"),
                    Contains("order of time"));
  CHECK_THROWS_WITH(read_journal("/nowhere/j"), Contains("no such file"));
}

TEST_CASE("what a journal written by hand leaves open is told: a loop that nothing stops, a playback that never was") {
  Stage stage(book);
  const auto script = parse_journal(
      "{\"at\": \"0.1 s\", \"request\": \"raise\", \"event\": \"hum\"}\n{\"at\": \"0.2 s\", \"request\": \"stop\", \"playback\": "
      "\"1.7\"}\n",
      "j");
  std::string notices;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices += notice->why + "\n";
  };
  SoundManager manager(std::move(options));
  Take take;
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { take.append(block); });
  CHECK_THAT(notices, Contains("j:2: there never was a playback 1.7: raise 1 is 'hum', whose responses are 1.1 to 1.1"));
  CHECK_THAT(notices, Contains("1 of the playbacks still went on 10 s after the last request, and were cut off"));
  CHECK(static_cast<double>(take.frames()) / 48000 == Approx(10.3).margin(0.1));
  // It fades: it does not click.
  CHECK(take.part(10.0, 0.1).peak() > 0.08);
  CHECK(take.part(take.seconds() - 0.01, 0.01).peak() < 0.001);
}

TEST_CASE("a journal by hand with updates of its own ends when its sounds do, and says what a line was to be") {
  const Stage stage(book);
  const JournalScript script = parse_journal(
      "{\"at\":0,\"updates\":20,\"every\":800,\"after\":\"all\"}\n{\"at\":0,\"request\":\"load\",\"bank\":\"" +
          std::string(stage.bank->name()) +
          "\"}\n{\"at\":0,\"request\":\"raise\",\"event\":\"hum\"}\n{\"at\":16000,\"request\":\"stop-all\",\"fade\":\"50 ms\"}\n",
      "j");
  std::string notices;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices += notice->why;
  };
  SoundManager manager(std::move(options));
  std::vector<float> samples;
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { samples.insert(samples.end(), block.begin(), block.end()); });
  CHECK(notices == "");
  CHECK(std::any_of(samples.begin(), samples.end(), [](float x) { return std::abs(x) > 0.01F; }));
  CHECK(samples.size() / 2 > 16000 + 2400);
  CHECK(samples.size() / 2 < 16000 + 2 * 2400);
  const auto line = [](const std::string& request) { return "{\"at\":0,\"request\":\"" + request + "\"}"; };
  CHECK_THROWS_WITH(parse_journal(line("update"), "j"), Contains("j:1: updates are no requests") && Contains("\"every\": 800"));
  CHECK_THROWS_WITH(parse_journal(line("stopall"), "j"), Contains("did you mean 'stop-all'?"));
  CHECK_THROWS_WITH(parse_journal(line("xylophone"), "j"),
                    Contains("there is no request 'xylophone'; those there are: load, ") && Contains("stop-all"));
}

TEST_CASE("updates that a journal has behind its last request are made as they were, and no others between them") {
  const Stage stage(book);
  const JournalScript script = parse_journal(
      "{\"at\":0,\"updates\":60,\"every\":800,\"after\":\"all\"}\n{\"at\":0,\"request\":\"load\",\"bank\":\"" +
          std::string(stage.bank->name()) +
          "\"}\n{\"at\":0,\"request\":\"raise\",\"event\":\"hum\"}\n{\"at\":16000,\"request\":\"stop-all\",\"fade\":\"500 ms\"}\n",
      "j");
  ManagerOptions options = options_of(script);
  std::uint64_t made = 0;
  options.journal = [&](const JournalEntry& entry) {
    const auto* updates = entry.as<noted::Updates>();
    if (updates == nullptr) return;
    made += updates->times;
    CHECK(updates->first.value % 800 == 0);
    if (updates->times > 1) CHECK(updates->every.value == 800);
  };
  {
    SoundManager manager(std::move(options));
    replay(script, *stage.bank, manager, [](std::span<const float>) {});
  }
  CHECK(made >= (16000 + 24000) / 800);
}

TEST_CASE("what a manager notes as it ends stands in a replay, too, and no update decides anything there") {
  const std::string shaped =
      "[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n[sounds.shot]\nclips=[\"n-1.wav\"]\nrank=9\n"
      "[events.hum]\nstart=\"hum\"\n[events.shot]\nstart=\"shot\"\n";
  const Stage stage(shaped);
  // Nobody updates once the shot is over: the hum, which lost its voice to it, wakes in neither.
  for (const bool update : {false, true}) {
    std::string live, again;
    {
      SoundManager manager({.voices = 1, .journal = [&](const JournalEntry& entry) { live += to_json(entry) + "\n"; }, .offline = true});
      manager.load(*stage.bank);
      std::vector<float> second(2 * 48000);
      manager.raise("hum");
      manager.update(Seconds{0.1});
      manager.render(std::span(second).first(9600));
      manager.raise("shot");
      manager.update(Seconds{0.1});
      manager.render(second);
      if (update) manager.update(Seconds{1});
    }
    const JournalScript script = parse_journal(live, "live");
    ManagerOptions options = options_of(script);
    options.journal = [&](const JournalEntry& entry) { again += to_json(entry) + "\n"; };
    {
      SoundManager manager(std::move(options));
      replay(script, *stage.bank, manager, [](std::span<const float>) {});
    }
    CHECK(again == live);
    CHECK((live.find("\"ended\":\"2.1\"") != std::string::npos));
    CHECK((live.find("\"woke\":\"1.1\"") != std::string::npos) == update);
  }
}

TEST_CASE("a journal that a crash cut off plays up to there, and says where it ends; nothing that was handed on is lost") {
  const Folder folder;
  Stage stage(book);
  {
    JournalFile file(folder.path("game.jsonl"));
    SoundManager manager({.journal = file.sink(), .offline = true});
    manager.load(*stage.bank);
    std::vector<float> block(2 * 800);
    for (int i = 0; i < 20; ++i) {
      manager.raise("step");
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
    }
    // What a crash would leave: all up to the last update is with the system.
    std::string part;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path()))
      if (entry.path().extension() == ".part") part = entry.path().filename().string();
    const std::string left = folder.read(part);
    CHECK(lines_of(left).back()["at"] == 19 * 800);
    folder.write("crashed.jsonl", left + left.substr(0, 37));
    file.close();
    CHECK(lines_of(folder.read("game.jsonl")).back().contains("at"));
  }
  // The manager ended after its file was closed.
  CHECK(lines_of(folder.read("game.jsonl")).back().contains("end"));
  const JournalScript script = read_journal(folder.path("crashed.jsonl"));
  CHECK(script.requests.size() == 21);
  CHECK(script.breaks_off > 40);
  std::string notices;
  ManagerOptions options = options_of(script);
  options.journal = [&](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) notices += notice->why;
  };
  {
    SoundManager manager(std::move(options));
    replay(script, *stage.bank, manager, [](std::span<const float>) {});
  }
  CHECK_THAT(notices, Contains("crashed.jsonl:" + std::to_string(script.breaks_off) + ": the journal breaks off in this line"));
  // One that was written by hand is told of its mistake.
  CHECK_THROWS_WITH(parse_journal("{\"at\":0,\"request\":\"raise\",\"event\":\"a\"}\n{\"at\":0,", "j"),
                    Contains("j:2: is not a JSON object"));
}

TEST_CASE("what a crash leaves plays as it was heard, with the updates that nobody had noted yet") {
  Stage stage(
      "[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\ngain=\"-20 dB .. -3 dB\"\n[sounds.long]\nclips=[\"long.wav\"]\npitch=\"-9 st .. 0 "
      "st\"\n"
      "[events.hum]\nstart=\"hum\"\n[events.long]\nstart=\"long\"\n");
  std::string text, left;
  std::vector<float> heard;
  {
    SoundManager manager({.voices = 2, .journal = [&](const JournalEntry& entry) { text += to_json(entry) + "\n"; }, .offline = true});
    manager.load(*stage.bank);
    std::vector<Playback> hums;
    std::vector<float> block(2 * 800);
    for (int i = 0; i < 400; ++i) {
      if (i % 37 == 0 && hums.size() < 4) hums.push_back(manager.raise("hum").playback());
      if (i % 133 == 5 || i == 390) manager.raise("long");
      // What was turned down yields in the updates after to what was turned up.
      if (i == 366 || i == 378)
        for (std::size_t hum = 0; hum < 4; ++hum) hums[hum].set_gain(Decibels{(hum < 2) == (i == 366) ? 0.0 : -50.0});
      if (i % 61 == 60) hums[static_cast<std::size_t>(i) % hums.size()].set_gain(Decibels{i % 2 == 0 ? -30.0 : 0.0});
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
      heard.insert(heard.end(), block.begin(), block.end());
    }
    CHECK(text.find("woke") != std::string::npos);
    left = text.substr(0, text.rfind('\n') - 7);
  }
  const JournalScript script = parse_journal(left, "j");
  CHECK(!script.end);
  std::vector<float> again;
  SoundManager manager(options_of(script));
  replay(script, *stage.bank, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  const auto until = 2 * static_cast<std::size_t>(script.requests.back().at.value);
  CHECK(until > std::size_t{2} * 380 * 800);
  REQUIRE(again.size() >= until);
  CHECK(std::equal(heard.begin(), heard.begin() + static_cast<std::ptrdiff_t>(until), again.begin()));
}

namespace {

template <class Value>
bool same_value(const Value& a, const Value& b) {
  return a == b;
}
bool same_value(const Name& a, const Name& b) { return a.text() == b.text() && a.hash() == b.hash(); }
bool same_value(const Target& a, const Target& b) {
  if (a.index() != b.index()) return false;
  return a.index() == 0 ? std::get<0>(a) == std::get<0>(b) : same_value(std::get<1>(a), std::get<1>(b));
}
bool same_value(std::span<const Trait> a, std::span<const Trait> b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](const Trait& x, const Trait& y) { return same_value(x.name, y.name) && same_value(x.value, y.value); });
}

bool same_value(std::span<const GaugeValue> a, std::span<const GaugeValue> b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](const GaugeValue& x, const GaugeValue& y) { return same_value(x.gauge, y.gauge) && x.value == y.value; });
}

/// To the very bit, in all that their description knows.
bool same(const Request& a, const Request& b) {
  if (a.index() != b.index()) return false;
  bool all = true;
  std::visit(
      [&](const auto& its) {
        const auto& other = std::get<std::remove_cvref_t<decltype(its)>>(b);
        each_field(its, [&](const auto& field, const auto& value) { all = all && same_value(value, other.*field.member); });
      },
      a);
  return all;
}

}  // namespace

TEST_CASE("whatever a game asks for is written and read back to the very same value") {
  Stage stage(book);
  std::vector<JournalEntry> asked;
  std::string text;
  Random random(3);
  const auto any = [&] {
    static const std::vector<double> odd = {0, -0.0, 1, -1, 24, 36, 3600, 5e-324, 1.7e308, INFINITY, -INFINITY, NAN, 10, 1e5, 0.1, 1.0 / 3};
    if (random.below(4) == 0) return odd[random.below(static_cast<std::uint32_t>(odd.size()))];
    const double size = std::pow(10, random.between(random.below(8) == 0 ? -300 : -6, random.below(8) == 0 ? 300 : 6));
    return random.below(2) == 0 ? size : -size;
  };
  const std::vector<std::string> names = {
      "",       "step",   "hum", "a \"quoted\" name", "back\\slash", "\xc3\xa4\xe6\xb3\xa2", std::string(3000, 'x'), "tab\tline\n",
      "master", "effects"};
  const auto name = [&]() -> const std::string& { return names[random.below(static_cast<std::uint32_t>(names.size()))]; };
  {
    SoundManager manager({.journal = [&](const JournalEntry& entry) {
      text += to_json(entry) + "\n";
      if (entry.as<noted::Asked>() != nullptr) asked.push_back(entry);
    }});
    manager.load(*stage.bank);
    Playback playback = manager.raise("hum").playback();
    for (int i = 0; i < times(5000, 600); ++i) {
      switch (random.below(11)) {
        case 0: playback.set_gain(Decibels{any()}, Seconds{any()}); break;
        case 1: playback.bend(Semitones{any()}, Seconds{any()}); break;
        case 2: playback.set_pan(Pan{any()}, Seconds{any()}); break;
        case 3: playback.set_low_pass(Hertz{any()}, Seconds{any()}); break;
        case 4: manager.set_gain(Name(name()), Decibels{any()}, Seconds{any()}); break;
        case 5: manager.set_high_pass(Name(name()), Hertz{any()}, Seconds{any()}); break;
        case 6: manager.set_mute(Name(name()), random.below(2) == 0); break;
        case 7: manager.stop_all(Seconds{any()}); break;
        case 8: playback.stop(Seconds{any()}); break;
        case 9: manager.set_gauge(Name(name()), any()); break;
        default: {
          const std::vector<Trait> traits = {{Name(name()), Name(name())}};
          manager.raise(Name(name()), std::span<const Trait>(traits), Emitter{random.bits() >> random.below(64)});
        }
      }
      if (i % 50 == 0) manager.update(Seconds{0.01});
    }
  }
  const JournalScript script = parse_journal(text, "j");
  REQUIRE(script.requests.size() == asked.size());
  REQUIRE(asked.size() > static_cast<std::size_t>(times(3000, 360)));
  for (std::size_t i = 0; i < asked.size(); ++i) {
    INFO(to_json(asked[i]));
    REQUIRE(asked[i].at == script.requests[i].at);
    REQUIRE(same(asked[i].as<noted::Asked>()->request, script.requests[i].asked.request));
  }
}
