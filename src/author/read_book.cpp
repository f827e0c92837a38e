#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include "author/clip_folder.hpp"
#include "author/problems.hpp"
#include "base/nearest.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t most_groups_in_book = 63;
constexpr std::uintmax_t largest_book = 16U << 20U;

std::vector<std::string_view> keys_of(std::string_view section) {
  std::vector<std::string_view> keys;
  for (const auto& key : book_keys())
    if (key.section == section) keys.push_back(key.key);
  return keys;
}

template <class Items>
std::vector<std::string_view> names_of(const Items& items) {
  std::vector<std::string_view> names;
  for (const auto& item : items) names.emplace_back(item.name);
  return names;
}

/// Walks one document and fills one book. Each function reads one kind of thing and reports what is wrong with it.
class Reader {
 public:
  /// `whole` is false where lines had to be skipped: then nothing is said of what seems to be missing.
  Reader(const toml::table& root, bool whole, Book& book, Problems& problems)
      : root_(root), whole_(whole), book_(book), problems_(problems) {}

  void read() {
    check_keys(root_, "", {"book", "groups", "sounds", "events"});
    read_head();
    const ClipFolder folder(book_.clips_folder);
    if (!folder.exists())
      problems_.add(folder_place_,
                    fmt::format("there is no folder '{}' for the clips; make it, or set clips in [book]", book_.clips_folder));
    book_.groups.emplace_back().name = "master";
    book_.groups.back().place = problems_.whole_file();
    each(root_, "groups", [&](const toml::key& key, const toml::table& t) { read_group(key, t); });
    each(root_, "sounds", [&](const toml::key& key, const toml::table& t) { read_sound(key, t, folder); });
    each(root_, "events", [&](const toml::key& key, const toml::table& t) { read_event(key, t); });
    if (whole_) check_names();
    sort_groups();
  }

 private:
  void missing(Place place, std::string message) {
    if (whole_) problems_.add(std::move(place), std::move(message));
  }

  void problem(const toml::node& node, std::string message) { problems_.add(problems_.at(node), std::move(message)); }

  void check_keys(const toml::table& table, std::string_view what, const std::vector<std::string_view>& known) {
    for (const auto& [key, node] : table) {
      if (std::find(known.begin(), known.end(), key.str()) != known.end()) continue;
      std::string all;
      for (const auto k : known) all += (all.empty() ? "" : ", ") + std::string(k);
      auto advice = did_you_mean(key.str(), known);
      if (advice.empty()) advice = "; known are " + all;
      problems_.add(problems_.at(key), what.empty() ? fmt::format("unknown table '{}'{}", key.str(), advice)
                                                    : fmt::format("{} has no key '{}'{}", what, key.str(), advice));
    }
  }

  /// Calls `read` for each table of a section, or says what stands there instead.
  template <class F>
  void each(const toml::table& parent, std::string_view section, F read) {
    const toml::node* node = parent.get(section);
    if (node == nullptr) return;
    const auto* table = node->as_table();
    if (table == nullptr) return problem(*node, fmt::format("'{0}' must be tables such as [{0}.name]", section));
    for (const auto& [key, value] : *table) {
      if (const auto* inner = value.as_table(); inner != nullptr && !key.str().empty())
        read(key, *inner);
      else if (key.str().empty())
        problems_.add(problems_.at(key), fmt::format("a name in [{}] is empty", section));
      else
        problems_.add(problems_.at(key), fmt::format("'{0}' must be a table: write [{1}.{0}]", key.str(), section));
    }
  }

  const std::string* text(const toml::table& table, std::string_view key) {
    const toml::node* node = table.get(key);
    if (node == nullptr) return nullptr;
    if (const auto* value = node->as_string()) return &value->get();
    problem(*node, fmt::format("'{}' must be text in quotes", key));
    return nullptr;
  }

  void read_bool(const toml::table& table, std::string_view key, bool& into) {
    const toml::node* node = table.get(key);
    if (node == nullptr) return;
    if (const auto* value = node->as_boolean())
      into = value->get();
    else
      problem(*node, fmt::format("'{}' must be true or false, without quotes", key));
  }

  /// A quantity is text with a unit; a bare number is refused with the units it may have meant.
  template <class T>
  void read_quantity(const toml::table& table, std::string_view key, Read<T> (*reader)(std::string_view), T& into) {
    const toml::node* node = table.get(key);
    if (node == nullptr) return;
    std::string written;
    if (const auto* value = node->as_string())
      written = value->get();
    else if (node->is_number())
      written = fmt::format("{}", node->value_or(0.0));
    else
      return problem(*node, fmt::format("'{}' must be text with a number and a unit", key));
    auto result = reader(written);
    if (result.value)
      into = *result.value;
    else
      problem(*node, fmt::format("{}: {}", key, result.problem));
  }

  void read_quality(const toml::table& table, std::string& into) {
    const auto* quality = text(table, "quality");
    if (quality == nullptr) return;
    if (*quality != "standard" && *quality != "fine")
      problem(*table.get("quality"), fmt::format("'{}' is no quality; write \"standard\" or \"fine\"", *quality));
    into = *quality;
  }

  void read_rank(const toml::table& table, int& into) {
    const toml::node* node = table.get("rank");
    if (node == nullptr) return;
    const auto rank = node->is_integer() ? node->value_or<std::int64_t>(-1) : -1;
    if (rank < 0 || rank > 9)
      problem(*node, "'rank' must be a whole number from 0, the first to lose its voice, to 9");
    else
      into = static_cast<int>(rank);
  }

  void read_head() {
    folder_place_ = problems_.whole_file();
    std::string clips = "clips";
    const toml::node* node = root_.get("book");
    const toml::table* head = node == nullptr ? nullptr : node->as_table();
    if (head == nullptr) {
      missing(node == nullptr ? problems_.whole_file() : problems_.at(*node),
              "the book has no head; begin it with [book] and a line name = \"...\"");
    } else {
      check_keys(*head, "[book]", keys_of("book"));
      if (const auto* name = text(*head, "name")) book_.name = *name;
      if (!head->contains("name") || (head->get("name")->is_string() && book_.name.empty()))
        missing(problems_.at(*head), "[book] needs a name, such as name = \"harbour\"");
      if (const auto* soundfont = text(*head, "soundfont"))
        book_.soundfont = (fs::path(book_.file).parent_path() / *soundfont).lexically_normal().generic_string();
      if (const auto* folder = text(*head, "clips")) {
        clips = *folder;
        folder_place_ = problems_.at(*head->get("clips"));
      }
    }
    book_.clips_folder = (fs::path(book_.file).parent_path() / clips).lexically_normal().generic_string();
  }

  void read_group(const toml::key& key, const toml::table& table) {
    check_keys(table, fmt::format("group '{}'", key.str()), keys_of("groups"));
    const bool master = key.str() == "master";
    BookGroup group;
    group.name = key.str();
    group.parent = master ? "" : "master";
    group.place = problems_.at(key);
    if (const auto* parent = text(table, "parent")) {
      if (master)
        problem(*table.get("parent"), "the master has no parent: every other group is below it");
      else
        group.parent = *parent;
    }
    read_quantity(table, "gain", read_decibels, group.gain);
    read_bool(table, "mute", group.muted);
    read_quantity(table, "low-pass", read_hertz, group.low_pass);
    read_quantity(table, "high-pass", read_hertz, group.high_pass);
    read_quality(table, group.quality);
    if (master)
      book_.groups.front() = std::move(group);
    else if (book_.groups.size() > most_groups_in_book)
      problems_.add(group.place, fmt::format("there are more than {} groups", most_groups_in_book));
    else
      book_.groups.push_back(std::move(group));
  }

  void read_sound(const toml::key& key, const toml::table& table, const ClipFolder& folder) {
    check_keys(table, fmt::format("sound '{}'", key.str()), keys_of("sounds"));
    BookSound sound;
    sound.name = key.str();
    sound.place = problems_.at(key);
    if (const auto* group = text(table, "group")) {
      sound.group = *group;
      named_groups_.push_back({*group, problems_.at(*table.get("group"))});
    }
    if (const auto* pick = text(table, "pick")) {
      static const std::vector<std::string_view> picks = {"shuffle", "random", "in-order"};
      if (std::find(picks.begin(), picks.end(), *pick) == picks.end())
        problem(*table.get("pick"), fmt::format("'{}' is no way to pick; write \"shuffle\", \"random\" or \"in-order\"", *pick));
      sound.pick = *pick;
    }
    read_quantity(table, "gain", read_decibel_range, sound.gain);
    read_quantity(table, "pitch", read_semitone_range, sound.pitch);
    read_quantity(table, "pan", read_pan_range, sound.pan);
    read_quantity(table, "low-pass", read_hertz, sound.low_pass);
    read_quantity(table, "high-pass", read_hertz, sound.high_pass);
    read_quality(table, sound.quality);
    read_rank(table, sound.rank);
    read_bool(table, "loop", sound.loop);
    if (bool stream = false; table.contains("stream")) {
      read_bool(table, "stream", stream);
      sound.stream = stream;
    }
    read_quantity(table, "fade-in", read_seconds, sound.fade_in);
    read_quantity(table, "fade-out", read_seconds, sound.fade_out);
    read_clips(table, sound, folder);
    book_.sounds.push_back(std::move(sound));
  }

  void read_clips(const toml::table& table, BookSound& sound, const ClipFolder& folder) {
    const toml::node* node = table.get("clips");
    if (node == nullptr)
      return missing(sound.place, fmt::format("sound '{}' has no clips; add clips = [\"{}.flac\"]", sound.name, sound.name));
    const auto* list = node->as_array();
    if (list == nullptr) return problem(*node, "'clips' must be a list: clips = [\"one.flac\", \"steps/steel-*.wav\"]");
    if (list->empty()) return problem(*node, fmt::format("sound '{}' lists no clips", sound.name));
    for (const auto& item : *list) {
      const auto* pattern = item.as_string();
      if (pattern == nullptr) {
        problem(item, "a clip must be text in quotes");
        continue;
      }
      add_matching(pattern->get(), item, sound, folder);
    }
  }

  void add_matching(const std::string& pattern, const toml::node& node, BookSound& sound, const ClipFolder& folder) {
    if (fs::path(pattern).is_absolute() || pattern.find("..") != std::string::npos)
      return problem(node, fmt::format("clip '{}' must lie inside the folder of clips", pattern));
    const auto files = folder.matching(pattern);
    if (files.empty() && folder.exists())
      problem(node,
              fmt::format("{} '{}'{}", is_pattern(pattern) ? "no file fits" : "there is no clip", pattern, folder.advice_for(pattern)));
    for (const auto& file : files) {
      const bool known = std::any_of(sound.clips.begin(), sound.clips.end(), [&](const BookClip& c) { return c.path == file; });
      if (!known) sound.clips.push_back({file, problems_.at(node)});
    }
  }

  void read_event(const toml::key& key, const toml::table& table) {
    check_keys(table, fmt::format("event '{}'", key.str()), keys_of("events"));
    BookEvent event{std::string(key.str()), {}, problems_.at(key)};
    const toml::node* list = table.get("responses");
    if (table.contains("start") || table.contains("stop")) {
      if (list != nullptr) problem(*list, "an event has either responses, or start or stop of its own; move them into the list");
      read_response(table, event);
    } else if (list == nullptr) {
      missing(event.place, fmt::format("event '{}' does nothing; add start = \"a-sound\"", event.name));
    } else if (const auto* responses = list->as_array(); responses != nullptr && !responses->empty()) {
      for (const auto& item : *responses) {
        if (const auto* response = item.as_table()) {
          check_keys(*response, "a response", keys_of("responses"));
          read_response(*response, event);
        } else {
          problem(item, "a response must be a table, such as { start = \"gangway\" }");
        }
      }
    } else {
      problem(*list, "'responses' must be a list: responses = [ { stop = \"engine\" }, { start = \"gangway\" } ]");
    }
    book_.events.push_back(std::move(event));
  }

  void read_response(const toml::table& table, BookEvent& event) {
    BookResponse response;
    response.place = problems_.at(table);
    const bool starts = table.contains("start");
    if (starts == table.contains("stop"))
      return problem(table, starts ? "one response cannot both start and stop; make them two in responses = [...]"
                                   : "a response needs start = \"a-sound\" or stop = \"a-sound\"");
    response.kind = starts ? BookResponse::Kind::start : BookResponse::Kind::stop;
    const std::string_view verb = starts ? "start" : "stop";
    if (const auto* sound = text(table, verb)) {
      response.sound = *sound;
      response.place = problems_.at(*table.get(verb));
      named_sounds_.push_back({*sound, response.place});
    }
    if (!starts && table.contains("delay")) problem(*table.get("delay"), "a delay goes with start; a stop takes fade = \"2 s\"");
    if (starts && table.contains("fade")) problem(*table.get("fade"), "a fade goes with stop; a start takes the sound's fade-in");
    read_quantity(table, "delay", read_seconds, response.delay);
    for (const auto& sound : book_.sounds)
      if (sound.name == response.sound) response.fade = sound.fade_out;
    read_quantity(table, "fade", read_seconds, response.fade);
    event.responses.push_back(std::move(response));
  }

  struct Mention {
    std::string name;
    Place place;
  };

  void check_names() {
    const auto known_groups = names_of(book_.groups);
    const auto known_sounds = names_of(book_.sounds);
    const auto has = [](const auto& names, const std::string& name) { return std::find(names.begin(), names.end(), name) != names.end(); };
    for (const auto& m : named_groups_)
      if (!has(known_groups, m.name))
        problems_.add(m.place, fmt::format("there is no group '{}'{}", m.name, advice(m.name, known_groups, "groups")));
    for (const auto& group : book_.groups)
      if (!group.parent.empty() && !has(known_groups, group.parent))
        problems_.add(group.place, fmt::format("the parent of group '{}' is '{}', which is not a group{}", group.name, group.parent,
                                               advice(group.parent, known_groups, "groups")));
    for (const auto& m : named_sounds_)
      if (!has(known_sounds, m.name))
        problems_.add(m.place, fmt::format("there is no sound '{}'{}", m.name, advice(m.name, known_sounds, "sounds")));
  }

  static std::string advice(const std::string& name, const std::vector<std::string_view>& known, std::string_view section) {
    auto text = did_you_mean(name, known);
    return text.empty() ? fmt::format("; add [{}.{}]", section, name) : text;
  }

  /// Parents before children; what cannot be placed goes round in a circle.
  void sort_groups() {
    std::vector<BookGroup> sorted = {book_.groups.front()};
    std::set<std::string> placed = {"master"};
    std::vector<BookGroup> left(book_.groups.begin() + 1, book_.groups.end());
    for (bool moved = true; moved;) {
      moved = false;
      for (auto it = left.begin(); it != left.end();) {
        if (!placed.contains(it->parent)) {
          ++it;
          continue;
        }
        placed.insert(it->name);
        sorted.push_back(std::move(*it));
        it = left.erase(it);
        moved = true;
      }
    }
    const auto known = names_of(book_.groups);
    for (const auto& group : left)
      if (std::find(known.begin(), known.end(), group.parent) != known.end())
        problems_.add(group.place,
                      fmt::format("group '{}' is below itself: its parents go round in a circle; give it parent = \"master\"", group.name));
    book_.groups = std::move(sorted);
  }

  const toml::table& root_;
  bool whole_;
  Book& book_;
  Problems& problems_;
  Place folder_place_;
  std::vector<Mention> named_groups_;
  std::vector<Mention> named_sounds_;
};

}  // namespace

ReadBook parse_book(std::string_view text, const std::string& path) {
  ReadBook result;
  result.book.file = path;
  Problems problems(path);
  if (text.find_first_not_of(" \t\r\n") == std::string_view::npos) {
    problems.add(problems.whole_file(), "the book is empty; begin it with [book] and a line name = \"...\"");
  } else {
    const Document document = read_document(text, problems);
    Reader(document.root, document.whole, result.book, problems).read();
  }
  result.problems = problems.take();
  return result;
}

ReadBook read_book(const std::string& path) {
  const auto failed = [&](std::string message) { return ReadBook{{}, {{{path, 0, 0}, std::move(message)}}}; };
  std::error_code error;
  if (!fs::exists(path, error)) return failed("there is no such file");
  if (fs::is_directory(path, error)) return failed("is a folder; name the book in it, such as book.toml");
  if (fs::file_size(path, error) > largest_book) return failed("is larger than 16 MiB; a book is text written by people");
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) return failed("cannot be read; may you read it?");
  return parse_book(text.str(), path);
}

}  // namespace tidewater
