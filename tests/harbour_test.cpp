#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include "media/decode.hpp"
#include "process.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string harbour = BUILD_FOLDER "/examples/harbour/harbour";
const std::string banks = BUILD_FOLDER "/examples/harbour/banks/";
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

TEST_CASE("a hundred thousand crickets move, and the walker hears as many as there are voices") {
  const Folder folder;
  const Ran ran = run(folder, BUILD_FOLDER "/examples/crowd/crowd --seconds 1");
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("100000 crickets") && Contains("      64   99936  "));
  CHECK(run(folder, BUILD_FOLDER "/examples/crowd/crowd --seconds 0").exit == 2);
}

TEST_CASE("place tells, draws and renders how a sound in the world is heard") {
  const Folder folder;
  folder.write("book.toml",
               "[book]\nname=\"b\"\n[sounds.horn]\nsketch={hold=true, level=\"-6 dB\"}\nloop=true\nplace=\"world\"\nfar=\"40 m\"\n"
               "[sounds.click]\nsketch=\"step\"\n[events.e]\nresponses=[{start=\"horn\"}, {start=\"click\"}]\n");
  const std::string place = "cd " + folder.path() + " && " + tool + " place book.toml ";
  const Ran ran = run(folder, place + "horn --layout 5.1 --output walk.wav --picture walk.png");
  INFO(ran.err);
  CHECK(ran.exit == 0);
  CHECK_THAT(ran.out, Contains("horn: inverse, near 1 m, far 40 m, radius 0.5 m") && Contains("      10 m  -20.0 dB") &&
                          Contains("silent") && Contains("back right") && Contains("picture    walk.png"));
  CHECK(std::filesystem::file_size(folder.path("walk.wav")) > std::size_t{6} * 20 * 48000 * 2);
  CHECK(std::filesystem::file_size(folder.path("walk.png")) > 10'000);
  CHECK_THAT(run(folder, place + "click").err, Contains("'click' is on the screen, the same wherever one stands; write place = \"world\""));
  CHECK_THAT(run(folder, place + "horm").err, Contains("has no sound 'horm'; did you mean 'horn'?"));
  CHECK(run(folder, place + "horn --layout 3.1").exit == 2);
  CHECK_THAT(run(folder, place + "horn --gauge tide").err, Contains("--gauge tide: write a gauge as tide=0.6, or tide=0..1"));
  CHECK_THAT(run(folder, place + "horn --gauge tide=0..1").err, Contains("has no gauge 'tide'"));
}

TEST_CASE("placeholders are marked where they are heard and shown") {
  const Folder folder;
  CHECK_THAT(run(folder, tool + " audition " + harbour_book + " steps --times 1 --trait surface=steel").out,
             Contains("steps/steel-") && Contains("LUFS  placeholder"));
  CHECK_THAT(run(folder, tool + " show " + harbour_book + " rope").out, Contains("sketch:rope-3  (placeholder)"));
  CHECK_THAT(run(folder, tool + " show " + harbour_book + " bell").out, !Contains("(placeholder)"));
}

TEST_CASE("a minute at the harbour sounds in each language on each target, never clips, and its journal gives it again bit for bit") {
  std::set<std::vector<float>> heard;
  std::size_t runs = 0;
  for (const std::string target : most_of({"desk", "handheld"}))
    for (const std::string language : most_of({"kelpish", "reedish"})) {
      INFO(target << ", " << language);
      const Folder folder;
      const std::string its = banks + target;
      REQUIRE(run(folder, harbour + " --banks " + its + " --language " + language + " --out " + folder.path()).exit == 0);
      const Take take{decode_file(folder.path("harbour.wav")).samples};
      CHECK(take.frames() == 60 * 48000);
      CHECK(take.peak() < 0.9);
      CHECK(take.onset() == Approx(0.1).margin(0.005));
      // Under way it is never silent, and nothing pumps: each second is within reach of its neighbours.
      for (int second = 4; second < 54; ++second) CHECK(decibels(take.part(second, 1).rms()).value == Approx(-25).margin(9));

      const Ran again =
          run(folder, tool + " render " + its + " " + folder.path("harbour.journal.jsonl") + " --output " + folder.path("again.wav") +
                          " --journal " + folder.path("again.jsonl") + " --picture " + folder.path("again.png"));
      REQUIRE(again.exit == 0);
      CHECK_THAT(again.out, Contains("ferry.whistled  unknown-event"));
      CHECK((folder.read("again.wav") == folder.read("harbour.wav")));
      heard.insert(take.samples);
      ++runs;
    }
  // Each is another: the passengers talk otherwise, and a small speaker has less.
  CHECK(heard.size() == runs);
}

TEST_CASE("the harbour's program has its banks come and go, and links nothing that makes them") {
  const Folder folder;
  REQUIRE(run(folder, harbour + " --out " + folder.path()).exit == 0);
  const std::string journal = folder.read("harbour.journal.jsonl");
  const auto at = [&](const std::string& what) { return journal.find(what); };
  CHECK(at("\"request\":\"load\",\"bank\":\"quay\"") < at("\"request\":\"load\",\"bank\":\"weather\""));
  CHECK(at("\"request\":\"load\",\"bank\":\"weather\"") < at("\"event\":\"rain.began\""));
  CHECK(at("\"event\":\"rain.ended\"") < at("\"request\":\"unload\",\"bank\":\"weather\",\"what-plays\":\"finishes\""));
  CHECK(at("\"request\":\"unload\",\"bank\":\"music\"") != std::string::npos);

  const Ran symbols = run(folder, "nm -C " + harbour);
  REQUIRE(symbols.exit == 0);
  CHECK_THAT(symbols.out, Contains("tidewater::open_bank"));
  CHECK_THAT(symbols.out, !Contains("read_book") && !Contains("toml::") && !Contains("ebur128"));
}

TEST_CASE("the ferry moors in stages, the world pauses once and slows down once, and passengers walk by cadence") {
  const Folder folder;
  REQUIRE(run(folder, harbour + " --out " + folder.path()).exit == 0);
  const std::string journal = folder.path("harbour.journal.jsonl");
  const auto told = [&](const std::string& event) { return run(folder, tool + " why " + journal + " --event " + event).out; };
  CHECK_THAT(told("ferry.moored.begun"), Contains("'rope' was heard") && Contains("'winch' was heard"));
  CHECK_THAT(told("ferry.moored.interrupted"), Contains("done 'winch'") && Contains("'bump' was heard"));
  CHECK_THAT(told("ferry.docked"), Contains("raised by 'ferry.moored.completed'") && Contains("'gangway' was heard"));
  CHECK_THAT(told("passenger.walked"), Contains("steps/steel-") && Contains("plays on, with surface=planks from its next start on"));

  const std::string lines = folder.read("harbour.journal.jsonl");
  for (const char* request : {"scope-pause", "scope-resume"}) {
    const std::string its = std::string("\"request\":\"") + request + "\"";
    CHECK(lines.find(its) != std::string::npos);
    CHECK(lines.find(its) == lines.rfind(its));
  }
  // While the world stands, only the music and the menu are heard: the water is a noise that neither of them has.
  const Take take{decode_file(folder.path("harbour.wav")).samples};
  const auto hiss = [&](double from) {
    const Take part = take.part(from, 0.25);
    std::vector<float> mono(part.frames());
    for (std::size_t i = 0; i < mono.size(); ++i) mono[i] = part.left(i);
    const std::vector<float> low = below(mono, 8000, test_rate.value);
    const std::size_t left_out = (mono.size() - low.size()) / 2;
    std::vector<float> high(low.size());
    for (std::size_t i = 0; i < high.size(); ++i) high[i] = mono[i + left_out] - low[i];
    return power(high);
  };
  const double before = hiss(13.7);
  CHECK(hiss(15.2) < before - 20);
  CHECK(hiss(15.7) > before - 6);
}

TEST_CASE("the harbour's banks for a handheld are half the size, and no loop of theirs was encoded anew") {
  const Folder folder;
  const auto size = [](const std::string& target) {
    std::uintmax_t all = 0;
    for (const char* bank : {"quay.kelpish", "weather", "music"})
      all += std::filesystem::file_size(banks + target + "/" + bank + ".tidebank");
    return static_cast<double>(all);
  };
  CHECK(size("handheld") < 0.65 * size("desk"));
  CHECK_THAT(run(folder, tool + " weigh " + banks + "handheld/music.tidebank").out, Contains("Ogg, streams"));
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

TEST_CASE("each small example does what it shows, in less than eighty lines") {
  const Folder folder;
  struct Case {
    std::string name, first, then;
  };
  for (const auto& [name, first, then] :
       {Case{"steps", "started on-planks", "started on-steel"},
        Case{"rapid_fire", "its spacing is 60 ms", "30 shots were raised in a second"},
        Case{"tied_loop", "motor.ran: started motor", "1.00 s of silence"},
        Case{"stages", "net.hauled.completed: started thud", "net.hauled.called-off: done creak"},
        Case{"split_screen", "it is 100 m away, and far is 50 m", "started frog"}, Case{"slow_motion", "started oars", "started click"},
        Case{"level_restart", "level.begun: went-on", "nobody has asked for the pump again"},
        Case{"pause_menu", "wave.broke: paused", "1.00 s of silence"},
        Case{"settings_page", "music     50 %  on", "kept in out/settings.json"}}) {
    const Ran ran = run(folder, "cd " + folder.path() + " && " BUILD_FOLDER "/examples/small/" + name);
    INFO(name << "\n" << ran.out << ran.err);
    CHECK(ran.exit == 0);
    const auto at = ran.out.find(first);
    REQUIRE(at != std::string::npos);
    CHECK(ran.out.find(then, at) != std::string::npos);
    std::ifstream source(PROJECT_FOLDER "/examples/small/" + name + ".cpp");
    std::size_t lines = 0;
    for (std::string line; std::getline(source, line);) ++lines;
    CHECK(lines > 10);
    CHECK(lines < 80);
  }
}
