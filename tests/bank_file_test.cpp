#include <algorithm>
#include <catch2/catch.hpp>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "bank/bank_records.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

constexpr int tries = times(3000, 200);

const std::string book = R"(
[groups.near]
gain = "-3 dB"
low-pass = "9 kHz"
[sounds.steps]
group = "near"
clips = { by = "surface", steel = ["n-1.wav", "n-2.wav"], planks = ["n-3.wav"], otherwise = ["n-4.wav"] }
pitch = "-2 st .. 2 st"
gain = "-40 dB .. -6 dB"
pan = "50 % left .. 50 % right"
delay = "0 ms .. 30 ms"
low-pass = "500 Hz .. 8 kHz"
together = ["gain", "pitch"]
pick-for = "each-emitter"
rank = 7
quality = "fine"
[sounds.hum]
layers = [ { name = "hum", clips = ["hum.wav"], loop = true, start-at = "anywhere" }, { name = "over", clips = ["wide.wav", { file = "quiet.wav", weight = 5 }], pick = "random", chance = "60 %", delay = "20 ms" } ]
retrigger = "restart"
fade-in = "30 ms"
fade-out = "80 ms"
limit = 3
when-full = "quietest"
spacing = "15 ms"
[sounds.song]
clips = ["longer.wav"]
loop = true
stream = true
gain = "-9 dB"
[events.song]
start = "song"
[events.step]
start = "steps"
[events.hum]
responses = [ { start = "hum", delay = "50 ms" }, { start = "steps" } ]
[events.hush]
responses = [ { stop = "hum", fade = "90 ms" } ]
)";

/// A book in a folder, and the bank that was packed of it.
struct Packed {
  explicit Packed(const std::string& text = book) {
    write_stage_clips(folder);
    folder.write("book.toml", book_head + text);
    const ReadBook read = read_book(folder.path("book.toml"));
    for (const Problem& problem : read.problems) FAIL_CHECK(to_text(problem));
    packed = pack(read.book, folder.path("banks")).front();
    bytes = folder.read("banks/" + packed.name + ".tidebank");
  }

  Folder folder;
  PackedBank packed;
  std::string bytes;
};

/// Everything that a session of chance plays.
std::vector<float> played(const std::vector<Bank>& banks) {
  SoundManager manager({.offline = true});
  for (const Bank& bank : banks) manager.load(bank);
  Random random(4);
  std::vector<float> all, block(1600);
  for (int frame = 0; frame < 240; ++frame) {
    const char* const surfaces[] = {"steel", "planks", "sand"};
    if (random.below(3) == 0) manager.raise("step", {{"surface", surfaces[random.below(3)]}}, Emitter{1 + random.below(3)});
    if (random.below(9) == 0) manager.raise("hum");
    if (frame % 80 == 5) manager.raise("song");
    if (random.below(30) == 0) manager.raise("hush");
    manager.update(Seconds{1.0 / 60});
    manager.render(block);
    all.insert(all.end(), block.begin(), block.end());
  }
  return all;
}

Read<Bank> read_bytes(const std::string& bytes, const std::string& called = "bank") {
  const BankSource source{bytes.size(), [&](std::uint64_t at, std::span<std::byte> to) {
                            if (at > bytes.size() || to.size() > bytes.size() - at) return false;
                            std::memcpy(to.data(), bytes.data() + at, to.size());
                            return true;
                          }};
  return read_bank(source, called);
}

/// What opening it, or taking its samples into memory, says is wrong; empty where nothing is.
std::string problem_of(const std::string& bytes) {
  const Read<Bank> read = read_bytes(bytes);
  if (!read.value) return read.problem;
  try {
    SoundManager({.offline = true}).load(*read.value);
  } catch (const Error& error) {
    return error.what();
  }
  return {};
}

bank_file::Header header_of(const std::string& bytes) {
  bank_file::Header header;
  std::memcpy(&header, bytes.data(), sizeof header);
  return header;
}

/// Makes the header's hash right again.
void seal(std::string& bytes) {
  bank_file::Header header = header_of(bytes);
  header.table_hash = bank_file::hash_of(std::as_bytes(std::span(bytes)).subspan(header.table_at, header.table_size));
  header.header_hash = bank_file::hash_of(std::as_bytes(std::span(&header, 1)).first(offsetof(bank_file::Header, header_hash)));
  std::memcpy(bytes.data(), &header, sizeof header);
}

}  // namespace

TEST_CASE("a bank from a file sounds as the book does that it was packed of, bit for bit") {
  const Packed made;
  const Bank compiled = compile_book(made.folder.path("book.toml"));
  const Bank opened = open_bank(made.packed.file);
  CHECK(opened.name() == compiled.name());
  CHECK(opened.content() == compiled.content());
  CHECK(opened.events() == compiled.events());
  CHECK(opened.sounds() == compiled.sounds());
  CHECK(opened.groups() == compiled.groups());
  CHECK(opened.sample_bytes() == compiled.sample_bytes());
  const std::vector<float> expected = played({compiled});
  CHECK(*std::max_element(expected.begin(), expected.end()) > 0.05F);
  CHECK((played({opened}) == expected));
  CHECK((played({*read_bytes(made.bytes).value}) == expected));

  // In place, and where memory begins anywhere.
  std::vector<char> memory(made.bytes.size() + 128);
  char* const at = memory.data() + (64 - reinterpret_cast<std::uintptr_t>(memory.data()) % 64) % 64;
  for (char* const begin : {at, at + 1}) {
    std::memcpy(begin, made.bytes.data(), made.bytes.size());
    const Read<Bank> there = read_bank(std::as_bytes(std::span(begin, made.bytes.size())), "memory");
    REQUIRE(there.value);
    CHECK((played({*there.value}) == expected));
  }
}

TEST_CASE("the same book gives the same bytes, and a bank stays until another is whole") {
  const Packed made;
  const ReadBook read = read_book(made.folder.path("book.toml"));
  pack(read.book, made.folder.path("again"));
  CHECK((made.folder.read("again/" + made.packed.name + ".tidebank") == made.bytes));
  CHECK(made.packed.bytes == made.bytes.size());
  CHECK(made.packed.events == 4);

  made.folder.write("clips/n-3.wav", "no sound at all");
  CHECK_THROWS_AS(pack(read_book(made.folder.path("book.toml")).book, made.folder.path("banks")), Error);
  CHECK((made.folder.read("banks/" + made.packed.name + ".tidebank") == made.bytes));
}

TEST_CASE("what is no bank, or of a newer version, is told") {
  const Packed made;
  CHECK_THAT(read_bank(made.folder.path("none.tidebank")).problem, Contains("none.tidebank: there is no such file"));
  CHECK_THAT(read_bytes("").problem, Contains("bank: this is no bank"));
  CHECK_THAT(read_bytes(std::string(1000, 'x')).problem, Contains("tidewater pack"));
  std::string newer = made.bytes;
  newer[8] = 2;
  CHECK_THAT(read_bytes(newer).problem, Contains("its format is 2, and this reads up to 1"));
  CHECK_THROWS_WITH(open_bank(made.folder.path("book.toml")), Contains("this is no bank"));
}

TEST_CASE("a bank in which two groups, gauges, sounds or events have one name is refused when it is opened") {
  const Packed made(
      "[groups.ga]\n[groups.gb]\n[gauges.ua]\n[gauges.ub]\n[sounds.xa]\nclips=[\"tone.wav\"]\nfollow=[{gauge=\"ua\", gain=[[0, \"-3 dB\"], "
      "[1, \"0 dB\"]]}]\n[sounds.xb]\nclips=[\"low.wav\"]\nfollow=[{gauge=\"ub\", gain=[[0, \"-3 dB\"], [1, \"0 "
      "dB\"]]}]\n[events.ya]\nstart="
      "\"xa\"\n[events.yb]\nstart=\"xb\"\n");
  CHECK(problem_of(made.bytes).empty());
  for (const auto& [one, other, what] :
       {std::tuple("ga", "gb", "groups"), {"ua", "ub", "gauges"}, {"xa", "xb", "sounds"}, {"ya", "yb", "events"}}) {
    std::string bytes = made.bytes;
    int changed = 0;
    for (std::size_t at = header_of(bytes).table_at; (at = bytes.find(other, at)) != std::string::npos; ++changed)
      bytes.replace(at, 2, one);
    REQUIRE(changed > 0);
    seal(bytes);
    CHECK_THAT(problem_of(bytes), Contains(std::string("two of its ") + what + " are called '" + one + "'"));
  }
}

TEST_CASE("records that share long texts do not make much memory of a small bank") {
  std::string surfaces;
  for (int i = 0; i < 400; ++i) surfaces += ", surface-number-" + std::to_string(1000 + i) + " = [\"tone.wav\"]";
  const Packed made("[sounds.x]\nclips={by=\"surface\", otherwise=[]" + surfaces + "}\n[events.x]\nstart=\"x\"\n");
  CHECK(problem_of(made.bytes).empty());
  std::string bytes = made.bytes;
  const bank_file::Header header = header_of(bytes);
  for (std::uint32_t s = 0; s < header.sections; ++s) {
    bank_file::Section section;
    std::memcpy(&section, bytes.data() + header.table_at + s * sizeof section, sizeof section);
    if (section.kind != bank_file::Kind::values) continue;
    REQUIRE(section.count >= 400);
    const bank_file::Text all{0, 4096};
    for (std::uint64_t i = 0; i < section.count; ++i)
      std::memcpy(bytes.data() + header.table_at + section.at + i * section.record_size, &all, sizeof all);
  }
  seal(bytes);
  CHECK_THAT(problem_of(bytes), Contains("its records say more than a table of its size can"));
}

TEST_CASE("a bank that was cut off, or has a bit turned, is refused") {
  const Packed made;
  const std::uint64_t in_memory = header_of(made.bytes).streams_at;
  Random random(7);
  for (int i = 0; i < 300; ++i) {
    const std::size_t kept = random.below(static_cast<std::uint32_t>(made.bytes.size()));
    CHECK_THAT(problem_of(made.bytes.substr(0, kept)), Contains("bank: "));
    std::string turned = made.bytes;
    // Half of them in header and table.
    const std::size_t at = random.below(static_cast<std::uint32_t>(i % 2 == 0 ? 4096 : in_memory));
    turned[at] = static_cast<char>(turned[at] ^ 1 << random.below(8));
    INFO(at);
    CHECK_THAT(problem_of(turned), Contains("bank: the bank is damaged") || Contains("bank: this is no bank") || Contains("newer version"));
  }
  CHECK(problem_of(made.bytes).empty());
}

TEST_CASE("a bank that somebody had a hand in says what is wrong, or plays") {
  const Packed made;
  const bank_file::Header header = header_of(made.bytes);
  Random random(9);
  const std::uint64_t extremes[] = {0, 1, 0x7fffffff, 0xffffffff, 1ULL << 32, ~0ULL, 0x7ff8000000000000, 0xfff0000000000000};
  int refused = 0;
  for (int i = 0; i < tries; ++i) {
    std::string bytes = made.bytes;
    const std::size_t at = header.table_at + random.below(static_cast<std::uint32_t>(header.table_size - 8)) / 4 * 4;
    const std::uint64_t value = extremes[random.below(8)];
    std::memcpy(bytes.data() + at, &value, random.below(2) == 0 ? 4 : 8);
    seal(bytes);
    if (!problem_of(bytes).empty()) {
      ++refused;
      continue;
    }
    if (i % 10 != 0) continue;
    const Read<Bank> read = read_bytes(bytes);
    const std::vector<float> heard = played({*read.value});
    REQUIRE(std::all_of(heard.begin(), heard.end(), [](float sample) { return std::abs(sample) <= 1.001F; }));
  }
  CHECK(refused > tries / 6);
}

TEST_CASE("a clip that streams from a bank and is damaged there ends with a word, before anything damaged is heard") {
  const Packed made;
  const std::uint64_t begin = header_of(made.bytes).streams_at;
  const auto song = [](const Bank& bank, std::vector<std::string>& said) {
    SoundManager manager({.journal =
                              [&](const JournalEntry& entry) {
                                if (const auto* asked = entry.as<noted::Asked>())
                                  if (const auto* lost = std::get_if<asked::Unreadable>(&asked->request)) said.emplace_back(lost->why);
                              },
                          .offline = true});
    manager.load(bank);
    manager.raise("song");
    std::vector<float> all, block(1600);
    for (int frame = 0; frame < 180; ++frame) {
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
      all.insert(all.end(), block.begin(), block.end());
    }
    return all;
  };
  std::vector<std::string> said;
  const std::vector<float> whole = song(*read_bytes(made.bytes).value, said);
  CHECK(said.empty());

  std::string turned = made.bytes;
  turned[begin + 5 * bank_file::block + 100] ^= 4;
  const std::vector<float> cut = song(*read_bytes(turned, "quay.tidebank").value, said);
  REQUIRE(said.size() == 1);
  CHECK_THAT(said[0], Contains("quay.tidebank: longer.wav"));
  const auto differs = static_cast<std::size_t>(std::mismatch(whole.begin(), whole.end(), cut.begin()).first - whole.begin());
  CHECK(differs > 48000);  // what was whole is heard, and then it fades
  CHECK(std::all_of(cut.begin() + static_cast<std::ptrdiff_t>(differs), cut.end(), [](float sample) { return std::abs(sample) < 0.4F; }));
  CHECK(cut.back() == 0);
}

TEST_CASE("a book's banks, loaded together, sound as the book does, and each has what it needs") {
  const std::string banks = "[banks.ashore]\nevents = [\"step\", \"h*\"]\n[banks.music]\nevents = [\"song\"]\n";
  const Packed made(book + banks);
  CHECK(made.packed.name == "ashore");
  const Bank ashore = open_bank(made.folder.path("banks/ashore.tidebank")), music = open_bank(made.folder.path("banks/music.tidebank"));
  CHECK(ashore.events() == std::vector<std::string_view>{"hum", "hush", "step"});
  CHECK(music.events() == std::vector<std::string_view>{"song"});
  CHECK(music.sounds() == std::vector<std::string_view>{"song"});
  CHECK(music.clips() == 1);
  const std::vector<float> whole = played({compile_book(made.folder.path("book.toml"))});
  CHECK((played({ashore, music}) == whole));
  CHECK((played({music, ashore}) == whole));
  const ReadBook read = read_book(made.folder.path("book.toml"));
  std::vector<Bank> compiled = compile_banks(read.book);
  REQUIRE(compiled.size() == 2);
  CHECK(compiled[0].content() == ashore.content());
  CHECK(left_out(read.book).empty());

  const auto told = [&](const std::string& text) {
    const ReadBook wrong = parse_book(book_head + book + text, made.folder.path("book.toml"));
    return wrong.problems.empty() ? std::string() : wrong.problems.front().message;
  };
  CHECK_THAT(told("[banks.x]\nevents = [\"stepp\"]\n"), Contains("no event fits 'stepp'; did you mean 'step'?"));
  CHECK_THAT(told("[banks.x]\n"), Contains("bank 'x' needs events"));
  CHECK_THAT(told("[banks.\"a/b\"]\nevents = [\"step\"]\n"), Contains("a name without slashes"));
  const ReadBook parted =
      parse_book(book_head + book + "[banks.a]\nevents = [\"hum\"]\n[banks.b]\nevents = [\"hush\"]\n", made.folder.path("book.toml"));
  CHECK_THROWS_WITH(pack(parted.book, made.folder.path("banks")),
                    Contains("'hush' is in bank 'b', and would stop 'hum', which bank 'a' starts") && Contains("put both into one"));
  CHECK(left_out(parted.book) == std::vector<std::string>{"song", "step"});
  CHECK_THROWS_WITH(pack(read.book, made.folder.path("banks"), {.bank = "musik"}),
                    Contains("there is no bank 'musik'; did you mean 'music'?"));
}

TEST_CASE("a bank that was opened by a short name goes on streaming when the game has gone to another folder") {
  const Packed made;
  const auto before = std::filesystem::current_path();
  std::filesystem::current_path(made.folder.path("banks"));
  const Bank bank = open_bank(made.packed.name + ".tidebank");
  std::filesystem::current_path(before);
  CHECK((played({bank}) == played({compile_book(made.folder.path("book.toml"))})));
}

TEST_CASE("two banks that have something of one name have the same, or the second is refused with both; else their order is all one") {
  const std::string shared = "[groups.far]\ngain = \"-6 dB\"\n[sounds.tick]\nclips = [\"n-1.wav\"]\n[events.tick]\nstart = \"tick\"\n";
  Folder folder;
  write_stage_clips(folder);
  const auto bank = [&](const std::string& name, const std::string& text) {
    folder.write("book.toml", "[book]\nname = \"" + name + "\"\n" + text);
    write_bank(compile_book(folder.path("book.toml")), folder.path(name + ".tidebank"));
    return open_bank(folder.path(name + ".tidebank"));
  };
  const Bank one = bank("one", shared + "[sounds.a]\nclips = [\"n-2.wav\"]\n[events.a]\nstart = \"a\"\n");
  const auto refused = [&](const std::string& text) -> std::string {
    SoundManager manager({.offline = true});
    manager.load(one);
    try {
      manager.load(bank("two", text));
    } catch (const Error& error) {
      CHECK(manager.raise("tick").outcome == Outcome::started);
      return error.what();
    }
    return {};
  };
  CHECK(refused(shared + "[sounds.b]\nclips = [\"n-3.wav\"]\n[events.b]\nstart = \"b\"\n").empty());
  CHECK(refused(shared + "[sounds.a]\nclips = [\"n-2.wav\"]\npreload = false\n").empty());
  CHECK_THAT(refused("[sounds.tick]\nclips = [\"n-1.wav\"]\ngain = \"-1 dB\"\n"),
             Contains("the sound 'tick' of bank 'two' is not that of bank 'one', which is loaded (gain -1 dB, and 0 dB): give one of them "
                      "another name"));
  CHECK_THAT(refused("[groups.far]\ngain = \"-7 dB\"\n"), Contains("the group 'far' of bank 'two' is not that of bank 'one'"));
  CHECK_THAT(refused(shared + "[events.a]\nstart = \"tick\"\n"), Contains("the event 'a' of bank 'two'"));
  folder.write_clip("clips/n-1.wav", sine(210, 0.1, 1, 0.5));
  CHECK_THAT(refused(shared), Contains("the sound 'tick' of bank 'two'"));
}

namespace {

/// The same bank with shorter records of a kind, as an older writer made them.
void shorten_records(std::string& bytes, bank_file::Kind kind, std::uint32_t size) {
  const bank_file::Header header = header_of(bytes);
  for (std::uint32_t s = 0; s < header.sections; ++s) {
    const std::size_t at = header.table_at + s * sizeof(bank_file::Section);
    bank_file::Section section;
    std::memcpy(&section, bytes.data() + at, sizeof section);
    if (section.kind != kind) continue;
    REQUIRE(section.record_size > size);
    char* const records = bytes.data() + header.table_at + section.at;
    for (std::uint64_t i = 0; i < section.count; ++i) std::memmove(records + i * size, records + i * section.record_size, size);
    section.record_size = size;
    std::memcpy(bytes.data() + at, &section, sizeof section);
  }
  seal(bytes);
}

}  // namespace

TEST_CASE("a bank of an older writer, whose records are shorter, plays as it did") {
  const Packed made;
  const std::vector<float> expected = played({*read_bytes(made.bytes).value});
  std::string older = made.bytes;
  shorten_records(older, bank_file::Kind::about, 48);
  shorten_records(older, bank_file::Kind::clips, 104);
  shorten_records(older, bank_file::Kind::sounds, 168);
  const Read<Bank> read = read_bytes(older);
  INFO(read.problem);
  REQUIRE(read.value);
  CHECK(read.value->language().empty());
  CHECK((played({*read.value}) == expected));
}

TEST_CASE("a file of every version that there was is opened, and sounds as it did") {
  // Of version 1 as its first writers had it, with shorter records, and as it is now; with a patch of the latter.
  for (const std::string file : {"version-1-first", "version-1"}) {
    INFO(file);
    const std::string path = PROJECT_FOLDER "/tests/banks/" + file + ".tidebank";
    CHECK(verify_bank(path).empty());
    const Bank bank = open_bank(path);
    CHECK(bank.rate() == Hertz{8000});
    CHECK(bank.events() == std::vector<std::string_view>{"hush", "tick", "tide"});
    SoundManager manager({.rate = bank.rate(), .offline = true, .limiter = false});
    manager.load(bank);
    const auto heard = [&](const Raised& raised, double seconds) {
      CHECK(raised.outcome == Outcome::started);
      Take take;
      take.samples.resize(2 * static_cast<std::size_t>(seconds * 8000));
      manager.render(take.samples);
      manager.update({});
      return take;
    };
    const double at_half = 0.5 * std::sqrt(0.5);
    CHECK(heard(manager.raise("tick", {{"hour", "even"}}), 0.2).peak() == Approx(at_half / 2).epsilon(0.02));
    const Take odd = heard(manager.raise("tick", {{"hour", "odd"}}), 0.2);
    CHECK(odd.peak() == Approx(at_half / 2).epsilon(0.02));
    CHECK(odd.rms() > 0);
    const Take tide = heard(manager.raise("tide"), 1.5);
    CHECK(tide.onset() * 48000 / 8000 == Approx(0.1).margin(0.03));
    CHECK(tide.peak() == Approx(at_half).epsilon(0.02));
    if (file == "version-1-first") continue;
    manager.load(open_bank(PROJECT_FOLDER "/tests/banks/version-1-patch.tidebank"));
    CHECK((heard(manager.raise("tick", {{"hour", "even"}}), 0.2).samples == odd.samples));
  }
}
