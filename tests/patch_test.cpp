/// Banks that take clips from others: patches of what players have, and clips that several banks share.

#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <thread>

#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/author/weigh.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const std::string market = R"([book]
name = "market"
[sounds.cry]
clips = ["tone.wav"]
[sounds.till]
clips = ["long.wav"]
[sounds.cart]
clips = ["hum.wav"]
loop = true
[events.cry]
start = "cry"
[events.till]
start = "till"
[events."cart.came"]
start = "cart"
[events."cart.left"]
stop = "cart"
)";

/// A folder with clips, where books are packed and patched.
struct Shop {
  Shop() {
    write_stage_clips(folder);
    std::filesystem::create_directories(folder.path("banks"));
  }
  Book book(std::string text, const std::string& from = {}, const std::string& to = {}) const {
    if (!from.empty()) text.replace(text.find(from), from.size(), to);
    folder.write("book.toml", text);
    const ReadBook read = read_book(folder.path("book.toml"));
    for (const Problem& problem : read.problems) FAIL_CHECK(to_text(problem));
    return read.book;
  }
  std::vector<PackedBank> patch(const Book& its, const std::string& name, int priority) const {
    return pack(its, folder.path("banks"), {.patch_of = {folder.path("banks/market.tidebank")}, .patch_name = name, .priority = priority});
  }
  Folder folder;
};

/// A game that plays banks, offline.
struct Game {
  Take hear(const char* event, double seconds) {
    CHECK(manager.raise(event).outcome == Outcome::started);
    return render(seconds);
  }
  Take render(double seconds) {
    Take take;
    std::vector<float> block(960);
    for (double at = 0; at < seconds; at += 0.01) {
      manager.update(Seconds{0.01});
      manager.render(block);
      take.append(block);
    }
    all.append(take.samples);
    return take;
  }
  double pitch(const char* event) {
    const double its = hear(event, 0.3).part(0.05, 0.2).pitch();
    manager.stop_all();
    render(0.1);
    return its;
  }

  std::string journal;
  Take all;
  SoundManager manager{
      {.journal = [this](const JournalEntry& entry) { journal += to_json(entry) + "\n"; }, .offline = true, .limiter = false}};
};

}  // namespace

TEST_CASE("a patch has what changed alone, is heard in place of it, and is gone again when it is unloaded") {
  const Shop shop;
  pack(shop.book(market), shop.folder.path("banks"));
  const Bank base = open_bank(shop.folder.path("banks/market.tidebank"));
  const auto packed = shop.patch(shop.book(market, "\"tone.wav\"", "\"low.wav\""), "market-spring", 1);
  REQUIRE(packed.size() == 1);
  CHECK(packed[0].sounds == 1);
  CHECK(packed[0].events == 1);
  CHECK(packed[0].clips == 1);
  CHECK(packed[0].bytes < std::filesystem::file_size(shop.folder.path("banks/market.tidebank")) / 2);
  const Bank spring = open_bank(packed[0].file);
  CHECK(verify_bank(packed[0].file).empty());

  Game game;
  CHECK_THROWS_WITH(game.manager.load(spring),
                    "the bank 'market-spring' changes the bank 'market', which is not loaded: load that one first");
  game.manager.load(base);
  CHECK(game.pitch("cry") == Approx(1000).margin(8));
  game.manager.load(spring);
  CHECK(game.pitch("cry") == Approx(250).margin(4));
  CHECK(game.pitch("till") == Approx(500).margin(4));
  CHECK(game.manager.unload("market-spring"));
  CHECK(game.pitch("cry") == Approx(1000).margin(8));
  // The base may go before it: what the patch takes from there stays.
  game.manager.load(spring);
  CHECK(game.manager.unload("market"));
  game.render(0.1);
  CHECK(game.manager.raise("till").outcome == Outcome::bank_not_loaded);
  CHECK(game.pitch("cry") == Approx(250).margin(4));
  CHECK(shop.patch(shop.book(market), "nothing", 1).empty());
}

TEST_CASE("of several patches the one of the highest priority is heard, in whatever order they came; of equal ones the last") {
  const Shop shop;
  pack(shop.book(market), shop.folder.path("banks"));
  const Bank base = open_bank(shop.folder.path("banks/market.tidebank"));
  const Bank update = open_bank(shop.patch(shop.book(market, "\"tone.wav\"", "\"low.wav\""), "update", 1).front().file);
  for (const int priority : {1, 5}) {
    const Bank winter = open_bank(shop.patch(shop.book(market, "\"tone.wav\"", "\"n-3.wav\""), "winter", priority).front().file);
    for (const bool update_first : {true, false}) {
      Game game;
      game.manager.load(base);
      game.manager.load(update_first ? update : winter);
      game.manager.load(update_first ? winter : update);
      CHECK(game.pitch("cry") == Approx(priority == 5 || update_first ? 600 : 250).margin(20));
      game.render(0.3);
      CHECK(game.manager.unload("winter"));
      CHECK(game.pitch("cry") == Approx(250).margin(4));
    }
  }
}

TEST_CASE("a patch is never written over the bank that it changes, nor over another of its book") {
  const Shop shop;
  pack(shop.book(market), shop.folder.path("banks"));
  const std::string before = shop.folder.read("banks/market.tidebank");
  const auto told = [&](const std::string& name) {
    try {
      shop.patch(shop.book(market, "\"tone.wav\"", "\"low.wav\""), name, 1);
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  CHECK_THAT(told("market"),
             Contains("a patch cannot be called 'market'") && Contains("has a bank of that name") && Contains("give it another"));
  CHECK_THAT(told("in/another/folder"), Contains("give it a name without slashes"));
  CHECK_THAT(told(".hidden"), Contains("begins with no dot"));
  CHECK((shop.folder.read("banks/market.tidebank") == before));
  CHECK(told("winter").empty());
}

TEST_CASE("what a bank started before its patch came is stopped by the patch, and counts for its limits") {
  const Shop shop;
  pack(shop.book(market), shop.folder.path("banks"));
  const Bank base = open_bank(shop.folder.path("banks/market.tidebank"));
  const auto packed =
      shop.patch(shop.book(market, "clips = [\"hum.wav\"]", "clips = [\"hum.wav\"]\nlimit = 2\nwhen-full = \"newest\"\ngain = \"-6 dB\""),
                 "quieter", 1);
  CHECK(packed.front().clips == 0);  // the clip is the base's
  const Bank quieter = open_bank(packed.front().file);
  CHECK(quieter.events() == std::vector<std::string_view>{"cart.came", "cart.left"});
  Game game;
  game.manager.load(base);
  const double before = game.hear("cart.came", 0.3).part(0.1, 0.2).rms();
  game.manager.load(quieter);
  CHECK(game.hear("cart.came", 0.3).part(0.1, 0.2).rms() == Approx(1.5 * before).epsilon(0.03));  // in step: 200 periods of it
  CHECK(game.manager.raise("cart.came").outcome == Outcome::limit_reached);
  CHECK(game.manager.raise("cart.left").outcome == Outcome::done);
  CHECK(game.render(0.3).part(0.1, 0.2).peak() == 0);
  CHECK(game.manager.stats().playbacks == 0);
}

TEST_CASE("a session with patches is saved and replayed with them, and a patch of another bank is refused") {
  const Shop shop;
  pack(shop.book(market), shop.folder.path("banks"));
  const Bank base = open_bank(shop.folder.path("banks/market.tidebank"));
  const Bank spring = open_bank(shop.patch(shop.book(market, "\"tone.wav\"", "\"low.wav\""), "spring", 1).front().file);
  const std::vector<Bank> banks = {base, spring};
  std::string journal;
  std::vector<float> heard;
  {
    Game game;
    game.manager.load(base);
    game.hear("cart.came", 0.2);
    game.manager.load(spring);
    game.hear("cry", 0.1);
    const std::vector<std::byte> saved = game.manager.save();
    Game other;
    other.manager.restore(saved, banks);
    CHECK((other.render(0.5).samples == game.render(0.5).samples));
    CHECK(other.manager.raise("cart.left").outcome == Outcome::done);
    CHECK(game.manager.raise("cart.left").outcome == Outcome::done);
    CHECK((other.hear("cry", 0.5).samples == game.hear("cry", 0.5).samples));
    game.manager.update({});
    journal = game.journal;
    heard = game.all.samples;
  }
  std::vector<float> again;
  {
    const JournalScript script = parse_journal(journal, "j");
    SoundManager manager(options_of(script));
    replay(script, banks, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  }
  again.resize(std::min(again.size(), heard.size()));
  CHECK(again.size() > heard.size() / 2);
  CHECK(std::equal(again.begin(), again.end(), heard.begin()));

  pack(shop.book(market, "\"long.wav\"", "\"wide.wav\""), shop.folder.path("banks"));
  SoundManager manager({.offline = true});
  manager.load(open_bank(shop.folder.path("banks/market.tidebank")));
  CHECK_THROWS_WITH(manager.load(spring),
                    Contains("'spring' changes the bank 'market' as it was when it was packed, and that one is another"));
  CHECK_THROWS_WITH(tidewater::pack(shop.book(market, "\"market\"", "\"fair\""), shop.folder.path("x"),
                                    {.patch_of = {shop.folder.path("banks/market.tidebank")}}),
                    Contains("it has no bank 'market'") && Contains("it has fair"));
}

TEST_CASE("clips that several banks need lie in one of their own, once, and are read for whoever plays them") {
  const Shop shop;
  const std::string banks = R"(
[banks.common]
clips = ["hum.wav", "long.wav"]
[banks.one]
events = ["cry", "till"]
needs = ["common"]
[banks.two]
events = ["cart.*", "till"]
needs = ["common"]
)";
  const Book book = shop.book(market + banks);
  const auto packed = pack(book, shop.folder.path("banks"));
  REQUIRE(packed.size() == 3);
  CHECK(packed[0].name == "common");
  CHECK(packed[0].events == 0);
  CHECK(packed[2].bytes < 8192);
  CHECK(shared_clips(book).empty());
  const Bank common = open_bank(packed[0].file), one = open_bank(packed[1].file), two = open_bank(packed[2].file);
  for (const bool compiled_too : {true, false}) {
    Game game;
    CHECK_THROWS_WITH(game.manager.load(one), Contains("'one' has clips in the bank 'common', which is not loaded: load that one first"));
    game.manager.load(common);
    CHECK(game.manager.stats().clip_bytes == 0);
    game.manager.load(one);
    if (compiled_too) game.manager.load(two);
    CHECK(game.pitch("cry") == Approx(1000).margin(8));
    CHECK(game.pitch("till") == Approx(500).margin(4));
  }
  // In the background one comes after the other.
  SoundManager live;
  std::vector<BankLoading> coming = {live.load_in_background(common), live.load_in_background(one), live.load_in_background(two)};
  for (const BankLoading& its : coming) {
    while (!its.done()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    CHECK(its.problem().empty());
    CHECK(its.progress() == 1);
  }
  live.update({});
  CHECK(live.raise("cart.came").outcome == Outcome::started);
  // The content of a bank is the same whoever has its clips: a journal fits either.
  std::vector<Bank> compiled = compile_banks(book);
  REQUIRE(compiled.size() == 2);
  CHECK(compiled[0].content() == one.content());
  CHECK(compiled[1].content() == two.content());
}

TEST_CASE("a bank that has clips in another, and was packed without names, is patched and taken apart as any") {
  const Shop shop;
  const std::string rest = R"(
[banks.common]
clips = ["hum.wav"]
[banks.one]
events = ["cry", "cart.*"]
needs = ["common"]
[targets.phone]
names = "stripped"
)";
  pack(shop.book(market + rest), shop.folder.path("banks"), {.target = "phone"});
  const std::string file = shop.folder.path("banks/one.tidebank");
  const Book changed = shop.book(market + rest, "loop = true", "loop = true\npitch = \"-12 st\"");
  const auto patches = pack(changed, shop.folder.path("patches"), {.patch_of = {file}});
  REQUIRE(patches.size() == 1);
  CHECK(patches[0].clips == 0);
  const Bank common = open_bank(shop.folder.path("banks/common.tidebank")), one = open_bank(file), patch = open_bank(patches[0].file);
  CHECK(patch.bases() == std::vector<std::string_view>{"one", "common"});
  Game game;
  game.manager.load(common);
  game.manager.load(one);
  CHECK(game.pitch("cart.came") == Approx(500).margin(4));
  game.manager.load(patch);
  CHECK(game.pitch("cart.came") == Approx(250).margin(4));

  CHECK(open_bank_with_names(file).events() == std::vector<std::string_view>{"cart.came", "cart.left", "cry"});
  const Unpacked apart = unpack(open_bank_with_names(file), shop.folder.path("apart"), std::vector<Bank>{common});
  CHECK(apart.the_same);
  // Without the names it is the same sound by other names.
  CHECK_FALSE(unpack(one, shop.folder.path("nameless"), std::vector<Bank>{common}).the_same);
  std::filesystem::remove(shop.folder.path("banks/one.names"));
  CHECK(pack(changed, shop.folder.path("patches"), {.patch_of = {file}}).front().sounds == 1);
  const UpdateCost cost = weigh_update(one, compile_banks(changed, {.target = "phone"}).front());
  CHECK(cost.fresh + cost.kept > 0);
  std::filesystem::remove(shop.folder.path("banks/common.tidebank"));
  CHECK_THROWS_WITH(pack(changed, shop.folder.path("patches"), {.patch_of = {file}}), Contains("common.tidebank: there is no such file"));
  CHECK_THROWS_WITH(pack(changed, shop.folder.path("x"), {.patch_of = {patches[0].file}}), Contains("it is a patch itself, of 'one'"));
}

TEST_CASE("what is wrong with banks that need one another is told with its place") {
  const Shop shop;
  const auto told = [&](const std::string& banks) {
    const ReadBook read = parse_book(market + banks, shop.folder.path("book.toml"));
    return read.problems.empty() ? std::string() : to_text(read.problems.front());
  };
  CHECK_THAT(told("[banks.one]\nevents = [\"cry\"]\nneeds = [\"comon\"]\n[banks.common]\nclips = [\"hum.wav\"]\n"),
             Contains(":18:") && Contains("bank 'one' needs 'comon', which is no bank with clips for others; did you mean 'common'?"));
  CHECK_THAT(told("[banks.one]\nclips = [\"drum.wav\"]\n"), Contains(":19:") && Contains("no sound has a clip that fits 'drum.wav'"));
  CHECK_THAT(told("[banks.one]\nclips = [\"hum.wav\"]\nevents = [\"cry\"]\n"), Contains("has clips for others, and then no events"));
  CHECK_THAT(told("[banks.one]\nneeds = [\"one\"]\n"), Contains("bank 'one' needs events"));
  CHECK_THAT(told("[banks.one]\nevents = \"cry\"\n"), Contains("events of a bank is a list of texts"));
}
