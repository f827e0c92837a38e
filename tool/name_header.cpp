/// Names of a book for a game's code: a C++ header, or JSON for other languages.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <string_view>

#include "base/text_file.hpp"
#include "base/whole_file.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/name.hpp"

namespace tidewater::tool {
namespace {

/// Words that C++20 reserves, and `all`, which lists the values of a trait.
constexpr std::array<std::string_view, 94> reserved = {
    "all",        "alignas",   "alignof",      "and",       "and_eq",       "asm",      "auto",          "bitand",
    "bitor",      "bool",      "break",        "case",      "catch",        "char",     "char16_t",      "char32_t",
    "char8_t",    "class",     "co_await",     "co_return", "co_yield",     "compl",    "concept",       "const",
    "const_cast", "consteval", "constexpr",    "constinit", "continue",     "decltype", "default",       "delete",
    "do",         "double",    "dynamic_cast", "else",      "enum",         "explicit", "export",        "extern",
    "false",      "float",     "for",          "friend",    "goto",         "if",       "inline",        "int",
    "long",       "mutable",   "namespace",    "new",       "noexcept",     "not",      "not_eq",        "nullptr",
    "operator",   "or",        "or_eq",        "private",   "protected",    "public",   "register",      "reinterpret_cast",
    "requires",   "return",    "short",        "signed",    "sizeof",       "static",   "static_assert", "static_cast",
    "struct",     "switch",    "template",     "this",      "thread_local", "throw",    "true",          "try",
    "typedef",    "typeid",    "typename",     "union",     "unsigned",     "using",    "virtual",       "void",
    "volatile",   "wchar_t",   "while",        "xor",       "xor_eq",       "std"};
/// Namespaces of the header. A trait with one of these names gets a trailing `_`.
constexpr std::array<std::string_view, 9> sections = {"event", "action", "sound", "group", "gauge", "scope", "track", "stand", "mood"};

/// Returns the first code point of a UTF-8 text and its size in bytes.
std::pair<std::uint32_t, std::size_t> code_point(std::string_view text) {
  const auto byte = [&](std::size_t at) { return at < text.size() ? static_cast<unsigned char>(text[at]) : 0U; };
  const unsigned first = byte(0);
  const std::size_t size = first < 0x80 ? 1 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : 4;
  constexpr std::array<unsigned, 5> masks = {0, 0x7f, 0x1f, 0x0f, 0x07};
  std::uint32_t code = first & masks[size];
  for (std::size_t at = 1; at < size; ++at) code = code << 6U | (byte(at) & 0x3fU);
  return {code, std::min(size, text.size())};
}

/// Returns a name as a C++ identifier.
std::string identifier_of(std::string_view name) {
  std::string made;
  for (std::size_t at = 0; at < name.size();) {
    const auto [code, size] = code_point(name.substr(at));
    at += size;
    const auto letter = static_cast<char>(code);
    const bool plain =
        code < 0x80 && ((letter >= 'a' && letter <= 'z') || (letter >= 'A' && letter <= 'Z') || (letter >= '0' && letter <= '9'));
    if (code >= 0x80)
      made += fmt::format("u{:04x}", code);
    else if (plain)
      made += letter;
    else if (!made.ends_with('_'))  // two in a row are reserved
      made += '_';
  }
  if (made.starts_with('_') && made.size() > 1) made.erase(0, 1);
  if (made.empty() || made == "_" || (made[0] >= '0' && made[0] <= '9')) made = "n" + made;
  if (std::find(reserved.begin(), reserved.end(), made) != reserved.end()) made += '_';
  return made;
}

/// One name of a book, and its identifier.
struct Known {
  std::string name, identifier;
};

/// Names of one kind. Throws Error if two come out alike.
class NameList {
 public:
  NameList(std::string_view kind, std::string file) : kind_(kind), file_(std::move(file)) {}

  void add(const std::string& name) {
    if (is_stripped(name))
      throw Error(fmt::format("{}: the bank was packed without names: put the .names file that was written with it beside it", file_));
    const std::string identifier = identifier_of(name);
    const auto [known, fresh] = names_.try_emplace(identifier, name);
    if (fresh)
      list_.push_back({name, identifier});
    else if (known->second != name)
      throw Error(fmt::format("{}: the {}s '{}' and '{}' would both be '{}' in code; rename one of them", file_, kind_, known->second, name,
                              identifier));
  }
  template <class Items>
  NameList& add_all(const Items& items) {
    for (const auto& item : items) add(item.name);
    return *this;
  }
  const std::vector<Known>& all() const { return list_; }

 private:
  std::string_view kind_;
  std::string file_;
  std::map<std::string, std::string> names_;
  std::vector<Known> list_;
};

struct TraitNames {
  Known trait;
  std::vector<Known> values;
};

/// All names of a book.
struct BookNames {
  std::string space;
  NameList events, actions, sounds, groups, gauges, scopes, tracks, stands, moods;
  std::vector<TraitNames> traits;

  BookNames(const Book& book, std::string its_space)
      : space(std::move(its_space)),
        events("event", book.file),
        actions("action", book.file),
        sounds("sound", book.file),
        groups("group", book.file),
        gauges("gauge", book.file),
        scopes("scope", book.file),
        tracks("track", book.file),
        stands("stand", book.file),
        moods("mood", book.file) {
    events.add_all(book.events);
    for (const BookSound& sound : book.sounds) {
      if (!sound.track) sounds.add(sound.name);
      if (!sound.track || !sound.ending_of.empty()) continue;
      tracks.add(sound.name);
      stands.add(std::string(sound.track->stand_name()));
    }
    groups.add_all(book.groups);
    gauges.add_all(book.gauges);
    scopes.add_all(book.scopes);
    moods.add_all(book.moods);
    for (const BookEvent& event : book.events)
      for (const std::string_view stage : {".begun", ".completed", ".interrupted", ".called-off"})
        if (event.name.size() > stage.size() && event.name.ends_with(stage))
          actions.add(event.name.substr(0, event.name.size() - stage.size()));
    NameList names("trait", book.file);
    for (const BookTraitValues& trait : book.traits) {
      names.add(trait.name);
      Known its = names.all().back();
      if (std::find(sections.begin(), sections.end(), its.identifier) != sections.end()) its.identifier += '_';
      NameList values("value", book.file);
      for (const std::string& value : trait.values) values.add(value);
      traits.push_back({its, values.all()});
    }
  }
  std::size_t count() const {
    std::size_t values = 0;
    for (const TraitNames& trait : traits) values += trait.values.size();
    return events.all().size() + actions.all().size() + sounds.all().size() + groups.all().size() + gauges.all().size() +
           scopes.all().size() + tracks.all().size() + stands.all().size() + moods.all().size() + values;
  }
};

std::string in_code(std::string_view text) {
  std::string quoted = "\"";
  for (const char letter : text) quoted += letter == '"' || letter == '\\' ? std::string("\\") + letter : std::string(1, letter);
  return quoted + "\"";
}

/// {"ferry.docked", 0x0123456789abcdefU}
std::string value_of(std::string_view name) { return fmt::format("{{{}, 0x{:016x}U}}", in_code(name), hash_name(name)); }

std::string section_of(std::string_view section, std::string_view type, const NameList& names) {
  if (names.all().empty()) return {};
  std::string text = fmt::format("\nnamespace {} {{\n", section);
  for (const Known& its : names.all()) text += fmt::format("inline constexpr {} {}{};\n", type, its.identifier, value_of(its.name));
  return text + fmt::format("}}  // namespace {}\n", section);
}

std::string header_of(const BookNames& names, const std::string& book) {
  std::string text = fmt::format(
      "#pragma once\n// The names of the book '{}', for the compiler to check. `tidewater names` writes this file anew: do not edit it.\n\n"
      "#include <array>\n\n#include \"tidewater/name.hpp\"\n#include \"tidewater/trait.hpp\"\n\nnamespace {} {{\n",
      book, names.space);
  text += section_of("event", "tidewater::EventName", names.events);
  text += section_of("action", "tidewater::EventName", names.actions);
  text += section_of("sound", "tidewater::SoundName", names.sounds);
  text += section_of("group", "tidewater::GroupName", names.groups);
  text += section_of("gauge", "tidewater::GaugeName", names.gauges);
  text += section_of("scope", "tidewater::ScopeName", names.scopes);
  text += section_of("track", "tidewater::TrackName", names.tracks);
  text += section_of("stand", "tidewater::StandName", names.stands);
  text += section_of("mood", "tidewater::MoodName", names.moods);
  for (const TraitNames& trait : names.traits) {
    text += fmt::format("\nnamespace {} {{\n", trait.trait.identifier);
    std::string all;
    for (const Known& value : trait.values) {
      text += fmt::format("inline constexpr tidewater::Trait {}{{{}, {}}};\n", value.identifier, value_of(trait.trait.name),
                          value_of(value.name));
      all += fmt::format("{}{}", all.empty() ? "" : ", ", value.identifier);
    }
    text += fmt::format("inline constexpr std::array<tidewater::Trait, {}> all = {{{}}};\n}}  // namespace {}\n", trait.values.size(), all,
                        trait.trait.identifier);
  }
  return text + fmt::format("\n}}  // namespace {}\n", names.space);
}

nlohmann::ordered_json json_of(const Known& its) {
  return {{"name", its.name}, {"identifier", its.identifier}, {"hash", fmt::format("{:016x}", hash_name(its.name))}};
}

std::string json_of(const BookNames& names, const std::string& book) {
  nlohmann::ordered_json json = {{"book", book}};
  const auto add = [&](const char* key, const NameList& list) {
    json[key] = nlohmann::ordered_json::array();
    for (const Known& its : list.all()) json[key].push_back(json_of(its));
  };
  add("events", names.events);
  add("actions", names.actions);
  add("sounds", names.sounds);
  add("groups", names.groups);
  add("gauges", names.gauges);
  add("scopes", names.scopes);
  add("tracks", names.tracks);
  add("stands", names.stands);
  add("moods", names.moods);
  json["traits"] = nlohmann::ordered_json::array();
  for (const TraitNames& trait : names.traits) {
    auto its = json_of(trait.trait);
    for (const Known& value : trait.values) its["values"].push_back(json_of(value));
    json["traits"].push_back(std::move(its));
  }
  return json.dump(2) + "\n";
}

/// Reads a book or a bank. A book with mistakes is accepted, so that code compiles while somebody works on the book.
Book book_at(const std::string& path) {
  if (path.ends_with(".tidebank")) return book_of(open_bank_with_names(path), path);
  ReadBook read = read_book(path);
  if (read.problems.empty()) return std::move(read.book);
  if (read.book.events.empty()) throw Error(to_text(read.problems.front()));
  complain("{}: it has {} {}, {} first; `tidewater check {}` lists them\n", path, read.problems.size(),
           read.problems.size() == 1 ? "mistake" : "mistakes", to_text(read.problems.front()), path);
  return std::move(read.book);
}

}  // namespace

int names(const NamesCall& call) {
  const Book book = book_at(call.book);
  const BookNames its(book, identifier_of(call.space.empty() ? book.name : call.space));
  const std::string text = call.json ? json_of(its, book.name) : header_of(its, book.name);
  if (call.output.empty()) {
    say("{}", text);
    return fine;
  }
  std::error_code error;
  if (std::filesystem::exists(call.output, error) && read_text_file(call.output, "a file of names") == text) {
    say("{}: {} names, as they were\n", call.output, its.count());
    return fine;
  }
  write_whole_file(call.output, text);
  say("{}: {} names; {}::event::NAME is an event\n", call.output, its.count(), its.space);
  return fine;
}

}  // namespace tidewater::tool
