/// Clips of a bank that are read when they are first needed.

#include <algorithm>
#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <cstring>
#include <thread>

#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/watch_bank.hpp"
#include "tidewater/error.hpp"
#include "tidewater/memory.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string book = R"(
[groups.speech]
preload = false
[sounds.bell]
clips = ["n-1.wav"]
[sounds.horn]
group = "speech"
layers = [ { clips = ["tone.wav"] }, { clips = ["low.wav"], delay = "20 ms" } ]
[sounds.call]
group = "speech"
clips = ["n-2.wav", "n-3.wav", "n-4.wav", "n-5.wav"]
pick = "in-order"
[sounds.hum]
group = "speech"
preload = true
clips = ["hum.wav"]
[events.bell]
start = "bell"
[events.horn]
start = "horn"
[events.call]
start = "call"
[events.hum]
start = "hum"
[events.hush]
stop = "horn"
)";

/// A bank whose bytes are given out by the test: when it lets them, and as it changes them.
struct Shelf {
  Shelf() {
    write_stage_clips(folder);
    folder.write("book.toml", book_head + book);
    const std::string file = pack(read_book(folder.path("book.toml")).book, folder.path("banks")).front().file;
    bytes = folder.read(std::filesystem::relative(file, folder.path()).string());
  }

  Bank open() {
    const BankSource source{bytes.size(), [this](std::uint64_t at, std::span<std::byte> to) {
                              while (held) std::this_thread::sleep_for(std::chrono::milliseconds(1));
                              ++reads;
                              if (at > bytes.size() || to.size() > bytes.size() - at) return false;
                              std::memcpy(to.data(), bytes.data() + at, to.size());
                              return true;
                            }};
    return *read_bank(source, "quay.tidebank").value;
  }

  Folder folder;
  std::string bytes;
  std::atomic<bool> held{false};
  std::atomic<int> reads{0};
};

/// A game that plays it live.
struct Game {
  explicit Game(ManagerOptions options = {}) {
    options.journal = [this](const JournalEntry& entry) { journal += to_json(entry) + "\n"; };
    manager = std::make_unique<SoundManager>(std::move(options));
  }
  /// An update and a block.
  void step() {
    manager->update(Seconds{512 / 48000.0});
    const std::size_t before = samples.size();
    samples.resize(before + 1024);
    manager->render(std::span(samples).subspan(before));
  }
  /// Up to when it is so; the reading thread gets time to read.
  template <class Is>
  bool until(Is is) {
    for (int i = 0; i < 5000 && !is(); ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
      step();
    }
    return is();
  }
  bool has(const std::string& what) const { return journal.find(what) != std::string::npos; }
  bool silent_since(std::size_t at) const {
    return std::all_of(samples.begin() + static_cast<std::ptrdiff_t>(at), samples.end(), [](float sample) { return sample == 0; });
  }

  std::string journal;
  std::vector<float> samples;
  std::unique_ptr<SoundManager> manager;
};

std::string replayed(const Game& game, const Bank& bank, std::vector<float>& samples) {
  const JournalScript script = parse_journal(game.journal, "j");
  ManagerOptions options = options_of(script);
  std::string journal;
  options.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; };
  SoundManager manager(std::move(options));
  replay(script, bank, manager, [&](std::span<const float> block) { samples.insert(samples.end(), block.begin(), block.end()); });
  manager.update({});
  return journal;
}

}  // namespace

TEST_CASE("what is not preloaded is read when it is raised, waits without a voice, and then sounds whole, all its layers together",
          "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  CHECK(shelf.reads < 4);  // header and table
  Game game;
  game.manager->load(bank);
  const std::uint64_t preloaded = game.manager->stats().clip_bytes;
  CHECK(preloaded > 0);
  CHECK(preloaded < bank.sample_bytes() / 2);
  CHECK(game.manager->raise("bell").outcome == Outcome::started);
  CHECK(game.manager->raise("hum").outcome == Outcome::started);
  CHECK(game.until([&] { return game.manager->stats().playbacks == 0; }));

  shelf.held = true;
  const Raised raised = game.manager->raise("horn");
  CHECK(raised.outcome == Outcome::reading);
  CHECK(plays(raised.outcome));
  const std::size_t from = game.samples.size();
  for (int i = 0; i < 20; ++i) game.step();
  CHECK(game.silent_since(from));
  CHECK(game.manager->stats().voices == 0);
  CHECK_FALSE(raised.playback().ended());
  shelf.held = false;
  CHECK(game.until([&] { return game.manager->stats().playbacks == 0; }));
  CHECK(game.has("\"outcome\":\"reading\""));
  CHECK(game.has("'tone.wav' was not in memory and is being read; prefetch the event earlier, or let its sound preload"));
  CHECK(game.has("\"request\":\"clip-read\",\"bank\":\"stage\",\"clip\":\"low.wav\""));

  // As the same sound does where all is in memory.
  Game other;
  other.manager->load(bank, Preload::all);
  other.manager->raise("horn");
  CHECK(other.until([&] { return other.manager->stats().playbacks == 0; }));
  const auto sounding = [](const Game& its, std::size_t at) {
    std::vector<float> heard(its.samples.begin() + static_cast<std::ptrdiff_t>(at), its.samples.end());
    heard.erase(heard.begin(), std::find_if(heard.begin(), heard.end(), [](float sample) { return sample != 0; }));
    while (!heard.empty() && heard.back() == 0) heard.pop_back();
    return heard;
  };
  CHECK(sounding(other, 0).size() > 40'000);
  CHECK((sounding(game, from) == sounding(other, 0)));

  // It is there now; and a replay has the same samples.
  CHECK(game.manager->raise("horn").outcome == Outcome::started);
  game.step();
  game.manager.reset();
  std::vector<float> again;
  CHECK(replayed(game, bank, again) != "");
  CHECK((again == game.samples));
}

TEST_CASE("what is prefetched is heard at once; offline the call reads, and nothing waits", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game;
  game.manager->load(bank, Preload::none);
  CHECK(game.manager->stats().clip_bytes == 0);
  CHECK(game.manager->prefetch("call") == Outcome::done);
  CHECK(game.manager->prefetch("cal") == Outcome::unknown_event);
  CHECK(game.until([&] { return game.manager->stats().clip_bytes > 4 * 4800 * 2; }));
  CHECK(game.manager->raise("call").outcome == Outcome::started);
  CHECK(game.manager->raise("bell").outcome == Outcome::reading);

  SoundManager offline({.offline = true});
  offline.load(bank, Preload::none);
  CHECK(offline.raise("call").outcome == Outcome::started);
  std::vector<float> block(2000);
  offline.render(block);
  CHECK(*std::max_element(block.begin(), block.end()) > 0.1F);
}

TEST_CASE("what is stopped or unloaded while it waits for its clips is over, and is never heard", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game;
  game.manager->load(bank);
  shelf.held = true;
  const Playback first = game.manager->raise("horn").playback();
  Playback second = game.manager->raise("horn").playback();
  Playback third = game.manager->raise("horn").playback();
  CHECK(second.stop() == Outcome::done);
  CHECK(second.ended());
  CHECK(game.manager->raise("hush").outcome == Outcome::done);
  CHECK(first.ended());
  CHECK(third.set_gain(Decibels{-6}) == Outcome::already_ended);
  game.manager->raise("call");
  CHECK(game.manager->unload("stage"));
  shelf.held = false;
  for (int i = 0; i < 50; ++i) game.step();
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  for (int i = 0; i < 50; ++i) game.step();
  CHECK(game.silent_since(0));
  CHECK(game.manager->stats().playbacks == 0);
  CHECK(game.manager->stats().clip_bytes == 0);
  game.manager->load(bank);
  CHECK(game.manager->raise("horn").outcome == Outcome::reading);
  CHECK(game.until([&] { return game.manager->stats().voices == 2; }));
}

TEST_CASE("a clip that is damaged, or gone, when it is needed is told with its bank, and all others play", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game;
  game.manager->load(bank);
  const std::string whole = shelf.bytes;
  SECTION("damaged") { std::fill(shelf.bytes.begin() + 60'000, shelf.bytes.end(), '\x11'); }
  SECTION("cut off") { shelf.bytes.resize(60'000); }
  const Playback playback = game.manager->raise("horn").playback();
  CHECK(game.until([&] { return playback.ended(); }));
  game.step();
  CHECK(game.has("\"how\":\"unreadable\""));
  CHECK(
      game.has("\"why\":\"quay.tidebank: the bank is damaged: samples of its clip 'tone.wav' cannot be read, or are not what was written"));
  CHECK(game.manager->raise("bell").outcome == Outcome::started);
  {
    std::string why;
    SoundManager offline({.journal =
                              [&](const JournalEntry& entry) {
                                if (const auto* decision = entry.as<noted::Decision>()) why = decision->why;
                              },
                          .offline = true});
    offline.load(bank, Preload::none);
    CHECK(offline.raise("horn").outcome == Outcome::unreadable);
    offline.update({});
    CHECK_THAT(why, Contains("quay.tidebank: the bank is damaged"));
  }
  // It is tried again: what was a moment's trouble is over.
  shelf.bytes = whole;
  CHECK(game.manager->raise("horn").outcome == Outcome::reading);
  CHECK(game.until([&] { return game.manager->stats().voices == 2; }));
}

TEST_CASE("clips keep to their budget: who fell idle first makes room, and what sounds or is preloaded stays", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game;
  game.manager->load(bank);
  const std::uint64_t one_more = game.manager->stats().clip_bytes + 25'000;  // a call takes some 20 KB
  ManagerOptions options;
  options.clip_memory = one_more;
  Game tight(options);
  tight.manager->load(bank);
  for (int i = 0; i < 8; ++i) {
    const Playback call = tight.manager->raise("call").playback();
    CHECK(tight.until([&] { return call.ended(); }));
    tight.step();
    CHECK(tight.manager->stats().clip_bytes <= one_more);
  }
  CHECK(tight.has("\"request\":\"clip-dropped\",\"bank\":\"stage\",\"clip\":\"n-2.wav\""));
  CHECK(tight.manager->raise("call").outcome == Outcome::reading);  // it was dropped long ago
  tight.manager->raise("horn");
  CHECK(tight.until([&] { return tight.manager->stats().voices == 2; }));
  tight.step();
  CHECK(tight.has("more than the"));
  CHECK(tight.until([&] { return tight.manager->stats().playbacks == 0; }));
  tight.step();
  CHECK(tight.manager->stats().clip_bytes <= one_more);
  CHECK(tight.manager->raise("bell").outcome == Outcome::started);
  tight.step();
  tight.manager.reset();
  std::vector<float> again;
  replayed(tight, bank, again);
  CHECK((again == tight.samples));
}

TEST_CASE("several managers share what is in memory; it goes with the last of them", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  auto one = std::make_unique<SoundManager>(), other = std::make_unique<SoundManager>();
  one->load(bank, Preload::all);
  const int read = shelf.reads;
  other->load(bank, Preload::all);
  CHECK(shelf.reads == read);
  one.reset();
  SoundManager third;
  third.load(bank, Preload::all);
  CHECK(shelf.reads == read);
  other.reset();
  third.unload("stage");
  third.update({});
  SoundManager fourth;
  fourth.load(bank, Preload::all);
  CHECK(shelf.reads > read);
}

TEST_CASE("a bank that is loaded in the background says how far it is, and when it is there or why not; meanwhile all goes on",
          "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game;
  shelf.held = true;
  const BankLoading loading = game.manager->load_in_background(bank, Preload::all);
  for (int i = 0; i < 20; ++i) game.step();
  CHECK_FALSE(loading.done());
  CHECK(loading.progress() == 0);
  CHECK(game.manager->raise("horn").outcome == Outcome::unknown_event);
  shelf.held = false;
  CHECK(game.until([&] { return !game.manager->finished_loads().empty(); }));
  CHECK(loading.done());
  CHECK(loading.progress() == 1);
  CHECK(loading.problem().empty());
  REQUIRE(game.manager->finished_loads().size() == 1);
  CHECK(game.manager->finished_loads()[0].bank == "stage");
  CHECK(game.manager->finished_loads()[0].problem.empty());
  CHECK(game.manager->raise("horn").outcome == Outcome::started);
  game.step();
  CHECK(game.manager->finished_loads().empty());

  const BankLoading twice = game.manager->load_in_background(bank);
  CHECK(game.until([&] { return twice.done(); }));
  CHECK_THAT(twice.problem(), Contains("a bank named 'stage' is loaded already"));
  shelf.held = true;
  const BankLoading never = [&] {
    SoundManager short_lived;
    const BankLoading begun = short_lived.load_in_background(bank);
    shelf.held = false;
    return begun;
  }();
  CHECK(never.done());

  SoundManager offline({.offline = true});
  const BankLoading nothing = offline.load_in_background(bank, Preload::none);
  CHECK(nothing.done());
  CHECK(nothing.progress() == 1);
  CHECK(offline.raise("horn").outcome == Outcome::started);
}

TEST_CASE("a game without a reading thread reads when it likes: nothing is read before, and all is afterwards", "[threads]") {
  Shelf shelf;
  const Bank bank = shelf.open();
  Game game({.reading_thread = false});
  game.manager->load(bank, Preload::none);
  const Playback playback = game.manager->raise("horn").playback();
  const int before = shelf.reads;
  for (int i = 0; i < 20; ++i) game.step();
  CHECK(shelf.reads == before);
  CHECK(game.manager->read_for(Seconds{}));  // one of two
  while (game.manager->read_for(Seconds{0.001})) {
  }
  game.step();
  CHECK(game.manager->stats().voices == 2);
  CHECK(game.until([&] { return playback.ended(); }));
  const BankLoading again = game.manager->load_in_background(bank);
  while (game.manager->read_for(Seconds{1})) {
  }
  CHECK(again.done());
}

namespace {

/// Packs a book of one hum and one call, whose pitches a version has.
std::string pack_version(const Folder& folder, double hum, double call) {
  folder.write_clip("clips/hum.wav", sine(hum, 1, 1, 0.3));
  folder.write_clip("clips/call.wav", sine(call, 0.2, 1, 0.3));
  folder.write("book.toml", book_head +
                                "[sounds.hum]\nclips = [\"hum.wav\"]\nloop = true\n[sounds.call]\nclips = [\"call.wav\"]\n"
                                "[events.hum]\nstart = \"hum\"\n[events.hush]\nstop = \"hum\"\n[events.call]\nstart = \"call\"\n");
  return pack(read_book(folder.path("book.toml")).book, folder.path("banks")).front().file;
}

double pitch_at_end(const Game& game) {
  Take take;
  take.samples.assign(game.samples.end() - 9600, game.samples.end());
  return take.pitch();
}

}  // namespace

TEST_CASE("a bank that is packed again is heard in the running game; what plays goes on with the old version, and is stopped by the new",
          "[threads]") {
  Folder folder;
  const std::string file = pack_version(folder, 300, 700);
  Game game;
  BankWatch watch(*game.manager, file);
  std::vector<std::string> said;
  const auto look = [&] {
    if (const auto its = watch.look()) said.push_back(*its);
    return said.size();
  };
  const Playback hum = game.manager->raise("hum").playback();
  for (int i = 0; i < 20; ++i) game.step();
  CHECK(pitch_at_end(game) == Approx(300).margin(2));

  pack_version(folder, 500, 900);
  CHECK(game.until([&] { return look() == 1; }));
  CHECK_THAT(said.back(), Contains("stage.tidebank: reloaded"));
  for (int i = 0; i < 20; ++i) game.step();
  CHECK_FALSE(hum.ended());
  CHECK(pitch_at_end(game) == Approx(300).margin(2));  // without a gap
  Take all;
  all.samples = game.samples;
  CHECK(all.part(0.05, all.seconds() - 0.06).steepest() < 0.02);
  CHECK(game.manager->raise("hush").outcome == Outcome::done);
  CHECK(game.until([&] { return hum.ended(); }));
  game.manager->raise("call");
  for (int i = 0; i < 12; ++i) game.step();
  CHECK(pitch_at_end(game) == Approx(900).margin(4));

  // A broken file is told, and the version before it stays.
  folder.write("banks/stage.tidebank", "no bank");
  CHECK(game.until([&] { return look() == 2; }));
  CHECK_THAT(said.back(), Contains("this is no bank") && Contains("the version before it plays on"));
  CHECK(game.manager->raise("call").outcome == Outcome::started);
  pack_version(folder, 500, 900);
  for (int i = 0; i < 50; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
    look();
    game.step();
  }
  CHECK(said.size() == 2);  // it is the same again
}

TEST_CASE("the language changes while the game runs: what is being said is said to its end", "[threads]") {
  Folder folder;
  write_stage_clips(folder);
  folder.write_clip("clips/speech/en/hello.wav", sine(300, 1, 1, 0.4));
  folder.write_clip("clips/speech/de/hello.wav", sine(600, 1, 1, 0.4));
  folder.write("book.toml",
               "[book]\nname = \"voices\"\nspeech = \"speech\"\nlanguages = [\"en\", \"de\"]\n"
               "[sounds.hello]\nclips = [\"speech/en/hello.wav\"]\n[events.hello]\nstart = \"hello\"\n");
  pack(read_book(folder.path("book.toml")).book, folder.path("banks"));
  Game game;
  game.manager->load(open_bank(folder.path("banks/voices.en.tidebank")));
  const Playback english = game.manager->raise("hello").playback();
  for (int i = 0; i < 20; ++i) game.step();
  game.manager->reload(open_bank(folder.path("banks/voices.de.tidebank")));
  for (int i = 0; i < 20; ++i) game.step();
  CHECK(pitch_at_end(game) == Approx(300).margin(2));
  CHECK(game.until([&] { return english.ended(); }));
  game.manager->raise("hello");
  for (int i = 0; i < 20; ++i) game.step();
  CHECK(pitch_at_end(game) == Approx(600).margin(3));
}

TEST_CASE("a game may give the memory for what is large, is told what is held, and where there is none nothing is loaded", "[threads]") {
  struct Arena {
    std::atomic<std::size_t> used{0}, most{~std::size_t{0}};
    static void* take(std::size_t bytes, std::size_t alignment, void* user) {
      auto& its = *static_cast<Arena*>(user);
      if (its.used + bytes > its.most) return nullptr;
      its.used += bytes;
      return ::operator new (bytes, std::align_val_t{std::max<std::size_t>(alignment, 64)});
    }
    static void give_back(void* memory, std::size_t bytes, void* user) {
      static_cast<Arena*>(user)->used -= bytes;
      ::operator delete (memory, std::align_val_t{64});
    }
  } arena;
  Shelf shelf;
  const MemoryHeld before = memory_held();
  set_memory({.take = Arena::take, .give_back = Arena::give_back, .user = &arena});
  {
    const Bank bank = shelf.open();
    CHECK(arena.used == 0);  // its table was read, and is no more
    SoundManager one({.offline = true}), other({.offline = true});
    one.load(bank, Preload::all);
    const std::size_t all = arena.used;
    CHECK(all >= bank.sample_bytes());
    CHECK(memory_held().samples - before.samples == all);
    other.load(bank, Preload::all);
    CHECK(arena.used == all);  // both play the same
    CHECK(one.unload("stage"));
    CHECK(other.unload("stage"));
    one.update({}), other.update({});
    CHECK(arena.used == 0);
    arena.most = all / 2;
    const std::string problem = one.try_load(bank, Preload::all);
    CHECK_THAT(problem, Contains("there is no memory for the ") && Contains(" KiB of its clip"));
    CHECK_THROWS_WITH(one.load(bank, Preload::all), problem);
    CHECK(one.raise("bell").outcome != Outcome::started);
    CHECK(arena.used == 0);
    arena.most = 100;
    const Read<Bank> refused = read_bank({reinterpret_cast<const std::byte*>(shelf.bytes.data()), shelf.bytes.size()}, "quay.tidebank");
    CHECK_FALSE(refused.value);
    CHECK_THAT(refused.problem, Contains("quay.tidebank: there is no memory for its table"));
  }
  set_memory({});
  CHECK(arena.used == 0);
  CHECK(memory_held().all() == before.all());
}
