#include <catch2/catch.hpp>

#include <array>

#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr int books = 120;
#else
constexpr int books = 3000;
#endif

/// Books of keys that the documents show, on clips that suit some of them only.
class Writer : public Folder {
 public:
  explicit Writer(std::uint64_t seed) : random_(seed) {
    setenv("TIDEWATER_CACHE", path("cache").c_str(), 1);
    write_clip("clips/tone.wav", sine(1000, 0.5));
    write_clip("clips/short.wav", sine(1000, 0.01));
    write_clip("clips/one.wav", {0.5F});
    write_clip("clips/wide.wav", sine(300, 0.2, 2), 2);
    write_clip("clips/odd.wav", sine(300, 0.2), 1, 22050);
    write_clip("clips/still.wav", std::vector<float>(2400, 0.0F));
    write("clips/bad.wav", "nothing");
    for (const auto* name : {"en/hello", "de/hello", "en/bye", "en/broken"})
      write_clip(std::string("clips/speech/") + name + ".wav", sine(500, 0.1));
    write("clips/speech/de/broken.wav", "nothing");
  }

  std::string book() {
    std::string text = "[book]\nname = \"b\"\n" + some("book") + (below(9) == 0 ? "" : "[groups.voices]\n") + "[groups.effects]\n" +
                       some("groups") + "[gauges.throttle]\n" + (below(4) == 0 ? some("gauges") : "");
    text += below(9) == 0 ? "" : "[scopes.world]\n[scopes.water]\n" + (below(4) == 0 ? some("scopes") : "");
    text += "[sounds.engine]\nclips = [\"tone.wav\"]\n";
    for (const auto* name : {"gangway", "horn"}) {
      text += std::string("[sounds.") + name + "]\n";
      if (below(4) == 0) {
        text += "layers = [";
        for (std::size_t i = 0; i <= below(3); ++i) text += "{ clips = " + clips() + layer_keys() + " }, ";
        text += "]\n" + some("sounds");
      } else {
        text += "clips = " + clips() + "\n" + loop() + some("sounds");
      }
    }
    return text + "[events.\"ferry.docked\"]\nstart = \"" + (below(9) == 0 ? "bell" : "gangway") +
           "\"\n[events.horn]\nresponses = [ { start = \"horn\" } ]\n";
  }

  /// Of two banks, in two languages, for a target.
  std::string shipped() {
    std::string text = std::string("[book]\nname = \"b\"\nspeech = \"") + (below(9) == 0 ? "voices" : "speech") + "\"\nlanguages = " +
                       one_of({R"(["en", "de"])", R"(["en", "de"])", R"(["en", "de"])", R"(["en"])", R"(["de", "en"])"}) + "\n" +
                       "[groups.effects]\n[targets.small]\n" + some("targets");
    std::array<std::string, 2> banks;
    for (int i = 0; i < 4; ++i) {
      const std::string number = std::to_string(i);
      text += "[sounds.s" + number + "]\nclips = [\"" +
              one_of({"tone", "wide", "odd", "speech/en/hello", "speech/en/bye", below(6) == 0 ? "speech/en/broken" : "short"}) +
              ".wav\"]\n" + one_of({"", "", "loop = true\n", "stream = true\n", "group = \"effects\"\n"});
      text += "[events.e" + number + "]\nresponses = [ { start = \"s" + number + "\" }" +
              (below(8) == 0 ? ", { stop = \"s" + std::to_string(below(4)) + "\" }" : "") + " ]\n";
      const std::size_t bank = below(9);
      if (bank < 8) banks[bank % 2] += "\"e" + number + "\", ";
    }
    for (std::size_t b = 0; b < 2; ++b)
      if (!banks[b].empty()) text += "[banks.b" + std::to_string(b) + "]\nevents = [" + banks[b] + "]\n";
    return text;
  }

 private:
  std::size_t below(std::size_t count) { return random_.below(static_cast<std::uint32_t>(count)); }
  std::string clips() {
    static const std::vector<std::string> names = {"tone", "tone", "wide", "odd", "short", "tone", "still", "one", "bad", "none"};
    std::string list;
    for (std::size_t i = 0; i <= below(2); ++i) list += "\"" + names[below(below(3) == 0 ? names.size() : 4)] + ".wav\", ";
    return "[" + list + "]";
  }

  std::string one_of(const std::vector<std::string>& values) { return values[below(values.size())]; }
  std::string between() {
    return one_of({"\"from-file\"", "\"100 ms .. 200 ms\"", "\"0.1 s .. 0.4 s\"", "\"0 s .. 0.5 s\"", "\"0.2 s .. 0.2 s\"",
                   "\"0.1 s .. 0.6 s\"", "\"0 s .. 1 ms\"", "\"0.4 s .. 0.2 s\"", "\"3 s .. 4 s\""});
  }
  std::string crossfade() { return one_of({"\"5 ms\"", "\"20 ms\"", "\"0.1 s\"", "\"240 ms\"", "\"300 ms\"", "\"9 s\""}); }
  std::string loop() {
    if (below(3) != 0) return {};
    return "loop = true\n" + (below(2) == 0 ? "loop-between = " + between() + "\n" : "") +
           (below(2) == 0 ? "loop-crossfade = " + crossfade() + "\n" : "");
  }
  std::string layer_keys() {
    std::string keys;
    if (below(3) == 0) keys += ", loop = true, loop-between = " + between();
    if (below(3) == 0) keys += ", chance = " + one_of({"\"30 %\"", "\"0 %\"", "\"130 %\""});
    if (below(3) == 0) keys += ", start-at = " + one_of({"\"100 ms\"", "\"5 s\"", "\"anywhere\"", "\"0 ms .. 80 ms\"", "3"});
    if (below(3) == 0) keys += ", pick = " + one_of({"\"random\"", "\"any\"", "\"in-order\""});
    if (below(6) == 0) keys += ", stream = true";
    return keys;
  }

  /// Keys of a section as the documents show them, now and then with a value of another key.
  std::string some(std::string_view section) {
    std::string text;
    std::vector<const BookKey*> keys;
    for (const auto& key : book_keys())
      if (key.section == section) keys.push_back(&key);
    static const std::vector<std::string_view> apart = {"clips",        "layers",         "sketch", "name",      "loop",
                                                        "loop-between", "loop-crossfade", "like",   "soundfont", "parent"};
    for (const auto* key : keys) {
      if (below(6) != 0 || std::find(apart.begin(), apart.end(), key->key) != apart.end()) continue;
      const BookKey& value = below(25) == 0 ? *keys[below(keys.size())] : *key;
      if (key->key == "when-full" && text.find("limit") == std::string::npos) text += "limit = 2\n";
      text += std::string(key->key) + " = " + std::string(value.example) + "\n";
    }
    return text;
  }

  Random random_;
};

}  // namespace

TEST_CASE("what check calls good compiles and plays; what it refuses does not compile") {
  Writer writer(71);
  int good = 0, refused = 0;
  for (int i = 0; i < books; ++i) {
    const std::string text = writer.book();
    writer.write("book.toml", text);
    ReadBook read = read_book(writer.path("book.toml"));
    std::vector<Problem> problems = read.problems;
    for (const auto& problem : check_clips(read.book).problems) problems.push_back(problem);
    INFO(text);
    try {
      const Bank bank = compile_book(writer.path("book.toml"));
      INFO((problems.empty() ? "" : to_text(problems.front())));
      REQUIRE(problems.empty());
      SoundManager manager;
      manager.load(bank);
      manager.raise("ferry.docked");
      manager.raise("horn");
      std::vector<float> samples(2 * 480);
      manager.render(samples);
      ++good;
    } catch (const Error& error) {
      INFO(error.what());
      REQUIRE_FALSE(problems.empty());
      ++refused;
    }
  }
  INFO(good << " good, " << refused << " refused");
  CHECK(good > books / 10);
  CHECK(refused > books / 8);
}

TEST_CASE("what check calls good packs, for every target and language") {
  Writer writer(72);
  int good = 0, refused = 0;
  for (int i = 0; i < times(300, 20); ++i) {
    const std::string text = writer.shipped();
    writer.write("book.toml", text);
    const ReadBook read = read_book(writer.path("book.toml"));
    std::vector<Problem> problems = read.problems;
    if (problems.empty()) problems = check_clips(read.book).problems;
    if (problems.empty()) problems = check_packing(read.book);
    if (!problems.empty()) {
      ++refused;
      continue;
    }
    INFO(text);
    for (const std::string target : {"", "small"})
      for (const PackedBank& bank : pack(read.book, writer.path("banks"), {.target = target})) CHECK(verify_bank(bank.file).empty());
    ++good;
  }
  INFO(good << " good, " << refused << " refused");
  CHECK(good > times(75, 3));
  CHECK(refused > times(75, 3));
}
