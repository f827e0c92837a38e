#include <catch2/catch.hpp>

#include "author/folder/pattern.hpp"
#include "stage.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

struct BookFolder : Folder {
  BookFolder() { write_stage_clips(*this); }

  ReadBook parse(const std::string& text) const { return parse_book(text, path("book.toml")); }
  /// Every problem as "line:column: message".
  std::vector<std::string> problems(const std::string& text) const {
    std::vector<std::string> out;
    for (const auto& p : parse(text).problems)
      out.push_back(std::to_string(p.place.line) + ":" + std::to_string(p.place.column) + ": " + p.message);
    return out;
  }
};

}  // namespace

TEST_CASE("a book is read with all that it says") {
  const BookFolder folder;
  const auto read = folder.parse(R"([book]
name = "quay"

[groups.effects]
gain = "-3 dB"
[groups.steps]
parent = "effects"
mute = true

[sounds.steps]
group = "steps"
clips = ["n-*.wav", "tone.wav"]
pick = "in-order"
pitch = "-1 .. 1 st"
gain = "-9 dB .. -6 dB"
fade-out = "1.2 s"

[sounds.hum]
clips = ["hum.wav"]
loop = true
fade-in = "400 ms"

[events."walk.began"]
responses = [ { stop = "hum", fade = "2 s" }, { start = "steps", delay = "300 ms" }, { stop = "steps" } ]
[events.hummed]
start = "hum"
)");
  REQUIRE(read.problems.empty());
  const Book& book = read.book;
  CHECK(book.name == "quay");
  REQUIRE(book.groups.size() == 3);
  CHECK(book.groups[0].name == "master");
  CHECK(book.groups[2].parent == "effects");
  CHECK(book.groups[2].muted);
  REQUIRE(book.sounds.size() == 2);
  const BookSound& steps = book.sounds[0].name == "steps" ? book.sounds[0] : book.sounds[1];
  CHECK(steps.layers[0].choices[0].clips.size() == 6);
  CHECK(steps.layers[0].choices[0].clips[1].path == "n-2.wav");
  CHECK(steps.layers[0].pick == Pick::in_order);
  CHECK(steps.gain == Range<Decibels>{{-9}, {-6}});
  const BookEvent& walk = book.events[0].name == "walk.began" ? book.events[0] : book.events[1];
  REQUIRE(walk.responses.size() == 3);
  CHECK(walk.responses[0].time == Seconds{2});
  CHECK(walk.responses[1].delay.low.value == Approx(0.3));
  CHECK(walk.responses[2].time.value == Approx(1.2));
}

TEST_CASE("every problem of a book is reported in one run, with its place and the nearest right name") {
  const BookFolder folder;
  const auto problems = folder.problems(R"([book]
name = "quay"
colour = "blue"

[groups.effects]
gain = -3

[sounds.bell]
group = "efects"
clips = ["Tone.wav", "x-*.wav"]
picks = "random"
pitch = "2 st .. -2 st"
fade-in = "-60 ms"
loop = "yes"
limit = 0
spacing = "60"
retrigger = "again"

[events.rung]
start = "bel"
)");
  const std::vector<std::string> expected = {
      "3:1: [book] has no key 'colour'; known are name, clips",
      "6:8: gain: \"-3\" lacks a unit; write \"-3 dB\"",
      "9:9: there is no group 'efects'; did you mean 'effects'?",
      "10:10: there is no clip 'Tone.wav'; did you mean 'tone.wav'?",
      "10:22: no file fits 'x-*.wav'",
      "11:1: sound 'bell' has no key 'picks'; did you mean 'pick'?",
      "12:9: pitch: the range \"2 st .. -2 st\" is the wrong way round",
      "13:11: fade-in: the time \"-60 ms\" is negative",
      "14:8: 'loop' must be true or false",
      "15:9: 'limit' must be a whole number from 1 to 4096",
      "16:11: spacing: ",
      "17:13: 'again' is no retrigger; write \"overlap\", \"restart\" or \"ignore\"",
      "20:9: there is no sound 'bel'; did you mean 'bell'?",
  };
  REQUIRE(problems.size() == expected.size());
  for (std::size_t i = 0; i < expected.size(); ++i) CHECK_THAT(problems[i], Contains(expected[i]));
}

TEST_CASE("several errors of syntax are found in one run, together with what is wrong elsewhere") {
  const BookFolder folder;
  const auto problems =
      folder.problems("[book]\nname = \"quay\nclips = clips\n\n[sounds.bell]\nclips = [\"tone.wav\"]\ngain = -3\n[sounds.x\nloop = 7\n");
  REQUIRE(problems.size() >= 4);
  CHECK_THAT(problems[0], Contains("2:") && Contains("a quote is missing"));
  CHECK_THAT(problems[1], Contains("3:") && Contains("'clips' needs quotes: clips = \"clips\""));
  CHECK_THAT(problems[2], Contains("7:8: gain"));
  CHECK_THAT(problems[3], Contains("8:") && Contains("the table's head is not closed: add ]"));
}

TEST_CASE("what people write in place of the book's own words is answered with the right ones") {
  const BookFolder folder;
  const std::string sound = "[sounds.a]\nclips = [\"tone.wav\"]\n", event = "[events.e]\nstart = \"a\"\n";
  const std::vector<std::pair<std::string, std::string>> mistakes = {
      {sound + "[events.b.d]\nstart = \"a\"\n", "5:11: a name with a dot needs quotes: [events.\"b.d\"]"},
      {"[sounds.a]\nclips = [\"tone.wav]\n", "4:20: a quote is missing"},
      {"[sounds.a]\nclips = [tone.wav]\n", "4:11: text in a list needs quotes: clips = [\"tone.wav\"]"},
      {sound + "gain = -3 dB\n", "'-3 dB' needs quotes: gain = \"-3 dB\""},
      {sound + "loop = yes\n", "5:8: write loop = true"},
      {sound + "gain = # later\n", "a value is missing after 'gain ='"},
      {sound + "gain =\n", "a value is missing after 'gain ='"},
      {sound + "group: \"x\"\n", "an equals sign is missing: write group = ..."},
      {"[sounds.my sound]\nclips = [\"tone.wav\"]\n", "the name 'my sound' needs quotes: [sounds.\"my sound\"]"},
      {"[sounds.a]\nclips = [\xe2\x80\x9ctone.wav\xe2\x80\x9d]\n", "these are typographic quotes; write straight ones"},
      {"[sounds.a]\nclips = [\"steps\\one.wav\"]\n", "a backslash in quotes begins an escape; paths take slashes"},
      {"[sounds.a]\nclips = [\"tone.wav\"\ngain = \"0 dB\"\n", "4:20: the list that begins here is not closed: add ]"},
      {sound + "[sounds.a]\ngain = \"0 dB\"\n", "5:1: [sounds.a] is there already in line 3"},
      {sound + "gain = \"0 dB\"\ngain = \"1 dB\"\n", "'gain' is given twice, here and in line 5; keep one"},
      {sound + event + "[sounds.b]\nfile = \"tone.wav\"\n", "8:1: sound 'b' has no key 'file'; it is called 'clips' here"},
      {sound + event + "volume = \"-3 dB\"\n", "7:1: event 'e' has no key 'volume'; "},
      {sound + "volume = \"-3 dB\"\n", "5:1: sound 'a' has no key 'volume'; it is called 'gain' here"},
      {sound + "[events.e]\nplay = \"a\"\n", "6:8: 'a' is a sound: { start = \"a\" } starts it"},
      {sound + "level = \"-20 LUFS\"\n", "5:1: sound 'a' has no key 'level'; it goes into [book] or [groups.NAME]"},
      {sound + "frobnicate = 3\n", "5:1: sound 'a' has no key 'frobnicate'; docs/book.md lists the "},
  };
  for (const auto& [text, told] : mistakes) {
    INFO(text);
    const auto problems = folder.problems("[book]\nname = \"b\"\n" + text);
    REQUIRE(problems.size() == 1);
    CHECK_THAT(problems[0], Contains(told));
  }
}

TEST_CASE("text that is as deep or as long as it can be is told in a short message, and exhausts nothing") {
  Folder folder;
  write_stage_clips(folder);
  const auto many = [](const std::string& text, int times) {
    std::string all;
    for (int i = 0; i < times; ++i) all += text;
    return all;
  };
  const auto told = [&](const std::string& text) {
    folder.write("book.toml", text);
    std::string all;
    for (const auto& problem : read_book(folder.path("book.toml")).problems) {
      CHECK(problem.message.size() < 700);
      all += to_text(problem) + "\n";
    }
    return all;
  };
  const std::string sound = book_head + "[sounds.s]\n";
  CHECK_THAT(told(book_head + "a" + many(".a", 50000) + " = 1\n"), Contains(":3:32: ") && Contains("more than 16 parts"));
  CHECK_THAT(told(book_head + "[a" + many(".a", 50000) + "]\n"), Contains("more than 16 parts"));
  CHECK_THAT(told(book_head + "a = " + many("{b=", 50000)), Contains("more than 32 brackets"));
  CHECK_THAT(told(sound + "clips = [\"" + std::string(99000, 'a') + "\"]\n"), Contains("a pattern of 99000 letters; 1024 are the most"));
  CHECK_THAT(told(sound + "clips = { files = \"" + many("{a}", 300) + "\", otherwise = [] }\n"),
             Contains("a pattern with 300 traits; 8 are the most"));
  CHECK_THAT(told(sound + "clips = { files = \"" + many("{", 20000) + "\", otherwise = [] }\n"), Contains("a pattern of 20000 letters"));
  CHECK_THAT(told(sound + "clips = { files = \"" + many("{", 1000) + "\", otherwise = [] }\n"), Contains("names no trait"));
  CHECK_THAT(told(sound + "clips=[\"tone.wav\"]\ngain = \"" + std::string(3000000, '9') + " dB\"\n"),
             Contains("gain: ") && Contains(" ... "));
  CHECK_THAT(told(sound + std::string(1000000, 'k') + " = 1\n"), Contains("has no key 'kkk"));
  // What only looks deep is read as ever.
  const std::string fine = sound + "clips=[\"tone.wav\"]  # " + many("[.{", 500) + "\n[events.\"" + many("a.", 400) + "\"]\nstart='s'\n";
  CHECK(told(fine).empty());
  CHECK_THROWS_WITH(parse_journal(many("[", 1000000), "j"), Contains("is not a JSON object"));
  CHECK_THROWS_WITH(parse_journal("{\"at\": 0, \"request\": \"" + std::string(2000000, 'x') + "\"}", "j"), Contains("there is no request"));
}

TEST_CASE("a folder with more than anybody lists is bounded, and told") {
  Folder folder;
  write_stage_clips(folder);
  // As many folders inside one another as may be, and one more; links that go round are not followed.
  std::string deep = "clips";
  for (int i = 0; i < 40; ++i) deep += "/d";
  std::filesystem::create_directories(folder.path(deep));
  folder.write(deep + "/lost.wav", "");
  std::filesystem::create_directory_symlink(folder.path("clips"), folder.path("clips/d/again"));
  folder.write("book.toml", book_head + "[sounds.s]\nclips=[\"tone.wav\"]\n[events.s]\nstart=\"s\"\n");
  CHECK(read_book(folder.path("book.toml")).problems.empty());
  for (int i = 0; i < 100'001; ++i)  // a file has 65,000 names at most
    std::filesystem::create_hard_link(folder.path(i % 2 == 0 ? "clips/tone.wav" : "clips/low.wav"),
                                      folder.path("clips/t") + std::to_string(i));
  const auto problems = read_book(folder.path("book.toml")).problems;
  REQUIRE(problems.size() == 1);
  CHECK_THAT(problems[0].message, Contains("holds more than 100000 files or folders, and only some were looked at"));
}

TEST_CASE("patterns fit as they say, in a time that no pattern can stretch") {
  const auto fits = [](const char* pattern, const char* name) { return Pattern(pattern).fits(name); };
  CHECK(fits("gull-*.flac", "gull-1.flac"));
  CHECK(fits("gull-*.flac", "gull-.flac"));
  CHECK_FALSE(fits("gull-*.flac", "gull-1.wav"));
  CHECK_FALSE(fits("*.flac", "steps/a.flac"));
  CHECK(Pattern("*.flac", Pattern::Slashes::pass).fits("steps/a.flac"));
  CHECK(fits("steps/*/a?.wav", "steps/wood/a1.wav"));
  CHECK(fits("m?we.wav", "m\xc3\xb6we.wav"));
  CHECK_FALSE(fits("a?.wav", "a.wav"));
  CHECK(fits("a[1]-*.wav", "a[1]-2.wav"));
  CHECK(fits("**", "x"));
  CHECK(Pattern("steps/{surface}-{weight}-*.flac").values("steps/steel-light-1.flac") == std::vector<std::string>{"steel", "light"});
  CHECK(Pattern("{a}_{b}.wav").values("x_y_z.wav") == std::vector<std::string>{"x_y", "z"});
  CHECK_FALSE(Pattern("{a}.wav").fits(".wav"));
  std::string hostile;
  for (int i = 0; i < 500; ++i) hostile += "*a";
  CHECK_FALSE(Pattern(hostile + "b").fits(std::string(5000, 'a')));
  CHECK(Pattern(hostile).fits(std::string(5000, 'a')));
}

TEST_CASE("books that are not books get a message, not a crash") {
  const BookFolder folder;
  struct Case {
    std::string text, problem;
  };
  for (const auto& [text, problem] :
       {Case{"", "the book is empty"}, Case{" \n\t\n", "the book is empty"}, Case{"\xff\xfe\x00\x41", "not TOML"},
        Case{"x = 1", "unknown table 'x'"}, Case{"[book]\nname = \"\"", "[book] needs a name"},
        Case{"[sounds]\nbell = 3\n[book]\nname=\"a\"", "'bell' must be a table: write [sounds.bell]"},
        Case{"[book]\nname=\"a\"\nclips=\"nowhere\"", "there is no folder"},
        Case{"[book]\nname=\"a\"\n[sounds.a]\n", "sound 'a' has no clips"},
        Case{"[book]\nname=\"a\"\n[sounds.a]\nclips=[\"../../etc/passwd\"]", "must lie inside the folder of clips"},
        Case{"[book]\nname=\"a\"\n[groups.a]\nparent=\"b\"\n[groups.b]\nparent=\"a\"", "go round in a circle"},
        Case{"[book]\nname=\"a\"\n[groups.a]\nparent=\"a\"", "go round in a circle"},
        Case{"[book]\nname=\"a\"\n[groups.a]\nparent=\"zebra\"", "is not a group; add [groups.zebra]"},
        Case{"[book]\nname=\"a\"\n[events.a]\n", "event 'a' does nothing"},
        Case{"[book]\nname=\"a\"\n[events.a]\nstart=\"s\"\nstop=\"s\"\n", "cannot both start and stop"},
        Case{"[book]\nname=\"a\"\n[events.a]\nresponses=[{delay=\"1 s\"}]", "a response needs start"},
        Case{"[book]\nname=\"a\"\n[events.a]\nresponses=[{start=\"s\",fade=\"1 s\"}]", "a fade goes with stop"},
        Case{"[book]\nname=" + std::string(5000, '['), "not TOML"}}) {
    INFO(text.substr(0, 60));
    std::string all;
    for (const auto& p : folder.problems(text)) all += p + "\n";
    CHECK_THAT(all, Contains(problem));
  }
  CHECK_THAT(to_text(read_book(folder.path("none.toml")).problems.at(0)), Contains("none.toml: there is no such file"));
  CHECK_THAT(to_text(read_book(folder.path()).problems.at(0)), Contains("is a folder"));
}

TEST_CASE("a book of sketches alone needs no folder of clips") {
  const Folder folder;
  const std::string sketched = "[book]\nname=\"a\"\n[sounds.ding.sketch]\nsource=\"bell\"\n[events.rung]\nstart=\"ding\"\n";
  CHECK(parse_book(sketched, folder.path("book.toml")).problems.empty());
  const ReadBook mixed = parse_book(sketched + "[sounds.b]\nclips=[\"b.wav\"]\n", folder.path("book.toml"));
  REQUIRE_FALSE(mixed.problems.empty());
  CHECK_THAT(mixed.problems.front().message, Contains("there is no folder"));
  const std::string like = sketched + "[sounds.far]\nlike = \"ding\"\ngain = \"-6 dB\"\n";
  CHECK(parse_book(like, folder.path("book.toml")).problems.empty());
  CHECK_FALSE(parse_book(like + "clips = [\"far.wav\"]\n", folder.path("book.toml")).problems.empty());
}
