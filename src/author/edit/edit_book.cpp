#include "tidewater/author/edit_book.hpp"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <cmath>

#include "author/book/parse_in_folder.hpp"
#include "author/book/tables.hpp"
#include "author/edit/edit_in_folder.hpp"
#include "author/edit/toml_places.hpp"
#include "base/text_file.hpp"
#include "base/whole_file.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// The section of docs/book.md whose keys stand where this path ends: of sounds.bell.layers.0.gain it is "layers".
std::string_view section_of(const BookPath& path) {
  static constexpr std::string_view inner[] = {"layers", "follow", "stems", "parts", "from", "responses", "sketch"};
  const auto* top = std::get_if<std::string>(&path.front());
  std::string_view section = top == nullptr ? std::string_view() : *top;
  for (std::size_t i = 1; i + 1 < path.size(); ++i)
    if (const auto* key = std::get_if<std::string>(&path[i]))
      if (const auto* its = std::find(std::begin(inner), std::end(inner), *key); its != std::end(inner)) section = *its;
  return section;
}

const std::string* like_of(const toml::table& root, const std::string& sound) {
  const auto* sounds = root.get_as<toml::table>("sounds");
  const auto* table = sounds == nullptr ? nullptr : sounds->get_as<toml::table>(sound);
  const auto* like = table == nullptr ? nullptr : table->get_as<std::string>("like");
  return like == nullptr ? nullptr : &like->get();
}

/// Sounds that are like this one, or like one that is.
std::vector<std::string> heirs_of(const toml::table& root, std::string_view sound) {
  std::vector<std::string> heirs;
  const auto* sounds = root.get_as<toml::table>("sounds");
  if (sounds == nullptr) return heirs;
  for (const auto& [name, ignored] : *sounds) {
    const std::string* like = like_of(root, std::string(name.str()));
    for (std::size_t steps = 0; like != nullptr && steps < sounds->size(); ++steps, like = like_of(root, *like))
      if (*like == sound) {
        heirs.emplace_back(name.str());
        break;
      }
  }
  return heirs;
}

/// The text with `layers` or `follow` copied into the sound, where the path leads into one that the sound takes over by `like`.
std::string with_own_list(std::string_view text, const BookPath& path) {
  const auto* section = std::get_if<std::string>(&path.front());
  if (path.size() < 4 || section == nullptr || *section != "sounds") return std::string(text);
  const auto* sound = std::get_if<std::string>(&path[1]);
  const auto* key = std::get_if<std::string>(&path[2]);
  if (sound == nullptr || key == nullptr || value_text(text, {"sounds", *sound, *key})) return std::string(text);
  const toml::table root = parsed_toml(text);
  const std::string* like = like_of(root, *sound);
  for (std::size_t steps = 0; like != nullptr && steps < 100; ++steps, like = like_of(root, *like))
    if (const toml::node* node = root["sounds"][*like][*key].node()) {
      // A list in brackets is copied as it is written; one whose items have heads is written anew.
      const TomlPlaces places(text);
      const toml::node* there = places.root()["sounds"][*like][*key].node();
      const std::string value =
          places.form_of(*there, *key) == TableForm::in_line ? *value_text(text, {"sounds", *like, *key}) : in_book(*node);
      return set_value(text, {"sounds", *sound, *key}, value, keys_of("sounds"));
    }
  return std::string(text);
}

unsigned line_of(std::string_view text, const BookPath& path) {
  const toml::table root = parsed_toml(text);
  const toml::node* node = &root;
  for (const BookStep& step : path) {
    if (const auto* key = std::get_if<std::string>(&step))
      node = node->is_table() ? node->as_table()->get(*key) : nullptr;
    else
      node = node->is_array() ? node->as_array()->get(std::get<std::size_t>(step)) : nullptr;
    if (node == nullptr) return 0;
  }
  return node->source().begin.line;
}

std::string shown(const std::optional<std::string>& value) { return value ? *value : "nothing"; }

/// Two texts of the same value: spaces and quotes may differ.
bool same_value(const std::optional<std::string>& one, const std::optional<std::string>& other) {
  if (one == other || !one || !other) return one == other;
  try {
    return parsed_toml("x = " + *one) == parsed_toml("x = " + *other);
  } catch (const Error&) {
    return false;
  }
}

/// One change. Sets the outcome; the text is new if there is no problem.
void make(std::string& text, const std::string& path, const BookEdit& edit, EditOutcome& outcome) {
  const auto refuse = [&](const std::string& why) { outcome.problem = fmt::format("{}: {}", path, why); };
  try {
    if (edit.path.size() < 2) return refuse(fmt::format("'{}' is no value of a book", to_text(edit.path)));
    const std::string with_list = with_own_list(text, edit.path);
    outcome.before = value_text(with_list, edit.path);
    if (same_value(outcome.before, edit.value)) {
      outcome.line = line_of(text, edit.path);
      return;
    }
    if (!same_value(outcome.before, edit.read))
      return refuse(fmt::format("{}: the book has {} now, and it was {} when it was turned to {}; keep either by turning it again",
                                to_text(edit.path), shown(outcome.before), shown(edit.read), shown(edit.value)));
    std::string after =
        edit.value ? set_value(with_list, edit.path, *edit.value, keys_of(section_of(edit.path))) : remove_value(with_list, edit.path);
    outcome.line = line_of(after, edit.path);
    text = std::move(after);
  } catch (const Error& error) {
    refuse(error.what());
  }
}

const BookSound* sound_named(const Book& book, std::string_view name) {
  const auto found = std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.name == name; });
  return found == book.sounds.end() ? nullptr : &*found;
}

/// The value of one key of a sound, as it holds.
std::string setting_of(const BookSound* sound, std::string_view key) {
  if (sound != nullptr)
    for (const BookSetting& its : sound->settings)
      if (its.key == key) return its.value;
  return {};
}

/// Names the sounds that take the value over.
void name_heirs(const Book& before, const Book& now, const toml::table& root, const BookEdit& edit, EditOutcome& outcome) {
  const auto* section = std::get_if<std::string>(&edit.path.front());
  const auto* sound = edit.path.size() < 3 ? nullptr : std::get_if<std::string>(&edit.path[1]);
  if (!outcome.problem.empty() || section == nullptr || *section != "sounds" || sound == nullptr) return;
  const auto* key = std::get_if<std::string>(&edit.path[2]);
  if (key == nullptr) return;
  for (const std::string& heir : heirs_of(root, *sound))
    if (setting_of(sound_named(before, heir), *key) != setting_of(sound_named(now, heir), *key)) outcome.also.push_back(heir);
}

/// Problems of the new book that the old did not have; empty if there are none.
std::string new_problem(const ReadBook& before, const ReadBook& now) {
  for (const Problem& problem : now.problems)
    if (std::none_of(before.problems.begin(), before.problems.end(), [&](const Problem& old) { return old.message == problem.message; }))
      return to_text(problem);
  return {};
}

}  // namespace

bool EditedBook::all_made() const {
  return std::all_of(outcomes.begin(), outcomes.end(), [](const EditOutcome& its) { return its.problem.empty(); });
}

EditedBook edit_book(std::string_view text, const std::string& path, std::span<const BookEdit> edits) {
  return edit_book_in(text, path, edits, nullptr);
}

EditedBook edit_book_in(std::string_view text, const std::string& path, std::span<const BookEdit> edits, const ClipFolder* folder) {
  const ReadBook before = parse_book_in(text, path, folder);
  EditedBook edited{std::string(text), std::vector<EditOutcome>(edits.size())};
  for (std::size_t i = 0; i < edits.size(); ++i) make(edited.text, path, edits[i], edited.outcomes[i]);
  ReadBook now = parse_book_in(edited.text, path, folder);
  if (!new_problem(before, now).empty()) {
    // One of them at least makes the book worse: each is tried by itself.
    edited = {std::string(text), std::vector<EditOutcome>(edits.size())};
    for (std::size_t i = 0; i < edits.size(); ++i) {
      std::string tried = edited.text;
      make(tried, path, edits[i], edited.outcomes[i]);
      if (!edited.outcomes[i].problem.empty()) continue;
      now = parse_book_in(tried, path, folder);
      edited.outcomes[i].problem = new_problem(before, now);
      if (edited.outcomes[i].problem.empty()) edited.text = std::move(tried);
    }
    now = parse_book_in(edited.text, path, folder);
  }
  if (edits.empty() || !before.problems.empty()) return edited;
  const toml::table root = parsed_toml(edited.text);
  for (std::size_t i = 0; i < edits.size(); ++i) name_heirs(before.book, now.book, root, edits[i], edited.outcomes[i]);
  return edited;
}

EditedBook edit_book_file(const std::string& path, std::span<const BookEdit> edits) {
  const std::string text = read_text_file(path, "a book");
  EditedBook edited = edit_book(text, path, edits);
  if (edited.text != text) write_whole_file(path, edited.text);
  return edited;
}

BookEdit gain_moved(std::string_view text, const BookSound& sound, Decibels by) {
  const auto moved = [&](Decibels gain) { return gain == silence ? gain : Decibels{std::round((gain.value + by.value) * 10) / 10}; };
  BookEdit edit{{sound.track ? "tracks" : "sounds", sound.name, "gain"}, {}, {}};
  edit.read = value_text(text, edit.path);
  const std::string old = edit.read ? edit.read->substr(1, edit.read->size() - 2) : std::string();
  edit.value = in_basic_quotes(spelled_like(old, Range<Decibels>{moved(sound.gain.low), moved(sound.gain.high)}));
  return edit;
}

}  // namespace tidewater
