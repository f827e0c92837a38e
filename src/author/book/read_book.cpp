#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <optional>
#include <set>
#include <sstream>
#include <unordered_map>
#include <unordered_set>

#include "author/book/event_circles.hpp"
#include "author/book/keys.hpp"
#include "author/book/parents_first.hpp"
#include "author/book/parse_in_folder.hpp"
#include "author/book/problems.hpp"
#include "author/book/read_banks.hpp"
#include "author/book/read_credits.hpp"
#include "author/book/read_ducks.hpp"
#include "author/book/read_events.hpp"
#include "author/book/read_gauges.hpp"
#include "author/book/read_limits.hpp"
#include "author/book/read_moods.hpp"
#include "author/book/read_scopes.hpp"
#include "author/book/read_sound.hpp"
#include "author/book/read_targets.hpp"
#include "author/book/read_tracks.hpp"
#include "author/book/read_traits.hpp"
#include "author/book/tables.hpp"
#include "author/folder/clip_folder.hpp"
#include "base/most_groups.hpp"
#include "base/nearest.hpp"
#include "base/text_file.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t most_groups_in_book = most_groups - 1;  // without the master
constexpr std::uintmax_t largest_book = 16U << 20U;

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
  Reader(const toml::table& root, bool whole, Book& book, Problems& problems, const ClipFolder* listed)
      : root_(root), whole_(whole), book_(book), problems_(problems), listed_(listed) {}

  void read() {
    check_keys(
        problems_, root_, "",
        {"book", "groups", "moods", "gauges", "scopes", "traits", "sounds", "tracks", "events", "banks", "targets", "credits", "accepted"});
    read_head();
    const bool is_listed = listed_ != nullptr && listed_->path() == book_.clips_folder;
    const std::optional<ClipFolder> own = is_listed ? std::nullopt : std::optional<ClipFolder>(book_.clips_folder);
    const ClipFolder& folder = is_listed ? *listed_ : *own;
    if (!folder.exists() && needs_clips())
      problems_.add(folder_place_,
                    fmt::format("there is no folder '{}' for the clips; make it, or set clips in [book]", book_.clips_folder));
    if (!folder.problem().empty()) problems_.add(folder_place_, folder.problem());
    book_.groups.emplace_back().name = "master";
    book_.groups.back().place = problems_.whole_file();
    each(root_, "groups", [&](const toml::key& key, const toml::table& t) { read_group(key, t); });
    each(root_, "moods", [&](const toml::key& key, const toml::table& t) {
      read_mood(problems_, key, t, book_, [&](std::string name, FilePlace place) {
        named_groups_.push_back({std::move(name), std::move(place)});
      });
    });
    book_.scopes.emplace_back().name = "root";
    book_.scopes.back().place = problems_.whole_file();
    each(root_, "scopes", [&](const toml::key& key, const toml::table& t) {
      read_scope(problems_, key, t, book_);
      mention(t, "parent", named_scopes_);
      mention(t, "mood", named_moods_);
    });
    each(root_, "traits", [&](const toml::key& key, const toml::table& t) { read_trait(problems_, key, t, book_); });
    each(root_, "gauges", [&](const toml::key& key, const toml::table& t) { read_gauge(problems_, key, t, book_); });
    SoundReader sounds(root_, whole_, folder, book_, problems_);
    each(root_, "sounds", [&](const toml::key& key, const toml::table& t) { sounds.read(key, t); });
    TrackReader tracks(whole_, sounds, book_, problems_);
    each(root_, "tracks", [&](const toml::key& key, const toml::table& t) { tracks.read(key, t); });
    tracks.check_names();
    tracks.fill_lists();
    for (const auto& [name, place] : sounds.named_groups()) named_groups_.push_back({name, place});
    for (const auto& [name, place] : sounds.named_scopes()) named_scopes_.push_back({name, place});
    dotted_.insert(sounds.dotted().begin(), sounds.dotted().end());
    EventReader events(whole_, book_, problems_);
    each(root_, "events", [&](const toml::key& key, const toml::table& t) { events.read(key, t); });
    dotted_.insert(events.dotted().begin(), events.dotted().end());
    each(root_, "banks", [&](const toml::key& key, const toml::table& t) { read_book_bank(problems_, key, t, book_); });
    check_needs(problems_, book_);
    each(root_, "targets", [&](const toml::key& key, const toml::table& t) { read_book_target(problems_, key, t, book_); });
    read_credits(problems_, root_, book_.credits);
    read_accepted();
    if (whole_) check_names(events.named());
    check_circles();
    check_traits(problems_, book_);
    sort(book_.groups, "group", "master");
    check_group_limits(problems_, book_);
    check_ducks(problems_, book_);
    sort(book_.scopes, "scope", "root");
  }

 private:
  /// Not where all sounds are sketches, or are like one, and the book says nothing of a folder.
  bool needs_clips() const {
    if (root_["book"]["clips"]) return true;
    std::size_t count = 0, sketched = 0;
    const auto look_at = [&](const toml::node& node) {
      const auto* table = node.as_table();
      ++count;
      const auto has = [&](const char* key) { return table != nullptr && table->contains(key); };
      if (has("sketch") || has("list") || (has("like") && !has("clips") && !has("layers"))) ++sketched;
    };
    if (const auto* sounds = root_["sounds"].as_table())
      for (const auto& [key, sound] : *sounds) look_at(sound);
    if (const auto* tracks = root_["tracks"].as_table())
      for (const auto& [key, track] : *tracks) {
        const auto* stems = track.is_table() ? track.as_table()->get_as<toml::array>("stems") : nullptr;
        if (stems == nullptr) look_at(track);
        if (stems != nullptr)
          for (const auto& stem : *stems) look_at(stem);
      }
    return count == 0 || sketched < count;
  }

  void missing(FilePlace place, std::string message) {
    if (whole_) problems_.add(std::move(place), std::move(message));
  }

  void problem(const toml::node& node, std::string message) { problems_.add(problems_.at(node), std::move(message)); }

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

  void read_head() {
    folder_place_ = problems_.whole_file();
    std::string clips = "clips";
    const toml::node* node = root_.get("book");
    const toml::table* head = node == nullptr ? nullptr : node->as_table();
    if (head == nullptr) {
      missing(node == nullptr ? problems_.whole_file() : problems_.at(*node),
              "the book has no head; begin it with [book] and a line name = \"...\"");
    } else {
      check_keys(problems_, *head, "[book]", keys_of("book"));
      if (const auto* name = text(problems_, *head, "name")) book_.name = *name;
      if (!head->contains("name") || (head->get("name")->is_string() && book_.name.empty()))
        missing(problems_.at(*head), "[book] needs a name, such as name = \"harbour\"");
      if (!book_.name.empty() && !can_name_a_file(book_.name))
        problems_.add(
            problems_.at(*head->get("name")),
            fmt::format("a bank is called as its book, and '{}' cannot be a file: give it a name without slashes that begins with no dot",
                        book_.name));
      head_rows().read(problems_, *head, book_);
      read_languages(problems_, *head, book_);
      if (const auto* soundfont = text(problems_, *head, "soundfont"))
        book_.soundfont = (fs::path(book_.file).parent_path() / *soundfont).lexically_normal().generic_string();
      if (const auto* folder = text(problems_, *head, "clips")) {
        clips = *folder;
        folder_place_ = problems_.at(*head->get("clips"));
      }
    }
    book_.clips_folder = (fs::path(book_.file).parent_path() / clips).lexically_normal().generic_string();
  }

  void read_accepted() {
    const toml::node* node = root_.get("accepted");
    if (node == nullptr) return;
    const auto* list = node->as_array();
    if (list == nullptr) return problem(*node, "accepted advice is a list: write [[accepted]]");
    std::vector<std::string_view> kinds;
    for (const auto& known : advice_kinds()) kinds.push_back(known.kind);
    for (const auto& item : *list) {
      const auto* table = item.as_table();
      if (table == nullptr) {
        problem(item, "accepted advice is a table: [[accepted]], with advice, about and reason");
        continue;
      }
      check_keys(problems_, *table, "accepted advice", keys_of("accepted"));
      BookAccepted& accepted = book_.accepted.emplace_back();
      accepted.place = problems_.at(item);
      accepted_rows().read(problems_, *table, accepted);
      if (std::find(kinds.begin(), kinds.end(), accepted.advice) == kinds.end())
        problem(item, fmt::format("there is no advice '{}'{}", accepted.advice, did_you_mean(accepted.advice, kinds)));
      if (accepted.reason.empty()) problem(item, "accepted advice needs a reason, for those who come after");
    }
  }

  void read_group(const toml::key& key, const toml::table& table) {
    const auto dotted = check_named(problems_, "groups", key.str(), table, fmt::format("group '{}'", key.str()), keys_of("groups"));
    dotted_.insert(dotted.begin(), dotted.end());
    const bool master = key.str() == "master";
    BookGroup group;
    group.name = key.str();
    group.parent = master ? "" : "master";
    group.place = problems_.at(key);
    if (const auto* parent = text(problems_, table, "parent")) {
      if (master)
        problem(*table.get("parent"), "the master has no parent: every other group is below it");
      else
        group.parent = *parent;
    }
    group_rows().read(problems_, table, group);
    check_limit(problems_, table);
    read_ducks(problems_, table, group);
    for (const BookDuck& duck : group.ducks)
      if (!duck.key.empty()) named_groups_.push_back({duck.key, duck.place});
    mention(table, "scope", named_scopes_);
    if (master)
      book_.groups.front() = std::move(group);
    else if (book_.groups.size() > most_groups_in_book)
      problems_.add(group.place, fmt::format("there are more than {} groups", most_groups_in_book));
    else
      book_.groups.push_back(std::move(group));
  }

  void mention(const toml::table& table, std::string_view key, std::vector<Mention>& to) {
    if (const toml::node* node = table.get(key); node != nullptr && node->is_string())
      to.push_back({node->value_or(std::string()), problems_.at(*node)});
  }

  /// What it was to name must not be called unused for that.
  void name_is_missing(const FilePlace& place, std::string message) {
    problems_.add(place, std::move(message));
    book_.whole = false;
  }

  void check_names(const std::vector<EventReader::Named>& in_events) {
    const auto known_groups = names_of(book_.groups);
    const auto known_scopes = names_of(book_.scopes);
    const auto known_sounds = names_of(book_.sounds);
    const auto set_of = [](const auto& names) { return std::unordered_set<std::string_view>(names.begin(), names.end()); };
    const auto groups = set_of(known_groups);
    const auto sounds = set_of(known_sounds);
    const auto known_moods = names_of(book_.moods);
    const auto moods = set_of(known_moods);
    const auto check_mentions = [&](const std::vector<Mention>& mentions, const auto& known, const auto& there, std::string_view kind) {
      for (const Mention& its : mentions)
        if (!there.contains(its.name) && !dotted_.contains(its.name))
          problems_.add(its.place,
                        fmt::format("there is no {0} '{1}'{2}", kind, its.name, advice(its.name, known, fmt::format("{}s", kind))));
    };
    check_mentions(named_groups_, known_groups, groups, "group");
    for (const auto& group : book_.groups)
      if (!group.parent.empty() && !groups.contains(group.parent))
        problems_.add(group.place, fmt::format("the parent of group '{}' is '{}', which is not a group{}", group.name, group.parent,
                                               advice(group.parent, known_groups, "groups")));
    check_mentions(named_scopes_, known_scopes, set_of(known_scopes), "scope");
    check_mentions(named_moods_, known_moods, moods, "mood");
    const auto known_gauges = names_of(book_.gauges);
    const auto known_events = names_of(book_.events);
    const auto gauges = set_of(known_gauges);
    const auto events = set_of(known_events);
    std::vector<std::string_view> known_tracks, known_stands;
    for (const BookSound& sound : book_.sounds)
      if (sound.track) known_tracks.push_back(sound.name), known_stands.push_back(sound.track->stand_name());
    const auto tracks = set_of(known_tracks);
    const auto stands = set_of(known_stands);
    const auto check = [&](const EventReader::Named& its, const auto& known, const auto& there) {
      if (there.contains(its.name) || dotted_.contains(its.name)) return;
      const std::string_view kind = word_of(its.kind);
      name_is_missing(its.place, fmt::format("there is no {} '{}'{}", kind, its.name, advice(its.name, known, fmt::format("{}s", kind))));
    };
    for (const auto& its : in_events) switch (its.kind) {
        case TargetKind::sound: check(its, known_sounds, sounds); break;
        case TargetKind::track: check(its, known_tracks, tracks); break;
        case TargetKind::stand: check(its, known_stands, stands); break;
        case TargetKind::gauge: check(its, known_gauges, gauges); break;
        case TargetKind::group: check(its, known_groups, groups); break;
        case TargetKind::mood: check(its, known_moods, moods); break;
        case TargetKind::event: check(its, known_events, events); break;
      }
  }

  void check_circles() {
    for (const EventCircle& circle : circles_of(book_))
      if (std::string wrong = what_is_wrong_with(circle); !wrong.empty()) problems_.add(circle.place, std::move(wrong));
  }

  std::string advice(const std::string& name, const std::vector<std::string_view>& known, std::string_view section) {
    auto text = problems_.may_look() ? did_you_mean(name, known) : "";
    return text.empty() ? fmt::format("; add [{}.{}]", section, name) : text;
  }

  /// Reports groups or scopes that are below themselves.
  template <class Item>
  void sort(std::vector<Item>& items, std::string_view kind, std::string_view root) {
    put_parents_first(items, [&](const Item& item) {
      problems_.add(item.place, fmt::format("{} '{}' is below itself: its parents go round in a circle; give it parent = \"{}\"", kind,
                                            item.name, root));
    });
  }

  const toml::table& root_;
  bool whole_;
  Book& book_;
  Problems& problems_;
  const ClipFolder* listed_;  ///< null if the folder is to be listed
  FilePlace folder_place_;
  std::set<std::string> dotted_;  ///< names that should have had quotes
  std::vector<Mention> named_groups_;
  std::vector<Mention> named_scopes_;
  std::vector<Mention> named_moods_;
};

/// Of the TOML files in a folder: the one that may have been meant.
std::string books_in(const fs::path& folder, const std::string& meant) {
  std::vector<std::string> names;
  std::error_code error;
  constexpr std::size_t enough = 1000;
  for (fs::directory_iterator it(folder.empty() ? "." : folder, error), end; !error && it != end && names.size() < enough;
       it.increment(error))
    if (it->path().extension() == ".toml") names.push_back(it->path().filename().string());
  std::sort(names.begin(), names.end());
  const std::vector<std::string_view> known(names.begin(), names.end());
  if (auto advice = did_you_mean(meant, known); !advice.empty()) return advice;
  return names.size() == 1 ? fmt::format("; there is '{}'", (folder / names.front()).generic_string()) : "";
}

}  // namespace

ReadBook parse_book(std::string_view text, const std::string& path) { return parse_book_in(text, path, nullptr); }

ReadBook parse_book_in(std::string_view text, const std::string& path, const ClipFolder* folder) {
  ReadBook result;
  result.book.file = path;
  Problems problems(path);
  if (text.find_first_not_of(" \t\r\n") == std::string_view::npos) {
    problems.add(problems.whole_file(), "the book is empty; begin it with [book] and a line name = \"...\"");
  } else {
    const Document document = read_document(text, problems);
    result.book.whole = document.whole;
    Reader(document.root, document.whole, result.book, problems, folder).read();
  }
  result.problems = problems.take();
  return result;
}

ReadBook read_book(const std::string& path) {
  const auto failed = [&](std::string message) { return ReadBook{{}, {{{path, 0, 0}, std::move(message)}}}; };
  std::error_code error;
  if (!fs::exists(path, error))
    return failed("there is no such file" + books_in(fs::path(path).parent_path(), fs::path(path).filename().string()));
  if (fs::is_directory(path, error)) return failed("is a folder; name the book in it, such as book.toml" + books_in(path, "book.toml"));
  if (const std::string why = why_no_text(path, "a book"); !why.empty())
    return failed(why.starts_with("is a bank") ? why + "; tidewater show, weigh and unpack look into one" : why);
  if (fs::file_size(path, error) > largest_book) return failed("is larger than 16 MiB; a book is text written by people");
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) return failed("cannot be read; may you read it?");
  return parse_book(text.str(), path);
}

}  // namespace tidewater
