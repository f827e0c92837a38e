#include <catch2/catch.hpp>
#include <fstream>
#include <map>
#include <regex>
#include <set>
#include <sstream>

#include "bank/bank_data.hpp"
#include "bank_tables.hpp"
#include "book_tables.hpp"
#include "osc_table.hpp"
#include "process.hpp"
#include "request/described.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

std::string document(const std::string& name) {
  std::ifstream in(PROJECT_FOLDER "/" + name);
  std::ostringstream text;
  text << in.rdbuf();
  REQUIRE(!text.str().empty());
  return text.str();
}

std::vector<std::string> blocks(const std::string& text, const std::string& language) {
  std::vector<std::string> found;
  const std::string opening = "```" + language + "\n";
  for (auto at = text.find(opening); at != std::string::npos; at = text.find(opening, at + 1))
    found.push_back(text.substr(at + opening.size(), text.find("```", at + opening.size()) - at - opening.size()));
  return found;
}

}  // namespace

TEST_CASE("docs/book.md has every key and every kind of advice as the code describes them, and no other; scripts/book-tables writes it") {
  const std::string text = document("docs/book.md");
  CHECK(text == with_tables(text));
  CHECK(book_keys().size() >= 83);
}

TEST_CASE("what holds where a key is missing is what its description says") {
  Folder folder;
  write_stage_clips(folder);
  const auto parsed = [&](const std::string& group, const std::string& gauge, const std::string& sound, const std::string& layer,
                          const std::string& event) {
    ReadBook read = parse_book(book_head + "[groups.x]\n" + group + "[gauges.x]\n" + gauge + "[sounds.engine]\nclips=[\"hum.wav\"]\n" +
                                   sound + "[sounds.layered]\n[[sounds.layered.layers]]\nclips=[\"hum.wav\"]\n" + layer +
                                   "[events.x]\nstart=\"engine\"\n" + event,
                               folder.path("book.toml"));
    for (const auto& problem : read.problems) FAIL_CHECK(to_text(problem));
    return read.book;
  };
  const Book plain = parsed("", "", "", "", "");
  int compared = 0;
  for (const BookKey& key : book_keys()) {
    const bool value = !key.standard.empty() && (key.standard.front() == '"' || key.standard == "false" || key.standard == "5");
    if (!value || key.section == "book" || key.section == "sketch" || key.section == "responses" || key.section == "follow") continue;
    const std::string line = std::string(key.key) + " = " + std::string(key.standard) + "\n";
    // Beside what it goes with.
    const bool in_loop = key.key.starts_with("loop-");
    const std::string beside = in_loop ? "loop = true\n" : key.key == "when-full" ? "limit = 3\n" : "";
    const auto of = [&](std::string_view section, bool with) {
      return key.section == section ? beside + (with ? line : "") : std::string();
    };
    const Book without = parsed(of("groups", false), of("gauges", false), of("sounds", false), of("layers", false), of("events", false));
    const Book with = parsed(of("groups", true), of("gauges", true), of("sounds", true), of("layers", true), of("events", true));
    INFO(line);
    CHECK(static_cast<const GroupDesign&>(with.groups.at(1)) == without.groups.at(1));
    CHECK(with.groups.at(1).parent == without.groups.at(1).parent);
    CHECK(static_cast<const GaugeDesign&>(with.gauges.at(0)) == without.gauges.at(0));
    for (std::size_t s = 0; s < 2; ++s) {
      CHECK(static_cast<const SoundDesign&>(with.sounds.at(s)) == without.sounds.at(s));
      CHECK(with.sounds.at(s).group == without.sounds.at(s).group);
      CHECK(static_cast<const LayerDesign&>(with.sounds.at(s).layers.at(0)) == without.sounds.at(s).layers.at(0));
      CHECK(with.sounds.at(s).layers.at(0).loop == without.sounds.at(s).layers.at(0).loop);
    }
    CHECK(static_cast<const ResponseDesign&>(with.events.at(0).responses.at(0)) == without.events.at(0).responses.at(0));
    ++compared;
  }
  CHECK(compared > 25);
}

namespace {

/// The keys that must be there, but for one.
std::string others_of(std::string_view key, const std::vector<std::pair<std::string, std::string>>& needed) {
  std::string text;
  for (const auto& [name, value] : needed)
    if (name != key) text += name + " = " + value + "\n";
  return text;
}

/// What else a sound needs beside a key.
std::string clips_for(std::string_view key) {
  std::string text = key == "clips" || key == "layers" || key == "sketch" ? "" : "clips = [\"tone.wav\"]\n";
  if (key == "loop-between" || key == "loop-crossfade") text += "loop = true\n";
  if (key == "when-full") text += "limit = 3\n";
  static const std::set<std::string_view> of_the_world = {"near", "far",     "radius", "distance", "rolloff",
                                                          "cone", "doppler", "air",    "when-gone"};
  if (of_the_world.contains(key)) text += "place = \"world\"\n";
  return text;
}

}  // namespace

TEST_CASE("docs/journal.md has every request with the very keys of its description") {
  const std::string text = document("docs/journal.md");
  const auto table = text.substr(text.find("| request | further keys |"));
  std::map<std::string, std::set<std::string>> written;
  std::istringstream lines(table.substr(0, table.find("\n\n")));
  const auto quoted = [](const std::string& cell) {
    std::vector<std::string> words;
    static const std::regex word("`([^`]+)`");
    for (std::sregex_iterator it(cell.begin(), cell.end(), word), end; it != end; ++it) words.push_back((*it)[1]);
    return words;
  };
  for (std::string line; std::getline(lines, line);) {
    const auto middle = line.find(" | ");
    const auto keys = quoted(line.substr(middle));
    for (const auto& name : quoted(line.substr(0, middle))) written[name] = {keys.begin(), keys.end()};
  }
  std::map<std::string, std::set<std::string>> described;
  each_kind([&](const auto& kind) {
    auto& keys = described[std::string(name_of(kind))];
    each_field(kind, [&](const auto& field, const auto& value) {
      if (std::is_same_v<decltype(value), const Target&>)
        keys.insert({"playback", "group"});
      else
        keys.insert(field.key);
    });
  });
  CHECK(described.size() >= 12);
  CHECK(written == described);
}

namespace {

/// Whether a bank from a file has all that the book says.
void check_packed(const Bank& compiled, const Folder& folder) {
  write_bank(compiled, folder.path("packed.tidebank"));
  const Bank opened = open_bank(folder.path("packed.tidebank"));
  const BankData &before = data_of(compiled), &after = data_of(opened);
  REQUIRE(after.groups.size() == before.groups.size());
  for (std::size_t g = 0; g < before.groups.size(); ++g) {
    CHECK(static_cast<const GroupDesign&>(after.groups[g]) == before.groups[g]);
    CHECK(after.groups[g].parent == before.groups[g].parent);
  }
  REQUIRE(after.sounds.size() == before.sounds.size());
  for (std::size_t s = 0; s < before.sounds.size(); ++s) {
    const BankSound &one = before.sounds[s], &other = after.sounds[s];
    CHECK(static_cast<const SoundDesign&>(other) == one);
    CHECK(other.group == one.group);
    CHECK(other.scope == one.scope);
    REQUIRE(other.track.size() == one.track.size());
    if (!one.track.empty()) CHECK(static_cast<const TrackDesign&>(other.track.front()) == one.track.front());
    REQUIRE(other.layers.size() == one.layers.size());
    for (std::size_t l = 0; l < one.layers.size(); ++l) {
      CHECK(static_cast<const LayerDesign&>(other.layers[l]) == one.layers[l]);
      CHECK(other.layers[l].loop == one.layers[l].loop);
      CHECK(other.layers[l].by == one.layers[l].by);
      REQUIRE(other.layers[l].choices.size() == one.layers[l].choices.size());
    }
  }
  REQUIRE(after.clips.size() == before.clips.size());
  for (std::size_t c = 0; c < before.clips.size(); ++c) CHECK(after.clips[c].preload == before.clips[c].preload);
  REQUIRE(after.events.size() == before.events.size());
  for (std::size_t e = 0; e < before.events.size(); ++e)
    for (std::size_t r = 0; r < before.events[e].responses.size(); ++r) {
      const BankResponse &one = before.events[e].responses[r], &other = after.events[e].responses.at(r);
      CHECK(static_cast<const ResponseDesign&>(other) == one);
      CHECK(other.target == one.target);
      CHECK(other.name == one.name);
      CHECK(std::equal(one.when.begin(), one.when.end(), other.when.begin(), other.when.end(),
                       [](const BankCondition& a, const BankCondition& b) { return a.trait == b.trait && a.value == b.value; }));
    }
}

/// Tracks that examples name.
const std::string named_tracks = R"(
[groups.music]
[gauges.danger]
[tracks.storm]
clips = ["drums.ogg"]
[tracks.calm]
clips = ["drums.ogg"]
loop = false
[tracks.drift]
clips = ["drums.ogg"]
loop = false
[tracks.dusk]
clips = ["drums.ogg"]
loop = false
[tracks.rising]
clips = ["drums.ogg"]
loop = false
[tracks.last-bars]
clips = ["drums.ogg"]
loop = false
)";

/// Returns an event whose response has the key and the other keys that it needs.
std::string response_with(const BookKey& key) {
  static const std::map<std::string_view, std::vector<std::string_view>> needed = {{"fade", {"to = \"-6 dB\""}},
                                                                                   {"gauge", {"to = 0.5"}},
                                                                                   {"level", {"to = \"-6 dB\""}},
                                                                                   {"to", {"fade = \"engine\""}},
                                                                                   {"over", {"level = \"music\"", "to = \"-6 dB\""}},
                                                                                   {"gain", {"raise = \"gulls.flew\""}},
                                                                                   {"for", {"stop = \"engine\""}},
                                                                                   {"delay", {"start = \"gangway\""}},
                                                                                   {"on", {"start = \"gangway\""}},
                                                                                   {"chance", {"start = \"gangway\""}},
                                                                                   {"when", {"start = \"gangway\""}}};
  std::vector<std::string> keys = {std::string(key.key) + " = " + std::string(key.example)};
  if (const auto more = needed.find(key.key); more != needed.end()) keys.insert(keys.begin(), more->second.begin(), more->second.end());
  const bool music = key.key == "play" || key.key == "leave";
  const std::string others =
      (music ? named_tracks : std::string("[groups.music]\n[moods.below-deck]\ngroups = { music = { gain = \"-6 dB\" } }\n")) +
      "[events.\"gulls.flew\"]\nstart=\"engine\"\n[events.\"ferry.docked\"]\nstart=\"engine\"\n";
  if (key.section == "events") return others + fmt::format("[events.x]\n{}\n", fmt::join(keys, "\n"));
  return others + fmt::format("[events.x]\nresponses = [ {{ {} }} ]\n", fmt::join(keys, ", "));
}

/// A track with the key, and what else it needs.
std::string track_with(const BookKey& key) {
  const std::string line = std::string(key.key) + " = " + std::string(key.example) + "\n";
  if (key.section == "stems") {
    const bool has_clip = key.key == "clips" || key.key == "sketch";
    return named_tracks + "[[tracks.x.stems]]\n" + (has_clip ? "" : "clips = [\"drums.ogg\"]\n") + line;
  }
  std::string text = named_tracks + "[tracks.x]\n";
  static const std::set<std::string_view> without_clips = {"clips", "stems", "sketch", "list", "pause"};
  if (!without_clips.contains(key.key) || key.section != "tracks") text += "clips = [\"estuary.ogg\"]\n";
  if (key.section == "parts") return text + "tempo = \"600 bpm\"\n[[tracks.x.parts]]\n" + others_of(key.key, {{"bars", "2"}}) + line;
  if (key.section == "from") return text + "[tracks.x.from.calm]\n" + line;
  static const std::set<std::string_view> timed = {"tempo", "metre", "first-beat", "parts", "over", "stop-after", "fade-in", "fade-out"};
  if (timed.contains(key.key)) text += others_of(key.key, {{"tempo", "\"600 bpm\""}, {"parts", "[ { bars = 1, loop = true } ]"}});
  if (key.key == "pause") text += "list = [\"calm\"]\n";
  return text + line;
}

}  // namespace

TEST_CASE("every example of a key is taken by the parser, and is in the bank that is packed") {
  Folder folder;
  write_stage_clips(folder);
  folder.write_clip("clips/gangway-1.wav", sine(300, 0.1));
  for (const auto* name : {"estuary", "drums"}) folder.write_clip(std::string("clips/") + name + ".ogg", sine(300, 4));
  for (const auto* name : {"gangway-1", "low", "low-1", "high"}) folder.write_clip(std::string("clips/") + name + ".flac", sine(300, 0.1));
  const std::string others =
      "[groups.effects]\n[gauges.throttle]\n[scopes.world]\n[sounds.engine]\nclips=[\"hum.wav\"]\nloop=true\n[sounds.gangway]\nclips=["
      "\"tone.wav\"]\n";
  for (const BookKey& key : book_keys()) {
    const std::string line = std::string(key.key) + " = " + std::string(key.example) + "\n";
    std::string text = book_head + others;
    if (key.section == "book")
      text = std::string("[book]\n") + (key.key == "name" ? "" : "name = \"a\"\n") + line +
             (key.key == "speech"      ? "languages = [\"en\"]\n"
              : key.key == "languages" ? "speech = \"speech\"\n"
                                       : "") +
             others;
    else if (key.section == "groups")
      text += std::string("[groups.voices]\n[groups.x]\n") + (key.key == "when-full" ? "limit = 2\n" : "") + line;
    else if (key.section == "duck")
      text += "[groups.voices]\n[[groups.x.duck]]\n" + others_of(key.key, {{"for", "\"voices\""}, {"by", "\"-6 dB\""}}) + line;
    else if (key.section == "moods")
      text += "[groups.music]\n[moods.x]\n" + others_of(key.key, {{"groups", "{ music = { gain = \"-6 dB\" } }"}}) + line;
    else if (key.section == "moods.groups")
      text += "[groups.music]\n[moods.x.groups.music]\n" + line;
    else if (key.section == "sounds")
      text += std::string("[sounds.x]\n") + clips_for(key.key) + line;
    else if (key.section == "layers")
      text += std::string("[[sounds.x.layers]]\n") + clips_for(key.key) + line;
    else if (key.section == "tracks" || key.section == "stems" || key.section == "parts" || key.section == "from")
      text += track_with(key);
    else if (key.section == "scopes")
      text += "[groups.music]\n[moods.below-deck]\ngroups = { music = { gain = \"-6 dB\" } }\n[scopes.x]\n" + line;
    else if (key.section == "traits")
      text += "[traits.x]\n" + line;
    else if (key.section == "gauges")
      text += "[gauges.x]\n" + line;
    else if (key.section == "follow")
      text +=
          (key.key == "on"
               ? "[[tracks.x.stems]]\nclips = [\"tone.wav\"]\n[[tracks.x.stems.follow]]\ngain = [[0, \"silent\"], [1, \"0 dB\"]]\n"
               : "[sounds.x]\nclips = [\"tone.wav\"]\ncadence = \"1 s\"\n[[sounds.x.follow]]\n") +
          others_of(key.key, {{"gauge", "\"throttle\""},
                              {key.key == "on" ? "between" : "pitch", key.key == "on" ? "\"linear\"" : "[[0, \"0 st\"], [1, \"2 st\"]]"}}) +
          line;
    else if (key.section == "sketch")
      text += "[sounds.x.sketch]\n" + line;
    else if (key.section == "banks")
      text += "[events.\"ferry.docked\"]\nstart=\"engine\"\n[events.\"rain.began\"]\nstart=\"engine\"\n[banks.x]\n" + line +
              (key.key == "needs" ? "events = [\"rain.began\"]\n[banks.common]\nclips = [\"hum.wav\"]\n" : "");
    else if (key.section == "targets" || key.section == "targets.groups")
      text = "[book]\nname = \"a\"\nspeech = \"speech\"\nlanguages = [\"en\", \"de\"]\n" + others + "[groups.music]\n[targets.x" +
             (key.section == "targets" ? "" : ".groups.music") + "]\n" + line;
    else if (key.section == "credits")
      text += "[[credits]]\n" + others_of(key.key, {{"clips", "[\"*\"]"}, {"licence", "\"MIT\""}}) + line;
    else if (key.section == "accepted")
      text += "[[accepted]]\n" + others_of(key.key, {{"advice", "\"offset\""}, {"reason", "\"so\""}}) + line;
    else
      text += response_with(key);
    INFO(text);
    const ReadBook read = parse_book(text, folder.path("book.toml"));
    for (const auto& problem : read.problems) FAIL_CHECK(to_text(problem));
    if (key.section == "book" || key.key == "loop-between") continue;  // some clips that these need are not here
    check_packed(compile(read.book), folder);
  }
}

TEST_CASE("the README's first program plays its first book, as both are shown") {
  const Folder folder;
  const std::string readme = document("README.md");
  const auto books = blocks(readme, "toml");
  REQUIRE(books.size() == 1);
  folder.write("book.toml", books[0]);
  for (int i = 1; i <= 3; ++i) folder.write_clip("clips/gangway-" + std::to_string(i) + ".wav", sine(200 * i, 0.3, 1, 0.5));
  const Ran ran = run(folder, "cd " + folder.path() + " && " README_PROGRAM);
  INFO(ran.err);
  CHECK(ran.exit == 0);
  CHECK(std::filesystem::exists(folder.path("first.wav")));
}

TEST_CASE("the programs of the first hour and of the life of a manager go on without a sound card") {
  const Folder folder;
  const auto books = blocks(document("docs/first-hour.md"), "toml");
  REQUIRE(!books.empty());
  folder.write("book.toml", books[0]);
  folder.write_clip("clips/gangway-1.flac", sine(200, 0.3, 1, 0.5));
  folder.write_clip("clips/engine.ogg", sine(100, 0.5, 1, 0.5));
  const auto journal_of = [&](const std::string& program, const std::string& journal) {
    const Ran ran = run(folder, "cd " + folder.path() + " && SDL_AUDIODRIVER=no-such-system " + program);
    INFO(ran.err);
    CHECK(ran.exit == 0);
    return folder.read(journal);
  };
  CHECK_THAT(journal_of(FIRST_HOUR_PROGRAM, "game.journal.jsonl"), Contains("Sounds go on unheard until there is one") &&
                                                                       Contains("\"clip\":\"engine.ogg\"") &&
                                                                       Contains("\"clip\":\"gangway-1.flac\"") && Contains("\"ended\""));
  CHECK_THAT(journal_of(MANAGER_PROGRAM, "session.journal.jsonl"), Contains("\"request\":\"unload\"") && Contains("\"end\":true"));
}

TEST_CASE("the first hour's game ships the bank of its book") {
  const Folder folder;
  folder.write("book.toml", blocks(document("docs/first-hour.md"), "toml")[0]);
  folder.write_clip("clips/gangway-1.flac", sine(200, 0.3, 1, 0.5));
  folder.write_clip("clips/engine.ogg", sine(100, 0.5, 1, 0.5));
  const std::string here = "cd " + folder.path() + " && ";
  const Ran unpacked = run(folder, here + SHIP_PROGRAM);
  CHECK(unpacked.exit != 0);
  CHECK_THAT(unpacked.err, Contains("banks/quay.tidebank: there is no such file"));
  const Ran packed = run(folder, here + BUILD_FOLDER "/tidewater pack book.toml --output banks");
  INFO(packed.err);
  CHECK_THAT(packed.out, Contains("  packed  banks/quay.tidebank"));
  CHECK(run(folder, here + SHIP_PROGRAM).exit == 0);
}

TEST_CASE("every book shown in the documents is good TOML with known keys") {
  Folder folder;
  write_stage_clips(folder);
  for (const std::string name : {"docs/book.md", "docs/first-hour.md"})
    for (const auto& block : blocks(document(name), "toml")) {
      const std::string text = block.find("[book]") == std::string::npos ? book_head + block : block;
      for (const auto& problem : parse_book(text, folder.path("book.toml")).problems) {
        INFO(name << "\n" << text);
        CHECK_THAT(problem.message, Contains("there is no") || Contains("no file fits") || Contains("is not a group"));
      }
    }
}

TEST_CASE("docs/bank-format.md has every field of every record, where it lies and how it is stored") {
  const std::string text = document("docs/bank-format.md");
  CHECK(with_record_tables(text) == text);
}

TEST_CASE("docs/osc.md has the addresses that the desk knows") {
  const std::string text = document("docs/osc.md");
  CHECK(with_osc_table(text) == text);
  CHECK_THAT(text, Catch::Matchers::Contains("/tidewater/group/NAME/gain` |"));
}

TEST_CASE("links between the documents lead somewhere") {
  const std::regex link(R"(\]\(([^)#:]+)\))");
  for (const std::string name : {"README.md", "CONTRIBUTING.md", "docs/first-hour.md", "docs/book.md", "docs/journal.md", "docs/manager.md",
                                 "docs/bank-format.md", "docs/performance.md", "docs/desk.md", "docs/osc.md"}) {
    const std::string text = document(name);
    const auto folder = std::filesystem::path(PROJECT_FOLDER "/" + name).parent_path();
    for (std::sregex_iterator it(text.begin(), text.end(), link), end; it != end; ++it) {
      INFO(name << ": " << (*it)[1]);
      CHECK(std::filesystem::exists(folder / (*it)[1].str()));
    }
  }
}
