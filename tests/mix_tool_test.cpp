/// `tidewater balance` and `tidewater compare`, on a session that a manager has recorded.

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "process.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"([groups.effects]
gain = "-6 dB"
[groups.voices]
player = true
# The bell is heard from afar.
[sounds.bell]
group = "effects"
clips = ["tone.wav"]
gain  = "-30 dB"   # too low
[sounds.hum]
group = "effects"
clips = ["long.wav"]
[sounds.talk]
group = "voices"
clips = ["n-5.wav"]
[events.rang]
start = "bell"
[events.hummed]
start = "hum"
[events.talked]
start = "talk"
)";

/// A folder with the clips, "book.toml" and "day.jsonl".
void record(const Folder& folder) {
  write_stage_clips(folder);
  folder.write("book.toml", book_head + book);
  JournalFile journal(folder.path("day.jsonl"));
  SoundManager manager({.journal = journal.sink(), .offline = true});
  manager.load(compile_book(folder.path("book.toml")));
  std::vector<float> block(2 * 4800);
  for (const char* event : {"rang", "hummed", "talked", "rang", "", "", "talked", "", "", "", "", ""}) {
    if (*event != '\0') manager.raise(event);
    manager.update(Seconds{0.1});
    manager.render(block);
  }
}

std::string changed(const std::string& from, const std::string& to) {
  std::string text = book_head + book;
  text.replace(text.find(from), from.size(), to);
  return text;
}

}  // namespace

TEST_CASE("balance prints figures, and applies the gains it proposes as the smallest edit") {
  const Folder folder;
  record(folder);
  const auto balance = [&](const std::string& more) {
    return run(folder, "cd " + folder.path() + " && " BUILD_FOLDER "/tidewater balance book.toml day.jsonl " + more);
  };
  const Ran plain = balance("--target \"-23 LUFS\"");
  INFO(plain.out << plain.err);
  CHECK(plain.exit == 0);
  CHECK_THAT(plain.out, Contains("target     -23 LUFS: the mix is"));
  CHECK_THAT(plain.out, Contains("stands out: gain +"));
  CHECK_THAT(plain.out, Contains("speech: 'voices' spoke for"));
  CHECK_THAT(plain.out, Contains("1 sound stands out; --apply changes its gain in the book"));
  const auto json = nlohmann::json::parse(balance("--json").out);
  CHECK(json["sounds"].size() == 3);
  CHECK(json["groups"].size() == 3);
  CHECK_THAT(balance("--speech nobody").out, Contains("no group 'nobody' was heard"));
  CHECK(balance("--target loud").exit == 2);

  const std::string before = folder.read("book.toml");
  const Ran applied = balance("--apply");
  CHECK(applied.exit == 0);
  CHECK_THAT(applied.out, Contains("book.toml:11: sounds.bell.gain: \"-30 dB\" -> \"-"));
  const std::string after = folder.read("book.toml");
  const std::size_t at = before.find("\"-30 dB\""), end = after.find("   # too low");
  CHECK(after.substr(0, at) == before.substr(0, at));
  CHECK(after.substr(end) == before.substr(before.find("   # too low")));
}

TEST_CASE("a journal in words says of each request whom it is about, and what is asked") {
  const Folder folder;
  const std::vector<std::pair<std::string, std::vector<std::string>>> lines = {
      {R"("mood", "mood": "dim", "on": false)", {"mood", "dim", "off"}},
      {R"("player-level", "group": "music", "level": 0.25)", {"player-level", "music", "0.25 of its loudness"}},
      {R"("player-switch", "group": "music", "on": true)", {"player-switch", "music", "on"}},
      {R"("scope-pause", "scope": "world")", {"scope-pause", "world"}},
      {R"("scope-time", "scope": "world", "scale": 0.5, "time": "300 ms")", {"scope-time", "world", "0.5 times its speed", "over"}},
      {R"("play", "track": "storm")", {"play", "storm"}},
      {R"("leave", "stand": "main", "on": "bar", "fade": "2 s")", {"leave", "main", "on the bar", "over 2"}}};
  for (const auto& [request, words] : lines) {
    folder.write("j.jsonl", "{\"at\": \"1 s\", \"request\": " + request + "}\n");
    const Ran ran = run(folder, BUILD_FOLDER "/tidewater journal " + folder.path("j.jsonl"));
    INFO(ran.out << ran.err);
    for (const std::string& word : words) CHECK_THAT(ran.out, Contains(word));
  }
}

TEST_CASE("compare says what has changed by words, JSON, picture and exit status") {
  const Folder folder;
  record(folder);
  const auto compare = [&](const std::string& more) {
    return run(folder, "cd " + folder.path() + " && " BUILD_FOLDER "/tidewater compare " + more);
  };
  const Ran same = compare("book.toml book.toml day.jsonl");
  CHECK(same.exit == 0);
  CHECK_THAT(same.out, Contains("the same, bit for bit: 1.2 s"));

  folder.write("other.toml", changed("gain = \"-6 dB\"", "gain = \"-5.5 dB\""));
  const Ran louder = compare("book.toml other.toml day.jsonl --picture out/both.png");
  INFO(louder.out << louder.err);
  CHECK(louder.exit == 1);
  CHECK_THAT(louder.out, Contains("effects  +0.50 dB"));
  CHECK_THAT(louder.out, !Contains("bell"));
  CHECK_THAT(louder.out, Contains("beyond the tolerance"));
  CHECK(folder.read("out/both.png").size() > 10'000);
  CHECK(compare("book.toml other.toml day.jsonl --tolerance \"0.6 LU\"").exit == 0);
  const auto json = nlohmann::json::parse(compare("book.toml other.toml day.jsonl --json").out);
  CHECK(json["same"] == false);
  CHECK(json["groups"][0]["name"] == "effects");

  CHECK(compare("book.toml book.toml").exit == 2);
  CHECK(compare("book.toml none.toml day.jsonl").exit == 2);
  CHECK_THAT(compare("book.toml none.toml day.jsonl").err, Contains("none.toml: there is no such file"));
  CHECK(compare("book.toml book.toml book.toml").exit == 2);
  CHECK(compare("book.toml book.toml day.jsonl --tolerance loud").exit == 2);
  CHECK(compare("clips/tone.wav clips/tone.wav").exit == 0);
  CHECK(compare("clips/tone.wav clips/quiet.wav").exit == 1);
  CHECK_THAT(compare("clips/tone.wav clips/quiet.wav").out, Contains("-14.00 LU") || Contains("-20.00 LU"));
}
