// Edits of a book's text: random ones, judged by a tree that is edited with the parser's own calls, and those of a working day.

#include <sys/stat.h>
#include <toml++/toml.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "base/random.hpp"
#include "base/text_file.hpp"
#include "stage.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

const char* const values[] = {
    "\"-4.25 dB\"", "\"-2 st .. 3 st\"", "true", "7", "[[0, \"-1 dB\"], [1, \"0 dB\"]]", "{ a = 1, b = \"ä#,}\" }",
    "'x\"y'",       "\"ö 🔊 # , ] }\""};
const char* const new_keys[] = {"gain", "a-very-long-key-name", "dotted key", "ö", "x"};

template <class T, std::size_t N>
const T& any(Random& random, const T (&of)[N]) {
  return of[random.below(N)];
}

struct Paths {
  std::vector<BookPath> leaves, tables, lists;

  void note(const toml::node& node, const BookPath& at) {
    if (const auto* table = node.as_table()) {
      tables.push_back(at);
      for (const auto& [key, value] : *table) note(value, with(at, std::string(key.str())));
    } else if (const auto* list = node.as_array()) {
      lists.push_back(at);
      for (std::size_t i = 0; i < list->size(); ++i) note((*list)[i], with(at, i));
    } else {
      leaves.push_back(at);
    }
  }
  static BookPath with(BookPath path, BookStep step) {
    path.push_back(std::move(step));
    return path;
  }
};

toml::node* at(toml::table& root, const BookPath& path, std::size_t depth) {
  toml::node* node = &root;
  for (std::size_t i = 0; i < depth && node != nullptr; ++i) {
    if (const auto* key = std::get_if<std::string>(&path[i]))
      node = node->is_table() ? node->as_table()->get(*key) : nullptr;
    else
      node = node->is_array() ? node->as_array()->get(std::get<std::size_t>(path[i])) : nullptr;
  }
  return node;
}

/// The tree as the edit should leave it; without a value, the path's value is taken out.
toml::table edited_tree(toml::table root, const BookPath& path, const char* value) {
  for (std::size_t depth = 1; value != nullptr && depth < path.size(); ++depth)
    if (at(root, path, depth) == nullptr)
      at(root, path, depth - 1)->as_table()->insert_or_assign(std::get<std::string>(path[depth - 1]), toml::table{});
  toml::node* holder = at(root, path, path.size() - 1);
  const toml::table its = value == nullptr ? toml::table{} : toml::parse("x = " + std::string(value));
  if (const auto* key = std::get_if<std::string>(&path.back())) {
    if (value == nullptr)
      holder->as_table()->erase(*key);
    else
      its.get("x")->visit([&](const auto& one) { holder->as_table()->insert_or_assign(*key, one); });
    return root;
  }
  toml::array& list = *holder->as_array();
  const auto index = static_cast<std::ptrdiff_t>(std::get<std::size_t>(path.back()));
  if (value == nullptr) {
    list.erase(list.begin() + index);
    return root;
  }
  if (static_cast<std::size_t>(index) < list.size()) list.erase(list.begin() + index);
  its.get("x")->visit([&](const auto& one) { list.insert(list.begin() + index, one); });
  return root;
}

/// An empty table that an edit makes or leaves says nothing.
bool same(const toml::node& a, const toml::node& b) {
  if (a.is_table() && b.is_table()) {
    const auto covers = [](const toml::table& one, const toml::table& other) {
      for (const auto& [key, value] : one) {
        const toml::node* its = other.get(key.str());
        if (its == nullptr ? !(value.is_table() && value.as_table()->empty()) : !same(value, *its)) return false;
      }
      return true;
    };
    return covers(*a.as_table(), *b.as_table()) && covers(*b.as_table(), *a.as_table());
  }
  if (a.is_array() && b.is_array()) {
    const toml::array &one = *a.as_array(), &other = *b.as_array();
    for (std::size_t i = 0; i < one.size() && one.size() == other.size(); ++i)
      if (!same(one[i], other[i])) return false;
    return one.size() == other.size();
  }
  return (a.is_table() || a.is_array() || b.is_table() || b.is_array()) ? false : toml::table{{"x", a}} == toml::table{{"x", b}};
}

/// The part of two texts that differs, without the begin and the end that they share.
struct Change {
  std::string removed, added;
  Change(const std::string& a, const std::string& b) {
    std::size_t front = 0, back = 0;
    while (front < a.size() && front < b.size() && a[front] == b[front]) ++front;
    while (back < a.size() - front && back < b.size() - front && a[a.size() - 1 - back] == b[b.size() - 1 - back]) ++back;
    removed = a.substr(front, a.size() - front - back);
    added = b.substr(front, b.size() - front - back);
  }
};

bool line_breaks_alike(const std::string& before, const std::string& after) {
  if (before.find("\r\n") == std::string::npos) return after.find('\r') == std::string::npos;
  for (std::size_t i = 0; i < after.size(); ++i)
    if (after[i] == '\n' && (i == 0 || after[i - 1] != '\r')) return false;
  return true;
}

struct Tally {
  int made = 0, refused = 0;
  std::string wrong;
};

/// Random edits, each of the original or one on top of the other.
Tally edit_at_random(const std::string& original, int count, std::uint64_t seed, bool on_top) {
  Tally tally;
  Random random(seed);
  std::string text = original;
  for (int i = 0; i < count; ++i) {
    if (!on_top || text.size() > 2 * original.size()) text = original;
    const toml::table before = toml::parse(std::string_view(text));
    Paths paths;
    paths.note(before, {});
    const char* value = any(random, values);
    BookPath path;
    switch (random.below(10)) {
      case 5:
      case 6:
        path = Paths::with(paths.tables[random.below(static_cast<std::uint32_t>(paths.tables.size()))], std::string(any(random, new_keys)));
        if (random.below(6) == 0) path.emplace_back("sub");
        break;
      case 7: {
        path = paths.lists[random.below(static_cast<std::uint32_t>(paths.lists.size()))];
        toml::table copy = before;
        path.emplace_back(at(copy, path, path.size())->as_array()->size());
        break;
      }
      case 8: value = nullptr; [[fallthrough]];
      default: path = paths.leaves[random.below(static_cast<std::uint32_t>(paths.leaves.size()))]; break;
      case 9: path = {"sounds", "new one", "gain"}; break;
    }
    try {
      const std::string after = value == nullptr ? remove_value(text, path) : set_value(text, path, value);
      ++tally.made;
      const Change change(text, after);
      // An edit removes at most the old value from the text; a key that is taken out goes with its line.
      const std::size_t old_size = value_text(text, path).value_or("").size();
      const bool small = value == nullptr ? change.added.size() <= change.removed.size() : change.removed.size() <= old_size;
      const bool right =
          same(edited_tree(before, path, value), toml::parse(std::string_view(after))) && line_breaks_alike(text, after) && small;
      if (!right)
        tally.wrong +=
            "\n" + to_text(path) + " to " + (value == nullptr ? "nothing" : value) + ": -" + change.removed + " +" + change.added;
      if (on_top) text = after;
    } catch (const Error&) {
      ++tally.refused;
    }
  }
  return tally;
}

std::string with_breaks(const std::string& text) {
  std::string out;
  for (const char c : text) out += c == '\n' ? std::string("\r\n") : std::string(1, c);
  return out;
}

/// As many as TIDEWATER_EDITS says, of each book.
int edit_count() {
  const char* wanted = std::getenv("TIDEWATER_EDITS");
  return wanted == nullptr ? 120 : std::atoi(wanted);
}

}  // namespace

TEST_CASE("random edits change one value of a text and nothing else, in any way that TOML can be written") {
  const std::string harbour = read_text_file(PROJECT_FOLDER "/examples/harbour/book.toml", "a book");
  const std::string odd = read_text_file(PROJECT_FOLDER "/tests/books/odd.toml", "a book");
  const std::string names = read_text_file(PROJECT_FOLDER "/tests/names/book.toml", "a book");
  const std::pair<const char*, std::string> books[] = {
      {"harbour", harbour},
      {"harbour with two-byte line ends", with_breaks(harbour)},
      {"odd", odd},
      {"names", names},
      {"odd with a byte order mark", "\xEF\xBB\xBF" + odd},
      {"odd without its last line end", odd.substr(0, odd.size() - 1)},
  };
  std::uint64_t seed = 1;
  for (const auto& [name, text] : books)
    for (const bool on_top : {false, true}) {
      const Tally tally = edit_at_random(text, edit_count(), ++seed, on_top);
      INFO(name << ": " << tally.made << " made, " << tally.refused << " refused" << tally.wrong);
      CHECK(tally.wrong.empty());
      CHECK(tally.made > tally.refused * 10);
    }
}

TEST_CASE("a new key stands in the book's order of keys, with its equals sign under its neighbour's") {
  const std::string text =
      "[sounds.bell]  # in the tower\n"
      "clips   = [\"bell.wav\"]\n"
      "gain    = \"-9 dB\"  # not too loud\n"
      "fade-in = \"20 ms\"\n";
  const auto added = [&](const char* key, const char* value) {
    const BookEdit edit{{"sounds", "bell", key}, value, {}};
    const EditedBook edited = edit_book(text, "book.toml", std::span(&edit, 1));
    CHECK(edited.outcomes[0].problem == "");
    return edited.text;
  };
  CHECK(added("pitch", "\"+-1 st\"") ==
        "[sounds.bell]  # in the tower\n"
        "clips   = [\"bell.wav\"]\n"
        "gain    = \"-9 dB\"  # not too loud\n"
        "pitch   = \"+-1 st\"\n"
        "fade-in = \"20 ms\"\n");
  CHECK_THAT(added("rank", "3"), Contains("\nrank    = 3\n"));
}

TEST_CASE("a value keeps its unit and its spelling") {
  const auto level = [](const char* old, double low, double high) { return spelled_like(old, Range<Decibels>{{low}, {high}}); };
  CHECK(level("-9 dB .. -6 dB", -8, -5.5) == "-8 dB .. -5.5 dB");
  CHECK(level("-9 .. -6 dB", -8, -5.5) == "-8 .. -5.5 dB");
  CHECK(level("-9dB to -6dB", -8, -5.5) == "-8dB to -5.5dB");
  CHECK(level("-9 dB", -8, -5.5) == "-8 dB .. -5.5 dB");
  CHECK(level("-9 dB .. -6 dB", -4, -4) == "-4 dB");
  CHECK(level("\u22129,5 dB", -3.25, -3.25) == "\u22123,25 dB");
  CHECK(level("+3 dB", 2, 2) == "+2 dB");
  CHECK(level("50 %", -20, -20) == "25 %");
  CHECK(level("x0.5", -12.0412, -12.0412) == "x0.25");
  CHECK(level("silent", -6, -6) == "-6 dB");
  CHECK(level("-6 dB", silence.value, silence.value) == "silent");
  const auto pitch = [](const char* old, double low, double high) { return spelled_like(old, Range<Semitones>{{low}, {high}}); };
  CHECK(pitch("+-1 st", -2, 2) == "+-2 st");
  CHECK(pitch("+-1 st", -2, 3) == "-2 st .. 3 st");
  CHECK(pitch("\u00b150 ct", -0.75, 0.75) == "+-75 ct");
  CHECK(pitch("x0.8 .. x1.2", -12, 12) == "x0.5 .. x2");
  const auto time = [](const char* old, double low, double high) { return spelled_like(old, Range<Seconds>{Seconds{low}, Seconds{high}}); };
  CHECK(time("1,5 s", 1.25, 1.25) == "1,25 s");
  CHECK(time("250 ms", 0.3, 0.3) == "300 ms");
  CHECK(time("0.005 s", 0.0042, 0.0042) == "0.0042 s");
  CHECK(time("0 ms .. 700 ms", 0.1, 0.9) == "100 ms .. 900 ms");
  CHECK(spelled_like("2 kHz", Range<Hertz>{{2500}, {2500}}) == "2.5 kHz");
  CHECK(spelled_like("30 m", Range<Metres>{{12.5}, {12.5}}) == "12.5 m");
  CHECK(spelled_like("20 % left .. 20 % right", Range<Pan>{{-0.3}, {0.3}}) == "30 % left .. 30 % right");
}

TEST_CASE("whatever a value was, its new text reads as the new values") {
  Random random(3);
  const char* const forms[] = {"-9 dB",      "-9 .. -6 dB", "+-2 dB", "50 %",     "x0.5 .. x0.9",
                               "\u22123 dB", "silent",      "",       "nonsense", "-9dB - -6dB"};
  for (int i = 0; i < 4000; ++i) {
    const double low = random.between(-60, 12), high = random.below(2) == 0 ? low : low + random.between(0, 10);
    const std::string text = spelled_like(any(random, forms), Range<Decibels>{{low}, {high}});
    const auto read = read_decibel_range(text);
    INFO(text << " for " << low << " .. " << high << ": " << read.problem);
    REQUIRE(read.value);
    CHECK(std::abs(read.value->low.value - low) < 0.07);
    CHECK(std::abs(read.value->high.value - high) < 0.07);
  }
}

TEST_CASE("a change that others take over names them, and a list that was taken over is copied first") {
  const Folder folder;
  write_stage_clips(folder);
  const std::string text = book_head +
                           "[gauges.wind]\n[sounds.near]\nclips = [\"tone.wav\"]\ngain = \"-9 dB\"\n"
                           "follow = [ { gauge = \"wind\", gain = [[0, \"-6 dB\"], [1, \"0 dB\"]] } ]  # by the wind\n"
                           "[sounds.far]\nlike = \"near\"\n[sounds.farther]\nlike = \"far\"\ngain = \"-20 dB\"\n"
                           "[events.near]\nstart = \"near\"\n[events.far]\nresponses = [ { start = \"far\" }, { start = \"farther\" } ]\n";
  const std::string path = folder.path("book.toml");
  const BookEdit edits[] = {
      {{"sounds", "near", "gain"}, "\"-8 dB\"", "\"-9 dB\""},
      {{"sounds", "far", "follow", std::size_t{0}, "gain", std::size_t{0}, std::size_t{1}}, "\"-12 dB\"", "\"-6 dB\""},
  };
  const EditedBook edited = edit_book(text, path, edits);
  REQUIRE(edited.all_made());
  CHECK(edited.outcomes[0].also == std::vector<std::string>{"far"});
  CHECK(edited.outcomes[1].also == std::vector<std::string>{"farther"});
  CHECK_THAT(edited.text,
             Contains("[sounds.far]\nlike = \"near\"\nfollow = [ { gauge = \"wind\", gain = [[0, \"-12 dB\"], [1, \"0 dB\"]] } ]\n"));
  CHECK_THAT(edited.text, Contains("gain = [[0, \"-6 dB\"], [1, \"0 dB\"]] } ]  # by the wind\n"));
}

TEST_CASE("what changed meanwhile, or would break the book, is refused by itself and both values are shown") {
  const Folder folder;
  write_stage_clips(folder);
  const std::string text = book_head + "[sounds.bell]\nclips = [\"tone.wav\"]\ngain = \"-3 dB\"\n[events.bell]\nstart = \"bell\"\n";
  folder.write("book.toml", text);
  const std::string path = folder.path("book.toml");
  const BookEdit edits[] = {
      {{"sounds", "bell", "gain"}, "\"-8 dB\"", "\"-9 dB\""},
      {{"sounds", "bell", "pitch"}, "\"2 st\"", {}},
      {{"sounds", "bell", "spacing"}, "\"-1 s\"", {}},
      {{"sounds", "bell", "colour"}, "7", {}},
      {{"sounds"}, "7", {}},
      {{"sounds", "bell", "pan"}, "no value", {}},
  };
  const EditedBook edited = edit_book_file(path, edits);
  CHECK_THAT(edited.outcomes[0].problem,
             Contains("sounds.bell.gain: the book has \"-3 dB\" now, and it was \"-9 dB\" when it was turned to \"-8 dB\""));
  CHECK(edited.outcomes[1].problem == "");
  CHECK_THAT(edited.outcomes[2].problem, Contains("spacing") && Contains("-1 s"));
  CHECK_THAT(edited.outcomes[3].problem, Contains("colour"));
  CHECK_THAT(edited.outcomes[4].problem, Contains("'sounds' is no value of a book"));
  CHECK_THAT(edited.outcomes[5].problem, Contains("is no value as TOML writes one"));
  CHECK_FALSE(edited.all_made());
  CHECK(folder.read("book.toml") == edited.text);
  CHECK(edited.text ==
        book_head + "[sounds.bell]\nclips = [\"tone.wav\"]\ngain = \"-3 dB\"\npitch = \"2 st\"\n[events.bell]\nstart = \"bell\"\n");
}

TEST_CASE("a book that is a link stays one, and keeps its mode") {
  const Folder folder;
  write_stage_clips(folder);
  folder.write("real.toml", book_head + "[sounds.bell]\nclips = [\"tone.wav\"]\n[events.bell]\nstart = \"bell\"\n");
  std::filesystem::create_symlink("real.toml", folder.path("book.toml"));
  std::filesystem::permissions(folder.path("real.toml"), std::filesystem::perms(0640));
  const BookEdit edit{{"sounds", "bell", "gain"}, "\"-8 dB\"", {}};
  CHECK(edit_book_file(folder.path("book.toml"), std::span(&edit, 1)).all_made());
  CHECK(std::filesystem::is_symlink(folder.path("book.toml")));
  CHECK(std::filesystem::status(folder.path("real.toml")).permissions() == std::filesystem::perms(0640));
  CHECK_THAT(folder.read("real.toml"), Contains("gain  = \"-8 dB\""));
}
