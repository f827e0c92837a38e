#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "media/decode.hpp"
#include "process.hpp"
#include "tidewater/author/book.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

namespace {

struct Tool : Folder {
  Tool() {
    write_stage_clips(*this);
    setenv("TIDEWATER_CACHE", path("cache").c_str(), 1);
    write("book.toml", book_head +
                           "[sounds.tone]\nclips=[\"tone.wav\"]\n[sounds.steps]\nclips=[\"n-*.wav\"]\npitch=\"-1 .. 1 "
                           "st\"\n[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\n"
                           "[events.rung]\nstart=\"tone\"\n[events.walked]\nstart=\"steps\"\n");
  }
  Ran operator()(const std::string& arguments) const { return run(*this, BUILD_FOLDER "/tidewater " + arguments); }
  std::string book() const { return path("book.toml"); }
};

}  // namespace

TEST_CASE("check of a good book is one line and exit 0; its advice fails a strict one") {
  const Tool tool;
  const Ran ran = tool("check " + tool.book());
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains(tool.book() + ": good: 2 events, 3 sounds, 7 clips, 1 group; ") && Contains(" pieces of advice\n"));
  CHECK_THAT(ran.out, Contains("book.toml:8:9: unreached-sound: no event starts 'hum'"));
  CHECK(ran.err.empty());
  CHECK(tool("check --strict " + tool.book()).exit == 1);
  std::string all;
  for (const auto* kind : {"unused-clip", "unreached-sound", "no-licence", "no-variation", "uneven-spectrum", "stacking-loop"})
    all += std::string("[[accepted]]\nadvice=\"") + kind + "\"\nreason=\"test tones\"\n";
  tool.write("book.toml", tool.read("book.toml") + all);
  const Ran accepted = tool("check --strict " + tool.book());
  CHECK(accepted.exit == 0);
  CHECK_THAT(accepted.out, Contains("good: 2 events, 3 sounds, 7 clips, 1 group; advice: ") && Contains(" accepted\n"));
}

TEST_CASE("check of a bad book prints every problem and exits 1; --json is for editors") {
  const Tool tool;
  tool.write("book.toml", book_head + "[sounds.a]\nclips=[\"tone.wav\", \"bad.wav\"]\ngain=3\n");
  tool.write("clips/bad.wav", "nothing");
  const Ran ran = tool("check " + tool.book());
  CHECK(ran.exit == 1);
  CHECK_THAT(ran.out, Contains("book.toml:5:6: problem: gain:") && Contains("book.toml:4:20: problem: clip 'bad.wav': it cannot be read") &&
                          Contains("\n\n") && Contains(": 2 problems, "));
  const auto json = nlohmann::json::parse(tool("check --json " + tool.book()).out);
  REQUIRE(json.size() > 2);
  CHECK(json[0]["line"] == 5);
  CHECK(json[1]["message"].get<std::string>().starts_with("clip 'bad.wav'"));
  CHECK(json[2].contains("advice"));
}

TEST_CASE("check says the worst of each kind in a line, all of it when asked, and the harm before the neglect") {
  const Tool tool;
  std::string book = book_head;
  for (int i = 1; i <= 5; ++i)
    book += "[sounds.n" + std::to_string(i) + "]\nclips=[\"n-" + std::to_string(i) + ".wav\"]\nfade-in=\"0." + std::to_string(i) +
            " s\"\n[events.e" + std::to_string(i) + "]\nstart=\"n" + std::to_string(i) + "\"\n";
  tool.write("book.toml", book);
  const auto lines_with = [](const std::string& text, const std::string& part) {
    std::istringstream lines(text);
    int count = 0;
    for (std::string line; std::getline(lines, line);) count += line.find(part) != std::string::npos ? 1 : 0;
    return count;
  };
  const std::string worst = tool("check " + tool.book()).out;
  CHECK(lines_with(worst, " no-variation: ") == 1);
  CHECK_THAT(worst, Contains("(the first of 5; then 'n2' at line 8, 'n3' at line 13, 'n4' at line 18)"));
  CHECK_THAT(worst, Contains("book.toml:23:9: long-fade-in: the fade-in of 'n5'") && Contains("All: --all; one kind: --only long-fade-in"));
  CHECK(worst.find("long-fade-in:") < worst.find("no-variation:"));
  CHECK(worst.find("no-variation:") < worst.find("unused-clip:"));
  CHECK(lines_with(tool("check --all " + tool.book()).out, " no-variation: ") == 5);
  const std::string only = tool("check --only no-variation " + tool.book()).out;
  CHECK(lines_with(only, " no-variation: ") == 5);
  CHECK_THAT(only, !Contains("unused-clip"));
  const Ran odd = tool("check --only no-varation " + tool.book());
  CHECK(odd.exit == 2);
  CHECK_THAT(odd.err, Contains("did you mean 'no-variation'?"));
  // No colours but on a terminal.
  CHECK(worst.find('\033') == std::string::npos);
}

TEST_CASE("a command or a book that is not there gets the nearest one") {
  const Tool tool;
  CHECK_THAT(tool("audtion x y").err, Contains("did you mean 'audition'?"));
  const Ran none = tool("check " + tool.path("bok.toml"));
  CHECK(none.exit == 1);
  CHECK_THAT(none.err, Contains("bok.toml: there is no such file; did you mean 'book.toml'?") && !Contains("advice"));
}

TEST_CASE("a wrong call exits 2 and says how it is right; wrong input exits 1") {
  const Tool tool;
  CHECK(tool("").exit == 2);
  CHECK(tool("cheque x").exit == 2);
  CHECK(tool("audition " + tool.book()).exit == 2);
  CHECK_THAT(tool("audition " + tool.book() + " tone --every 500").err, Contains("lacks a unit"));
  CHECK(tool("render " + tool.book() + " x").exit == 2);
  CHECK(tool("check " + tool.path("none.toml")).exit == 1);
  const Ran ran = tool("audition " + tool.book() + " tune");
  CHECK(ran.exit == 1);
  CHECK_THAT(ran.err, Contains("no sound or event is called 'tune'; did you mean 'tone'?"));
  for (const auto* command : {"", "check ", "audition ", "render ", "gather ", "show ", "journal ", "sketch ", "credits ", "stress ",
                              "pack ", "verify ", "weigh ", "unpack "}) {
    const Ran help = tool(std::string(command) + "--help");
    CHECK(help.exit == 0);
    CHECK_THAT(help.out, Contains("tidewater check") || Contains("Example:"));
  }
}

TEST_CASE("audition prints a row a start and keeps what is heard") {
  const Tool tool;
  const Ran ran = tool("audition " + tool.book() + " walked --times 6 --every '200 ms' --output " + tool.path("a.wav") + " --picture " +
                       tool.path("a.png"));
  CHECK(ran.exit == 0);
  CHECK(ran.err.empty());
  for (const auto* start : {"0.00 s", "0.20 s", "1.00 s"}) CHECK_THAT(ran.out, Contains(start));
  const Audio audio = decode_file(tool.path("a.wav"));
  const Take take{audio.samples};
  for (int i = 0; i < 5; ++i) CHECK(take.part(0.2 * i + 0.19, 0.2).onset() == Approx(0.01).margin(0.004));
  CHECK(fs::file_size(tool.path("a.png")) > 1000);
  const Ran same = tool("audition " + tool.book() + " walked --times 6 --every '200 ms' --seed 1");
  CHECK(same.out.substr(0, same.out.find("\n\n")) == ran.out.substr(0, ran.out.find("\n\n")));
  CHECK(tool("audition " + tool.book() + " walked --times 6 --every '200 ms' --seed 2").out.substr(0, 500) != ran.out.substr(0, 500));
}

TEST_CASE("an audition says how loud each take is, how even they are, and takes traits along") {
  const Tool tool;
  tool.write("book.toml", book_head + "[sounds.s]\nclips={by=\"surface\", steel=[\"tone.wav\"], otherwise=[\"quiet.wav\"]}\n");
  const Ran steel = tool("audition " + tool.book() + " s --times 2 --trait surface=steel");
  CHECK_THAT(steel.out, Contains("tone.wav") && Contains("-9.0 LUFS") && Contains("spread     0.0 LU"));
  CHECK_THAT(tool("audition " + tool.book() + " s --times 1").out, Contains("quiet.wav") && Contains("-29.0 LUFS"));
  CHECK(tool("audition " + tool.book() + " s --trait steel").exit == 2);
}

TEST_CASE("two sounds, or two versions of a book, are compared at equal loudness") {
  const Tool tool;
  tool.write("book.toml", book_head + "[sounds.a]\nclips=[\"tone.wav\"]\n[sounds.b]\nclips=[\"quiet.wav\"]\n");
  const Ran ran = tool("audition " + tool.book() + " a --compare b --times 2 --output " + tool.path("c.wav"));
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("A is turned down by 20.0 dB") && Contains("1A") && Contains("4B"));
  const Take take{decode_file(tool.path("c.wav")).samples};
  CHECK(take.part(0.1, 0.3).peak() == Approx(take.part(0.7, 0.2).peak()).epsilon(0.02));
  tool.write("old.toml", book_head + "[sounds.a]\nclips=[\"tone.wav\"]\ngain=\"-6 dB\"\n");
  CHECK_THAT(tool("audition " + tool.book() + " a --compare " + tool.path("old.toml") + " --times 1").out,
             Contains("A is turned down by 6.0 dB"));
}

TEST_CASE("a watched audition plays again when the book is saved, and Ctrl-C ends it cleanly") {
  const Tool tool;
  // Waits for what is to be read there, however slow the machine is.
  tool.write("watch", "heard=" + tool.path("heard") +
                          "\nuntil_heard() { for i in $(seq 600); do grep -q \"$1\" $heard && return; sleep 0.1; done; }\n" +
                          BUILD_FOLDER "/tidewater audition " + tool.book() +
                          " tone --times 1 --watch > $heard & pid=$!\n"
                          "until_heard 'save one to hear it again'\nsed -i 's/tone.wav/low.wav/' " +
                          tool.book() + "\nuntil_heard low.wav\nkill -INT $pid; wait $pid\n");
  const Ran ran = run(tool, "bash -m " + tool.path("watch"));
  CHECK(ran.exit == 0);
  CHECK_THAT(tool.read("heard"), Contains("tone.wav") && Contains("low.wav"));
}

TEST_CASE("a watched pack packs again when a clip or the book is saved, tells what is wrong with it, and Ctrl-C ends it cleanly") {
  const Tool tool;
  tool.write("watch", "said=" + tool.path("said") +
                          "\nuntil_said() { for i in $(seq 600); do grep -q \"$1\" $said && return; sleep 0.1; done; }\n" +
                          BUILD_FOLDER "/tidewater pack " + tool.book() + " --output " + tool.path("out") +
                          " --watch > $said 2>&1 & pid=$!\n"
                          "until_said 'save one to pack it again'\ncp " +
                          tool.path("clips/low.wav") + " " + tool.path("clips/tone.wav") +
                          "\nfor i in $(seq 600); do [ $(grep -c '^  packed' $said) = 2 ] && break; sleep 0.1; done\n" +
                          "echo '[events.x' >> " + tool.book() + "\nuntil_said 'book.toml:'\nkill -INT $pid; wait $pid\n");
  const Ran ran = run(tool, "bash -m " + tool.path("watch"));
  CHECK(ran.exit == 0);
  CHECK_THAT(tool.read("said"), Contains("  packed") && Contains("book.toml:"));
}

TEST_CASE("gather, show, sketch and credits do their work from the command line") {
  const Tool tool;
  const std::string before = tool.read("book.toml");
  const Ran dry = tool("gather " + tool.path("clips") + " --book " + tool.book() + " --dry-run");
  CHECK(dry.exit == 0);
  CHECK_THAT(dry.out, Contains("@@ -14,0 +15,") && Contains("+[sounds.wide]\n+clips = [\"wide.wav\"]\n+\n+[events.wide]"));
  CHECK(tool.read("book.toml") == before);
  CHECK_THAT(tool("gather " + tool.path("clips") + " --book " + tool.book()).out, Contains("each with an event of its name"));
  CHECK_THAT(tool("gather " + tool.path("clips") + " --book " + tool.book()).out, Contains("nothing new"));
  CHECK(tool("audition " + tool.book() + " wide --times 1").exit == 0);

  const Ran shown = tool("show " + tool.book() + " steps --all");
  CHECK(shown.exit == 0);
  CHECK_THAT(shown.out,
             Contains("book.toml:5: sound 'steps'") && Contains("pitch           \"-1 .. 1 st\"      own") && Contains("n-5.wav"));
  CHECK_THAT(tool("show " + tool.book() + " stops").err, Contains("nothing in it is called 'stops'; did you mean 'steps'?"));

  CHECK_THAT(tool("sketch --list").out, Contains("splash") && Contains("whoosh"));
  CHECK(tool("sketch door --variants 2 -o " + tool.path("d.flac")).exit == 0);
  CHECK(decode_file(tool.path("d-2.flac")).placeholder);
  CHECK(tool("sketch door").exit == 2);
  CHECK(tool("sketch doro -o x.wav").exit == 1);

  CHECK_THAT(tool("credits " + tool.book()).err, Contains("clips without a licence") && Contains("  tone.wav"));
  tool.write("clips/credits.toml", "[[credits]]\nclips=[\"*\"]\nlicence=\"CC0-1.0\"\n");
  const Ran credits = tool("credits " + tool.book() + " --output " + tool.path("c.txt"));
  CHECK(credits.exit == 0);
  CHECK_THAT(tool.read("c.txt"), Contains("CC0-1.0"));
}

TEST_CASE("an audition plays on a card and keeps what is heard, in one run; without a card it says what to do instead") {
  const Tool tool;
  const std::string call = "audition " + tool.book() + " walked --times 2 --device";
  const std::string files = " --output " + tool.path("o.wav") + " --picture " + tool.path("o.png");
  const auto with = [&](const std::string& driver, const std::string& arguments) {
    return run(tool, "ALSA_CONFIG_PATH=/dev/null SDL_AUDIODRIVER=" + driver + " " BUILD_FOLDER "/tidewater " + arguments);
  };
  const Ran both = with("dummy", call + files);
  CHECK(both.exit == 0);
  CHECK_THAT(both.out, Contains("playing on dummy") && Contains("true peak"));
  CHECK(Take{decode_file(tool.path("o.wav")).samples}.peak() > 0.1);
  CHECK(tool.read("o.png").substr(1, 3) == "PNG");
  // A system that is there, and knows of no card, whatever this machine has.
  const Ran none = with("alsa", call);
  CHECK(none.exit == 1);
  CHECK_THAT(none.err, Contains("--output FILE") && !Contains("ALSA lib"));
  CHECK(std::count(none.err.begin(), none.err.end(), '\n') == 1);
  const Ran kept = with("alsa", call + " --output " + tool.path("p.wav"));
  CHECK(kept.exit == 0);
  CHECK_THAT(kept.err, Contains("cannot be opened"));
  CHECK(tool.read("p.wav").size() > 1000);
}

TEST_CASE("an audition's columns hold for long names, takes that are not drawn are told, a seed is a whole number") {
  const Tool tool;
  const std::string longer = "a-clip-with-a-name-as-long-as-those-that-recordists-give-to-theirs-\xc3\xa4";
  fs::copy(tool.path("clips/tone.wav"), tool.path("clips/" + longer + "-1.wav"));
  fs::copy(tool.path("clips/tone.wav"), tool.path("clips/x.wav"));
  tool.write("book.toml", book_head + "[sounds.a-sound-with-a-long-name]\nclips=[\"" + longer +
                              "-*.wav\", \"x.wav\"]\n[events.long]\nstart=\"a-sound-with-a-long-name\"\n");
  const Ran ran = tool("audition " + tool.book() + " long --times 13 --picture " + tool.path("t.png"));
  CHECK(ran.exit == 0);
  std::istringstream lines(ran.out);
  std::set<std::size_t> columns;
  for (std::string line; std::getline(lines, line);)
    if (const auto at = line.find(" st "); at != std::string::npos)
      columns.insert(at - (line.find("\xc3\xa4") == std::string::npos ? 0 : 1));
  CHECK(columns.size() == 1);
  CHECK_THAT(ran.out, Contains("(the first 12 of 13 takes)"));
  CHECK_THAT(tool("audition " + tool.book() + " long --seed -1").err, Contains("'-1' is no seed: it must be a whole number from 0 on"));
  CHECK(tool("audition " + tool.book() + " long --seed 1.5").exit == 2);
}

TEST_CASE("an audition says which trait no clip knows, and calls the event by its name") {
  const Tool tool;
  tool.write(
      "book.toml",
      book_head +
          "[sounds.s]\nclips = { by = \"surface\", steel = [\"tone.wav\"], otherwise = [\"low.wav\"] }\n[events.walked]\nstart=\"s\"\n");
  CHECK_THAT(tool("audition " + tool.book() + " walked --times 3 --trait surface=stel").out,
             Contains("notice     walked: 's' has no clip for surface = stel, and plays what it has otherwise; did you mean 'steel'?"));
}

TEST_CASE("credits begins a credits.toml for what has none, once, and tells a credit of clips that are not there") {
  const Tool tool;
  fs::create_directories(tool.path("clips/birds"));
  for (const auto* name : {"birds/gull.wav", "birds/tern.wav", "horn-1.wav", "horn-2.wav"})
    fs::copy(tool.path("clips/tone.wav"), tool.path(std::string("clips/") + name));
  tool.write("book.toml", book_head + "[sounds.a]\nclips=[\"birds/*.wav\", \"horn-*.wav\", \"tone.wav\"]\n[events.a]\nstart=\"a\"\n");
  const std::string before = "# Ours.\n[[credits]]\nclips = [\"tone.wav\", \"horm-*.wav\"]\nlicence = \"MIT\"";
  tool.write("clips/credits.toml", before);
  const Ran told = tool("credits " + tool.book());
  CHECK(told.exit == 1);
  CHECK_THAT(told.err, Contains("credits.toml:2:1: no clip fits 'horm-*.wav'") && Contains("4 clips without a licence"));
  CHECK_THAT(tool("check " + tool.book()).out, Contains("needless-credit: a credit is about nothing: no clip fits 'horm-*.wav'"));
  const Ran begun = tool("credits " + tool.book() + " --begin");
  CHECK(begun.exit == 0);
  CHECK_THAT(begun.out, Contains("2 entries for 4 clips"));
  const std::string after = tool.read("clips/credits.toml");
  CHECK(after == before +
                     "\n\n[[credits]]\nclips   = [\"horn-*.wav\"]\nlicence = \"\"\nauthor  = \"\"\n\n[[credits]]\nclips   = "
                     "[\"birds/\"]\nlicence = \"\"\nauthor  = \"\"\n");
  CHECK_THAT(tool("credits " + tool.book() + " --begin").out, Contains("every clip has an entry"));
  CHECK(tool.read("clips/credits.toml") == after);
  CHECK_THAT(tool("credits " + tool.book()).err, Contains("4 clips without a licence"));
  CHECK_THAT(tool("check " + tool.book()).out, Contains(": good: "));
}

TEST_CASE("a sketch makes its folder, and stays quiet under a level") {
  const Tool tool;
  CHECK(tool("sketch step -o " + tool.path("new/deep/step.wav")).exit == 0);
  CHECK(fs::exists(tool.path("new/deep/step.wav")));
  tool.write(
      "book.toml",
      "[book]\nname=\"b\"\nlevel=\"-19 LUFS\"\n[sounds.s]\nsketch=\"splash\"\n[sounds.loud]\nsketch={like=\"splash\", level=\"-4 dB\"}\n"
      "[events.s]\nstart=\"s\"\n[events.loud]\nstart=\"loud\"\n");
  for (const auto* name : {"s", "loud"})
    CHECK(tool(std::string("audition ") + tool.book() + " " + name + " --times 1 --output " + tool.path(std::string(name) + ".wav")).exit ==
          0);
  // A mono clip stands in the middle, 3 dB down in each channel.
  CHECK(Take{decode_file(tool.path("s.wav")).samples}.peak() == Approx(0.1 * 0.7071).epsilon(0.05));
  CHECK(Take{decode_file(tool.path("loud.wav")).samples}.peak() == Approx(0.631 * 0.7071).epsilon(0.05));
  CHECK_THAT(tool("check " + tool.book()).out, !Contains("peaks:"));
}

TEST_CASE("a journal is printed for people: seconds with two decimals, names, what was refused and why") {
  const Tool tool;
  tool.write("hand.jsonl",
             "{\"at\": \"0.5 s\", \"request\": \"raise\", \"event\": \"walked\", \"traits\": {\"surface\": \"steel\"}}\n"
             "{\"at\": \"1.25 s\", \"request\": \"gain\", \"group\": \"master\", \"gain\": \"-6 dB\", \"time\": \"2 s\"}\n"
             "{\"at\": \"1.5 s\", \"request\": \"raise\", \"event\": \"wlked\"}\n");
  REQUIRE(tool("render " + tool.book() + " " + tool.path("hand.jsonl") + " --output " + tool.path("o.wav") + " --journal " +
               tool.path("o.jsonl"))
              .exit == 0);
  const Ran read = tool("journal " + tool.path("o.jsonl"));
  CHECK(read.exit == 0);
  CHECK_THAT(read.out, Contains("    0.50 s  raise 1            walked                    surface = steel\n"));
  CHECK_THAT(read.out, Contains("    0.50 s    started          steps                     n-"));
  CHECK_THAT(read.out, Contains("    1.25 s  gain               master                    -6.0 dB, over 2.00 s\n"));
  CHECK_THAT(read.out,
             Contains("    1.50 s    unknown-event    wlked                     no loaded bank has this event; did you mean 'walked'?\n"));
  const Ran unheard = tool("journal --unheard " + tool.path("o.jsonl"));
  CHECK(std::count(unheard.out.begin(), unheard.out.end(), '\n') == 1);
  // Written by hand, and left unfinished by a crash.
  CHECK_THAT(tool("journal " + tool.path("hand.jsonl")).out, Contains("    1.50 s  raise 2            wlked\n"));
  const std::string whole = tool.read("o.jsonl");
  tool.write("cut.jsonl", whole.substr(0, whole.size() / 2));
  const Ran cut = tool("journal " + tool.path("cut.jsonl"));
  CHECK(cut.exit == 1);
  CHECK_THAT(cut.out, Contains("raise 1"));
  CHECK_THAT(cut.err, Contains("is not a JSON object; a game that crashed leaves the last line unfinished"));
  CHECK_THAT(tool("journal " + tool.path("none.jsonl")).err, Contains("there is no such file"));
}

TEST_CASE("show lists what a book has, and says of each name what holds and why") {
  const Tool tool;
  tool.write("book.toml", R"([book]
name = "b"
level = "-20 LUFS"
[groups.effects]
gain = "-3 dB"
[groups.near]
parent = "effects"
gain = "-2 dB"
level = "-26 LUFS"
quality = "fine"
[sounds.wash]
group = "near"
gain = "-6 dB .. -4 dB"
fade-out = "2 s"
layers = [ { name = "low", clips = ["hum.wav"], loop = true, gain = "-3 dB" }, { name = "top", clips = ["tone.wav"], pitch = "12 st", chance = "30 %" } ]
[sounds.a-longer-name-than-most]
clips = { by = "surface", steel = ["tone.wav"], planks = ["low.wav"], otherwise = [] }
[events.wash]
start = "wash"
[events."ferry.docked"]
responses = [ { stop = "wash", fade = "4 s" }, { start = "a-longer-name-than-most", delay = "0.5 s" } ]
)");
  const auto shown = [&](const std::string& name) {
    const Ran ran = tool("show " + tool.book() + name);
    CHECK(ran.exit == 0);
    INFO(ran.out);
    std::istringstream lines(ran.out);
    for (std::string line; std::getline(lines, line);) CHECK_FALSE(line.ends_with(' '));
    return ran.out;
  };
  CHECK_THAT(shown(""), Contains("ferry.docked    20  stop wash over 4 s; start a-longer-name-than-most after 0.5 s\n") &&
                            Contains("a-longer-name-than-most    16  master      2  by surface\n") && Contains("2 layers, loops\n") &&
                            Contains("near     effects  -2 dB       1\n") && Contains("surface  planks, steel\n"));
  const std::string both = shown(" wash --all");  // an event and a sound
  CHECK_THAT(both, Contains("book.toml:18: event 'wash'") && Contains("book.toml:11: sound 'wash'") &&
                       Contains("events: ferry.docked stops, wash starts"));
  CHECK_THAT(both, Contains("(level)    \"-26 LUFS\"        group near\n") && Contains("quality    \"fine\"            group near\n"));
  CHECK_THAT(both, Contains("low        1  -9 dB .. -7 dB  0 st   0 s    0 s       all of it   100 %") &&
                       Contains("top        1  -6 dB .. -4 dB  12 st") && Contains("30 %"));
  CHECK_THAT(shown(" ferry.docked"), Contains("stop   wash                     0 s    4 s   -\n") && Contains("0.5 s  -     surface\n"));
  // Every key of a group is there, also one that it does not have.
  for (const BookKey& key : book_keys())
    if (key.section == "groups") CHECK_THAT(shown(" near"), Contains("\n  " + std::string(key.key) + " "));
  CHECK_THAT(shown(" near"), Contains("heard at -5 dB: near -2 dB, effects -3 dB, master 0 dB\n  sounds: wash\n"));
  CHECK_THAT(shown(" master"), Contains("level      \"-20 LUFS\"") && Contains("book\n"));
  CHECK_THAT(shown(" surface"), Contains("a-longer-name-than-most  -      planks, steel\n"));
  CHECK(tool("show " + tool.path("none.toml")).exit == 1);
}

TEST_CASE("an audition of what has a cadence is heard at its rhythm, each start a take") {
  const Tool tool;
  tool.write("beat.toml", book_head + "[sounds.beat]\nclips=[\"n-*.wav\"]\ncadence=\"450 ms .. 550 ms\"\n");
  const Ran ran = tool("audition " + tool.path("beat.toml") + " beat --times 4 --output " + tool.path("a.wav"));
  INFO(ran.err);
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("started    4 sounds") && Contains("1.50 s  beat"));
}

TEST_CASE("an audition of a loop ends") {
  const Tool tool;
  const Ran ran = tool("audition " + tool.book() + " hum --times 1 --output " + tool.path("a.wav"));
  CHECK(ran.exit == 0);
  const Take take{decode_file(tool.path("a.wav")).samples};
  CHECK(static_cast<double>(take.frames()) / 48000 == Approx(8.3).margin(0.2));
}

TEST_CASE("render plays a journal written by hand, and a broken one leaves nothing behind") {
  const Tool tool;
  tool.write("j.jsonl",
             "{\"at\": \"250 ms\", \"request\": \"raise\", \"event\": \"rung\"}\n{\"at\": \"1 s\", \"request\": \"raise\", \"event\": "
             "\"rang\"}\n");
  const std::string files =
      " --output " + tool.path("out/r.wav") + " --journal " + tool.path("out/r.jsonl") + " --picture " + tool.path("out/r.svg");
  const Ran ran = tool("render " + tool.book() + " " + tool.path("j.jsonl") + files);
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("1 x rang") && Contains("did you mean 'rung'?") && Contains("out/r.wav"));
  CHECK(Take{decode_file(tool.path("out/r.wav")).samples}.onset() == Approx(0.25).margin(0.004));
  CHECK_THAT(tool.read("out/r.svg"), Contains("<svg"));
  fs::remove_all(tool.path("out"));
  tool.write("j.jsonl", "{\"at\": 0, \"request\": \"raise\", \"event\": \"rung\"}\nnot json\n");
  const Ran bad = tool("render " + tool.book() + " " + tool.path("j.jsonl") + files);
  CHECK(bad.exit == 1);
  CHECK_THAT(bad.err, Contains("j.jsonl:2: is not a JSON object"));
  CHECK_FALSE(fs::exists(tool.path("out")));
}

#ifndef TIDEWATER_SANITIZED
TEST_CASE("stress prints how many voices of each kind are held") {
  const Tool tool;
  const Ran ran = tool("stress --block 64 --picture " + tool.path("s.png"));
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("held at 50 %") && Contains("unity pitch") && Contains("varied, standard") && Contains("varied, fine") &&
                          Contains("varied, filtered") && Contains("64 frames at 48000 Hz: 1.33 ms each"));
  CHECK(fs::file_size(tool.path("s.png")) > 1000);
  CHECK(tool("stress --block 7").exit == 2);
}
#endif

TEST_CASE("on a full disk every command says so, and leaves what was there before") {
  const Tool tool;
  tool.write("j.jsonl", "{\"at\": 0, \"request\": \"raise\", \"event\": \"rung\"}\n");
  fs::create_symlink("/dev/null", tool.path("null.wav"));  // where one file that is asked for has room
  struct Case {
    std::string command, file;
  };
  for (const auto& [command, file] :
       {Case{"render " + tool.book() + " " + tool.path("j.jsonl") + " --output " + tool.path("o.wav"), "o.wav"},
        {"render " + tool.book() + " " + tool.path("j.jsonl") + " --output " + tool.path("null.wav") + " --journal " + tool.path("o.jsonl"),
         "o.jsonl"},
        {"render " + tool.book() + " " + tool.path("j.jsonl") + " --output " + tool.path("null.wav") + " --picture " + tool.path("o.png"),
         "o.png"},
        {"render " + tool.book() + " " + tool.path("j.jsonl") + " --output " + tool.path("null.wav") + " --picture " + tool.path("o.svg"),
         "o.svg"},
        {"audition " + tool.book() + " tone --output " + tool.path("o.wav"), "o.wav"},
        {"sketch step --output " + tool.path("o.wav"), "o.wav"},
        {"credits " + tool.book() + " --output " + tool.path("o.txt"), "o.txt"},
        {"gather " + tool.path("clips") + " --book " + tool.path("o.toml"), "o.toml"}}) {
    const std::string old = file == "o.toml" ? book_head : "old and whole";
    tool.write(file, old);
    if (file == "o.txt") tool.write("clips/credits.toml", "[[credits]]\nclips=[\"*.wav\"]\nlicence=\"CC0-1.0\"\n");
    // Of so many blocks of 512 or 1024 bytes: none, as on a full disk.
    const Ran ran = run(tool, "( trap '' XFSZ; ulimit -f 0; exec " BUILD_FOLDER "/tidewater " + command + " ) 2>&1 | cat");
    INFO(command << ": " << ran.out);
    CHECK_THAT(ran.out, Contains(tool.path(file)) && Contains("is the disk full?"));
    CHECK(tool.read(file) == old);
  }
  for (const auto& entry : fs::recursive_directory_iterator(tool.path())) CHECK(entry.path().extension() != ".part");
}

TEST_CASE("a journal for people has every kind of line: a layer without a voice among the unheard, what landed late left out") {
  const Folder folder;
  folder.write("j.jsonl",
               "{\"journal\":1,\"rate\":48000.0,\"seed\":1,\"voices\":2}\n"
               "{\"at\":0,\"lands\":512,\"into\":100,\"request\":\"raise\",\"id\":1,\"event\":\"docked\"}\n"
               "{\"at\":0,\"layer\":\"splash\",\"outcome\":\"pool-full\",\"id\":1,\"playback\":\"1.1\",\"sound\":\"bump\",\"clip\":\"b."
               "flac\",\"why\":\"all taken\"}\n"
               "{\"at\":512,\"late\":1,\"landed\":512}\n"
               "{\"at\":900,\"request\":\"unreadable\",\"playback\":\"1.1\",\"why\":\"it is gone\"}\n");
  const std::string all = run(folder, BUILD_FOLDER "/tidewater journal " + folder.path("j.jsonl")).out;
  CHECK_THAT(all, Contains("pool-full") && Contains("splash: b.flac; all taken") && Contains("it is gone") && !Contains("landed"));
  const std::string unheard = run(folder, BUILD_FOLDER "/tidewater journal --unheard " + folder.path("j.jsonl")).out;
  CHECK_THAT(unheard, Contains("splash: b.flac; all taken") && !Contains("raise"));
}

TEST_CASE("pack makes a bank that render plays, leaves it alone where nothing changed, and verify finds what is damaged") {
  const Tool tool;
  const std::string bank = tool.path("out/game.tidebank"), pack = "pack " + tool.book() + " -o " + tool.path("out");
  tool.write("book.toml",
             "[book]\nname = \"game\"\n[sounds.tone]\nclips = [\"tone.wav\"]\n[sounds.song]\nclips = [\"longer.wav\"]\nstream = "
             "true\n[events.rung]\nresponses = [ { start = \"tone\" }, { start = \"song\" } ]\n");
  const Ran packed = tool(pack);
  CHECK(packed.exit == 0);
  CHECK_THAT(packed.out, Contains("  packed  " + bank) && Contains(" MiB       1       2      2\n"));
  const auto written = fs::last_write_time(bank);
  CHECK_THAT(tool(pack).out, Contains("  unchanged  " + bank));
  CHECK(fs::last_write_time(bank) == written);
  CHECK_THAT(tool("verify " + bank).out, Contains("  whole      " + bank));
  const Ran listed = run(tool, "python3 " PROJECT_FOLDER "/tests/list_bank.py " + bank);
  CHECK_THAT(listed.out, Contains("bank game rate 48000") && Contains("group master under master gain 0") &&
                             Contains("clip tone.wav channels 1 frames 24000 floats\n") && Contains("streams RIFF\n") &&
                             Contains("sound song in master\n  plays longer.wav\n") && Contains("event rung starts tone, starts song\n"));
  CHECK(listed.err.empty());

  tool.write("j.jsonl", "{\"at\": \"0 s\", \"request\": \"raise\", \"event\": \"rung\"}\n");
  const Ran from_bank = tool("render " + bank + " " + tool.path("j.jsonl") + " --output " + tool.path("a.wav"));
  CHECK(from_bank.exit == 0);
  CHECK(tool("render " + tool.book() + " " + tool.path("j.jsonl") + " --output " + tool.path("b.wav")).exit == 0);
  CHECK((tool.read("a.wav") == tool.read("b.wav")));

  std::string bytes = tool.read("out/game.tidebank");
  bytes[bytes.size() - 70000] ^= 1;
  tool.write("out/game.tidebank", bytes);
  const Ran damaged = tool("verify " + bank);
  CHECK(damaged.exit == 1);
  CHECK_THAT(damaged.err, Contains(bank + ": longer.wav: the bank is damaged"));
  CHECK_THAT(tool("pack " + tool.book() + " -o " + tool.book()).err, Contains("the folder cannot be made"));
}

TEST_CASE("pack that is killed at any moment leaves the old bank or the new one") {
  const Tool tool;
  const std::string bank = tool.path("out/game.tidebank");
  const auto book = [&](int gain) {
    tool.write("book.toml", "[book]\nname = \"game\"\n[sounds.tone]\nclips = [\"tone.wav\", \"longer.wav\"]\ngain = \"" +
                                std::to_string(gain) + " dB\"\n[events.rung]\nstart = \"tone\"\n");
  };
  const std::string pack = BUILD_FOLDER "/tidewater pack " + tool.book() + " -o " + tool.path("out");
  std::vector<std::string> whole;
  for (const int gain : {-3, -6}) {
    book(gain);
    REQUIRE(run(tool, pack).exit == 0);
    whole.push_back(tool.read("out/game.tidebank"));
  }
  for (int i = 0; i < 100; ++i) {
    book(i % 2 == 0 ? -3 : -6);
    run(tool, "timeout -s KILL 0.0" + std::to_string(10 + 37 * i % 50) + " " + pack);
    const std::string there = tool.read("out/game.tidebank");
    REQUIRE((there == whole[0] || there == whole[1]));
  }
}

TEST_CASE("weigh says what takes the room, of a book and of its bank alike, and how it could take less") {
  const Tool tool;
  std::vector<float> twice(2 * 48000, 0.0F);
  for (std::size_t i = 24000; i < twice.size(); i += 2) twice[i] = twice[i + 1] = 0.3F;
  tool.write_clip("clips/twice.wav", twice, 2);
  tool.write(
      "book.toml",
      "[book]\nname = \"game\"\n[groups.near]\n[groups.music]\n[sounds.a]\ngroup = \"near\"\nclips = [\"tone.wav\", \"twice.wav\"]\n"
      "[sounds.b]\ngroup = \"near\"\nclips = [\"tone.wav\"]\n[sounds.song]\ngroup = \"music\"\nclips = [\"longer.wav\"]\nstream = true\n"
      "[events.a]\nresponses = [ { start = \"a\" }, { start = \"b\" }, { start = \"song\" } ]\n");
  REQUIRE(tool("pack " + tool.book() + " -o " + tool.path("out")).exit == 0);
  const Ran book = tool("weigh --clips " + tool.book()), bank = tool("weigh --clips " + tool.path("out/game.tidebank"));
  CHECK(book.exit == 0);
  CHECK(book.out.substr(book.out.find('\n')) == bank.out.substr(bank.out.find('\n')));
  // tone is 94.8 KiB as floats with the zeros around it; half of it is a's, half b's.
  CHECK_THAT(book.out, Contains("\n  b       47.4 KiB") && Contains("\n  near   471.8 KiB") && Contains("WAV, streams") &&
                           Contains("1.0 s   2.01  floats\n"));
  CHECK_THAT(book.out, Contains("could save  188.5 KiB  twice.wav: both channels are the same") &&
                           Contains("twice.wav: 0.25 s at its ends are silent"));
}

TEST_CASE("weigh says what an update costs, which takes no session played, and draws it") {
  const Tool tool;
  const auto write = [&](const std::string& clips) {
    tool.write("book.toml",
               "[book]\nname = \"game\"\n[sounds.a]\npick = \"in-order\"\nclips = [" + clips + "]\n[events.a]\nstart = \"a\"\n");
  };
  write("\"tone.wav\", \"low.wav\", \"long.wav\"");
  REQUIRE(tool("pack " + tool.book() + " -o " + tool.path("old")).exit == 0);
  tool.write("session.jsonl",
             "{\"at\":\"0 s\",\"request\":\"raise\",\"event\":\"a\"}\n{\"at\":\"1 s\",\"request\":\"raise\",\"event\":\"a\"}\n");
  REQUIRE(tool("render " + tool.path("old/game.tidebank") + " " + tool.path("session.jsonl") + " --output " + tool.path("s.wav") +
               " --journal " + tool.path("played.jsonl"))
              .exit == 0);
  const Ran weighed =
      tool("weigh " + tool.path("old/game.tidebank") + " --journal " + tool.path("played.jsonl") + " --picture " + tool.path("w.png"));
  CHECK_THAT(weighed.out, Contains("long.wav: no session in this journal played it") && !Contains("tone.wav: no session") &&
                              !Contains("low.wav: no session"));
  CHECK(fs::file_size(tool.path("w.png")) > 1000);

  write("\"tone.wav\", \"n-1.wav\", \"long.wav\"");
  tool.write_clip("clips/long.wav", sine(700, 1));
  REQUIRE(tool("pack " + tool.book() + " -o " + tool.path("new")).exit == 0);
  const std::string both = tool.path("new/game.tidebank") + " --against " + tool.path("old/game.tidebank");
  const Ran cost = tool("weigh " + both);
  CHECK(cost.exit == 0);
  CHECK_THAT(cost.out, Contains("changed") && Contains("n-1.wav") && Contains("new\n") && Contains("low.wav") && Contains("gone\n") &&
                           !Contains("tone.wav"));
  CHECK_THAT(cost.out, Contains("--patch-of " + tool.path("old/game.tidebank")));
  CHECK_THAT(tool("weigh " + tool.path("new/game.tidebank") + " --against " + tool.path("new/game.tidebank")).out,
             Contains("all 3") || Contains("of its clips are those of"));
  // The patch has what weigh said: its clips, and a table.
  REQUIRE(tool("pack " + tool.book() + " --patch-of " + tool.path("old/game.tidebank") + " -o " + tool.path("patch")).exit == 0);
  const Ran patch = tool("weigh " + tool.path("patch/game-patch.tidebank"));
  const auto first_figure = [](const std::string& text, const std::string& behind) {
    return std::stod(text.substr(text.find(behind) + behind.size()));
  };
  CHECK(first_figure(patch.out, "tidebank: ") == Approx(first_figure(cost.out, "  update     ")));
  CHECK_THAT(tool("pack " + tool.book() + " --patch-of " + tool.path("new/game.tidebank") + " -o " + tool.path("patch")).out,
             Contains("nothing has changed since"));
}

TEST_CASE("show and unpack look into a bank, and say what to do where another is needed") {
  const Tool tool;
  tool.write("book.toml",
             "[book]\nname = \"game\"\n[sounds.a]\nclips = [\"tone.wav\"]\npitch = \"1 st .. 2 st\"\n[sounds.b]\nclips = [\"low.wav\"]\n"
             "[events.a]\nstart = \"a\"\n[events.b]\nresponses = [ { start = \"b\", delay = \"50 ms\" }, { stop = \"a\" } ]\n");
  REQUIRE(tool("pack " + tool.book() + " -o " + tool.path("out")).exit == 0);
  const std::string bank = tool.path("out/game.tidebank");
  const Ran all = tool("show " + bank);
  CHECK_THAT(all.out, Contains("bank 'game'; 2 clips") && Contains("start b after 0.05 s; stop a") && !Contains("line"));
  CHECK_THAT(tool("show " + bank + " a").out, Contains("sound 'a'") && Contains("1 st .. 2 st") && Contains("tone.wav"));
  CHECK_THAT(tool("show " + bank + " c").err, Contains("nothing in it is called 'c'"));
  const Ran apart = tool("unpack " + bank + " -o " + tool.path("apart"));
  CHECK(apart.exit == 0);
  CHECK_THAT(apart.out, Contains("packs to the same again, bit for bit") && Contains(tool.path("apart/book.toml")));
  CHECK(tool("check " + tool.path("apart/book.toml")).exit == 0);
  CHECK_THAT(tool("unpack " + bank + " -o " + tool.path("apart")).err, Contains("there is a book already"));
  tool.write_clip("clips/tone.wav", sine(700, 1));
  REQUIRE(tool("pack " + tool.book() + " --patch-of " + bank + " -o " + tool.path("out")).exit == 0);
  CHECK_THAT(tool("show " + tool.path("out/game-patch.tidebank")).out, Contains("changes 'game', which is loaded before it"));
  const std::string unpack = "unpack " + tool.path("out/game-patch.tidebank") + " -o " + tool.path("patch");
  CHECK_THAT(tool(unpack).err, Contains("it has clips in the bank 'game': name that one, too, by --base FILE"));
  CHECK(tool(unpack + " --base " + bank).exit == 0);
}

TEST_CASE("pack of a book that names banks says which changed, what they share and what is left out; render plays a folder of them") {
  const Tool tool;
  tool.write(
      "book.toml",
      "[book]\nname = \"game\"\n[sounds.tone]\nclips = [\"tone.wav\"]\n[sounds.both]\nlayers = [ { clips = [\"tone.wav\"] }, { clips = "
      "[\"low.wav\"] } ]\n[events.a]\nstart = \"tone\"\n[events.b]\nstart = \"both\"\n[events.c]\nstart = \"tone\"\n"
      "[banks.one]\nevents = [\"a\"]\n[banks.two]\nevents = [\"b\"]\n");
  const std::string pack = "pack " + tool.book() + " -o " + tool.path("out");
  const Ran packed = tool(pack);
  CHECK_THAT(packed.out, Contains("  packed  " + tool.path("out/one.tidebank")) && Contains("  packed  " + tool.path("out/two.tidebank")) &&
                             Contains("  shared        tone.wav is in one and two\n") && Contains("  left out      c: no bank has it\n"));
  std::string text = tool.read("book.toml");
  tool.write("book.toml", text.replace(text.find("[sounds.both]"), 13, "[sounds.both]\ngain = \"-3 dB\""));
  CHECK_THAT(tool(pack).out,
             Contains("  unchanged  " + tool.path("out/one.tidebank")) && Contains("  packed     " + tool.path("out/two.tidebank")));
  CHECK_THAT(tool(pack + " --bank twos").err, Contains("there is no bank 'twos'; did you mean 'two'?"));

  tool.write(
      "j.jsonl",
      "{\"at\": \"0 s\", \"request\": \"raise\", \"event\": \"a\"}\n{\"at\": \"0.1 s\", \"request\": \"raise\", \"event\": \"b\"}\n");
  for (const std::string& from : {tool.path("out"), tool.book()})
    CHECK(tool("render " + from + " " + tool.path("j.jsonl") + " --output " + tool.path(from == tool.book() ? "a.wav" : "b.wav")).exit ==
          0);
  CHECK((tool.read("a.wav") == tool.read("b.wav")));
  CHECK_THAT(tool("render " + tool.path("clips") + " " + tool.path("j.jsonl") + " --output " + tool.path("c.wav")).err,
             Contains("there is no bank in this folder"));
}

TEST_CASE("pack says in JSON what it made, for a target, and fails where a bank is too large") {
  const Tool tool;
  tool.write("book.toml", book_head + "[sounds.s]\nclips=[\"tone.wav\"]\n[events.s]\nstart=\"s\"\n[targets.small]\nsamples=\"16-bit\"\n");
  const std::string pack = "pack " + tool.book() + " --output " + tool.path("out");
  const Ran made = tool(pack + " --json");
  CHECK_THAT(made.out, Contains("\"bank\": \"stage\"") && Contains("\"changed\": true") && Contains("\"too-large\": false"));
  const Ran small = tool(pack + " --target small --largest 60KiB");
  CHECK(small.exit == 0);
  const Ran large = tool(pack + " --largest 60KiB");
  CHECK(large.exit == 1);
  CHECK_THAT(large.err, Contains("more than the 60.0 KiB that were allowed; `tidewater weigh"));
  CHECK_THAT(tool(pack + " --language en").err, Contains("there is no language 'en'; [book] lists them"));
}

TEST_CASE("names of a bank, a book or a journal write nothing that a terminal obeys") {
  const Tool tool;
  const std::string evil = "gong\\u001b]0;PWN\\u0007\\u001b[2J\\u009b2J";
  tool.write("evil.toml",
             book_head + "[sounds.\"" + evil + "\"]\nclips=[\"tone.wav\"]\n[events.\"" + evil + "\"]\nstart=\"" + evil + "\"\n");
  tool.write("evil.jsonl", "{\"at\":0,\"request\":\"raise\",\"event\":\"" + evil + "\"}\n{\"at\":0,\"notice\":\"" + evil + "\"}\n");
  CHECK(tool("pack " + tool.path("evil.toml") + " -o " + tool.path("banks")).exit == 0);
  const std::string bank = tool.path("banks/stage.tidebank");
  for (const std::string& call : {"show " + tool.path("evil.toml"), "check " + tool.path("evil.toml"), "show " + bank,
                                  "weigh --clips " + bank, "show " + bank + " nothing", "journal " + tool.path("evil.jsonl"),
                                  "audition " + tool.path("evil.toml") + " gonk", "unpack " + bank + " -o " + tool.path("unpacked")}) {
    INFO(call);
    const Ran ran = tool(call);
    for (const std::string& text : {ran.out, ran.err})
      for (const char* obeyed : {"\x1b", "\x07", "\xc2\x9b"}) CHECK(text.find(obeyed) == std::string::npos);
  }
  CHECK_THAT(tool("journal " + tool.path("evil.jsonl")).out, Contains("gong\\x1B]0;PWN\\x07"));
}

TEST_CASE("a file of the wrong kind, a folder and a device are told in one line, whatever reads them") {
  const Tool tool;
  tool("pack " + tool.book() + " -o " + tool.path("banks"));
  const std::string bank = tool.path("banks/stage.tidebank"), wave = tool.path("clips/tone.wav");
  const auto one_line = [&](const std::string& call, const std::string& words) {
    INFO(call);
    const Ran ran = tool(call);
    CHECK(ran.exit != 0);
    CHECK_THAT(ran.err, Contains(words));
    CHECK(std::count(ran.err.begin(), ran.err.end(), '\n') <= 2);
  };
  one_line("journal " + wave, "is a WAV file, not a journal");
  one_line("journal " + bank, "is a bank, not a journal");
  one_line("journal " + tool.path("clips"), "is a folder, not a journal");
  one_line("journal /dev/zero", "is a device or a pipe, not a journal");
  one_line("render " + tool.book() + " /dev/zero -o " + tool.path("x.wav"), "is a device or a pipe, not a journal");
  one_line("audition " + bank + " tone", "is a bank, not a book");
  one_line("check " + wave, "is a WAV file, not a book");
  one_line("weigh " + bank + " --journal " + tool.path("clips"), "is a folder, not a journal");
  one_line("weigh " + bank + " --against \"\"", "there is no such file");
  tool.write("empty.jsonl", "");
  one_line("journal " + tool.path("empty.jsonl"), "is empty");
  tool.write("good.jsonl", "{\"at\":0,\"request\":\"raise\",\"event\":\"rung\"}\n");
  one_line("journal " + tool.path("good.jsonl") + " --names " + tool.path("clips"), "is a folder, not a file of names");
  one_line("journal " + tool.path("good.jsonl") + " --names " + tool.book(), "is not a file of names");
  one_line("audition " + tool.book() + " tone --picture " + tool.path("x.jpg"), "use .png or .svg");
  one_line("render " + tool.book() + " " + tool.path("good.jsonl"), "give --output, --picture or --journal");
  CHECK(tool("render " + tool.book() + " " + tool.path("good.jsonl") + " --picture " + tool.path("only.png")).exit == 0);
  CHECK(fs::exists(tool.path("only.png")));
}

TEST_CASE("an audition waits for a delay, and takes gauges and a language along") {
  const Tool tool;
  tool.write_clip("clips/speech/en/hello.wav", sine(300, 0.2, 1, 0.4));
  tool.write_clip("clips/speech/de/hello.wav", sine(600, 0.4, 1, 0.4));
  tool.write("book.toml",
             "[book]\nname=\"stage\"\nspeech=\"speech\"\nlanguages=[\"en\", "
             "\"de\"]\n[gauges.wind]\n[sounds.late]\nclips=[\"tone.wav\"]\ndelay=\"600 ms\"\n"
             "[sounds.gust]\nclips=[\"hum.wav\"]\nloop=true\nfollow=[{gauge=\"wind\", gain=[[0, \"silent\"], [1, \"0 dB\"]]}]\n"
             "[sounds.hello]\nclips=[\"speech/en/"
             "hello.wav\"]\n[events.late]\nstart=\"late\"\n[events.gust]\nstart=\"gust\"\n[events.hello]\nstart=\"hello\"\n");
  const std::string late = tool("audition " + tool.book() + " late --times 2").out;
  CHECK(late.find("silent") == std::string::npos);
  CHECK(late.find("-0.") == std::string::npos);
  CHECK_THAT(tool("audition " + tool.book() + " gust --times 1").out, Contains("gauge 'wind' at 0 makes it silent"));
  CHECK(tool("audition " + tool.book() + " gust --times 1 --gauge wind=1").out.find("silent") == std::string::npos);
  CHECK_THAT(tool("audition " + tool.book() + " gust --gauge wnid=1").err, Contains("did you mean 'wind'?"));
  CHECK_THAT(tool("audition " + tool.book() + " hello --times 1 --language de").out, Contains("speech/de/hello.wav"));
}

TEST_CASE("show lists and shows gauges, banks and targets, leaves out what has its default, and prints it all as JSON") {
  const Tool tool;
  tool.write("book.toml",
             book_head +
                 "[gauges.wind]\nto=40\n[sounds.gust]\nclips=[\"hum.wav\"]\nloop=true\nplace=\"world\"\ncone={inner=\"60 deg\", "
                 "outer=\"180 deg\", "
                 "outside=\"-12 dB\"}\nfollow=[{gauge=\"wind\", gain=[[0, \"-40 dB\"], [40, \"0 dB\"]]}]\n[events.gust]\nstart=\"gust\"\n"
                 "[banks.shore]\nevents=[\"gust\"]\n[targets.handheld]\nrate=\"32 kHz\"\n");
  CHECK_THAT(tool("show " + tool.book()).out, Contains("wind") && Contains("shore") && Contains("handheld") && Contains("32000 Hz"));
  CHECK_THAT(tool("show " + tool.book() + " wind").out, Contains("gauge 'wind'") && Contains("followed by: gust"));
  CHECK_THAT(tool("show " + tool.book() + " shore").out, Contains("bank 'shore'"));
  CHECK_THAT(tool("show " + tool.book() + " handheld").out, Contains("target 'handheld'"));
  CHECK_THAT(tool("place " + tool.book() + " gust --gauge wind=0..40").out, Contains("begins: level") && Contains("ends: level"));
  tool.write("silent.toml", book_head +
                                "[gauges.wind]\n[sounds.gust]\nclips=[\"hum.wav\"]\nplace=\"world\"\nfollow=[{gauge=\"wind\", "
                                "gain=[[0, \"silent\"], [1, \"0 dB\"]]}]\n[events.gust]\nstart=\"gust\"\n");
  CHECK_THAT(tool("place " + tool.path("silent.toml") + " gust").out, Contains("silent by wind"));
  const std::string few = tool("show " + tool.book() + " gust").out, all = tool("show " + tool.book() + " gust --all").out;
  CHECK_THAT(few, Contains("more keys have their defaults; --all shows them") && Contains("60 deg") && Contains("-40 dB"));
  CHECK(few.find("rolloff") == std::string::npos);
  CHECK_THAT(all, Contains("rolloff"));
  const auto json = nlohmann::json::parse(tool("show " + tool.book() + " --json").out);
  CHECK(json["gauges"][0]["to"] == 40);
  CHECK(json["sounds"][0]["keys"]["loop"]["from"] == "own");
  CHECK(nlohmann::json::parse(tool("show " + tool.book() + " gust --json").out)["events"].size() == 1);
}

TEST_CASE("what begins silent and is heard later is no unheard sound, in report and journal; what was left out of a journal is counted") {
  const Tool tool;
  tool.write(
      "book.toml",
      book_head +
          "[gauges.wind]\n[sounds.gust]\nclips=[\"hum.wav\"]\nloop=true\nfollow=[{gauge=\"wind\", gain=[[0, \"silent\"], [1, \"0 dB\"]]}]\n"
          "[events.gust]\nstart=\"gust\"\n");
  std::string journal = "{\"at\":0,\"request\":\"raise\",\"event\":\"gust\"}\n";
  for (int i = 0; i < 12; ++i)
    journal += "{\"at\":\"" + std::to_string(1 + i) +
               " s\",\"request\":\"gauge\",\"gauge\":\"wind\",\"value\":" + std::to_string(1.0 - i * 0.01) + "}\n";
  tool.write("j.jsonl", journal + "{\"at\":\"13 s\",\"request\":\"stop-all\",\"fade\":\"0.1 s\"}\n");
  const Ran ran =
      tool("render " + tool.book() + " " + tool.path("j.jsonl") + " -o " + tool.path("x.wav") + " --journal " + tool.path("k.jsonl"));
  CHECK_THAT(ran.out, Contains("started    1 sound\n"));
  CHECK(ran.out.find("unheard") == std::string::npos);
  CHECK(tool("journal " + tool.path("k.jsonl") + " --unheard").out.empty());
  CHECK_THAT(tool("journal " + tool.path("k.jsonl")).out, Contains("11 gauge requests after the first"));
}

TEST_CASE("what check calls good packs: other languages' clips, stops across banks, folders of speech that are none") {
  const Tool tool;
  tool.write_clip("clips/speech/en/hello.wav", sine(300, 0.2, 1, 0.4));
  tool.write("clips/speech/de/hello.wav", "no sound");
  const std::string head = "[book]\nname=\"stage\"\nspeech=\"speech\"\nlanguages=[\"en\", \"de\"]\n";
  const std::string sounds =
      "[sounds.hello]\nclips=[\"speech/en/"
      "hello.wav\"]\n[sounds.tone]\nclips=[\"tone.wav\"]\n[events.a]\nstart=\"hello\"\n[events.b]\nstart=\"tone\"\n";
  const auto says = [&](const std::string& text, const std::string& words) {
    tool.write("book.toml", text);
    INFO(text);
    const Ran ran = tool("check " + tool.book());
    CHECK_THAT(ran.out, Contains(words));
    CHECK((ran.exit == 0) == (words == "good" || words == "in-no-bank"));
  };
  says(head + sounds, "clip 'speech/de/hello.wav', in language 'de': it cannot be read");
  tool.write_clip("clips/speech/de/hello.wav", sine(600, 0.2, 1, 0.4));
  says(head + sounds, "good");
  says("[book]\nname=\"stage\"\nspeech=\"voices\"\nlanguages=[\"en\", \"de\"]\n" + sounds, "no clip lies in 'voices/en/'");
  says("[book]\nname=\"stage\"\nspeech=\"speech\"\nlanguages=[\"de\", \"en\"]\n" + sounds,
       "'speech/en/hello.wav' is not in the first language");
  says(head + sounds + "[events.c]\nstop=\"tone\"\n[banks.one]\nevents=[\"a\", \"c\"]\n[banks.two]\nevents=[\"b\"]\n",
       "'c' is in bank 'one', and would stop 'tone', which bank 'two' starts");
  says(head + sounds + "[banks.one]\nevents=[\"a\"]\n", "in-no-bank");
}

TEST_CASE("show lists scopes, and says who names one") {
  const Folder folder;
  folder.write("book.toml",
               "[book]\nname=\"mill\"\n[scopes.yard]\nfade-out=\"300 ms\"\n[scopes.wheel]\nparent=\"yard\"\n[groups.out]\nscope=\"yard\"\n"
               "[sounds.creak]\ngroup=\"out\"\n[sounds.creak.sketch]\nlike=\"hum\"\n[events.turned]\nstart=\"creak\"\n");
  const Ran all = run(folder, BUILD_FOLDER "/tidewater show " + folder.path("book.toml"));
  CHECK_THAT(all.out, Contains("wheel     5  yard    0 s       0.01 s      1 s"));
  const Ran one = run(folder, BUILD_FOLDER "/tidewater show " + folder.path("book.toml") + " yard");
  CHECK_THAT(one.out, Contains("fade-out    0.3 s") && Contains("named by: scope wheel, group out"));
  const Ran wrong = run(folder, BUILD_FOLDER "/tidewater show " + folder.path("book.toml") + " yrd");
  CHECK_THAT(wrong.err, Contains("nothing in it is called 'yrd'; did you mean 'yard'?"));
}
