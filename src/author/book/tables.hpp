#pragma once
/// Reads one value of a TOML table each, and reports what is wrong with it, with its place.

#include <fmt/format.h>

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "author/book/problems.hpp"
#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

/// Any text as a book writes it, with escapes.
std::string in_basic_quotes(std::string_view text);

/// What a table says, or several of which one takes over from another: a key and where its value stands.
class Keys {
 public:
  Keys() = default;
  Keys(const toml::table& table) {  // NOLINT: a table is its keys
    for (const auto& [key, node] : table) set(key, node);
  }

  struct Entry {
    const toml::key* key;
    const toml::node* node;
  };

  const toml::node* get(std::string_view key) const {
    const auto found = entries_.find(key);
    return found == entries_.end() ? nullptr : found->second.node;
  }
  bool contains(std::string_view key) const { return entries_.contains(key); }
  const Entry* entry(std::string_view key) const {
    const auto found = entries_.find(key);
    return found == entries_.end() ? nullptr : &found->second;
  }
  void set(const toml::key& key, const toml::node& node) { entries_.insert_or_assign(std::string(key.str()), Entry{&key, &node}); }
  void erase(std::string_view key) {
    if (const auto found = entries_.find(key); found != entries_.end()) entries_.erase(found);
  }
  const std::map<std::string, Entry, std::less<>>& entries() const { return entries_; }

 private:
  std::map<std::string, Entry, std::less<>> entries_;
};

/// A value as a book writes it, in one line.
std::string in_book(const toml::node& node);

/// The keys that a section of a book may have.
std::vector<std::string_view> keys_of(std::string_view section);
/// Reports keys that are not among those known; `what` names the table in the message.
void check_keys(Problems& problems, const Keys& table, std::string_view what, const std::vector<std::string_view>& known);

/// Whether the table has a key by which people may mean this one: what is wrong is told there.
bool meant_by_another(const Keys& table, std::string_view key);

/// The same for a table of a name's own, [section.name]. Where a dot in the name made a table inside of it, the names that were
/// meant are returned.
std::vector<std::string> check_named(Problems& problems, std::string_view section, std::string_view name, const toml::table& table,
                                     std::string_view what, const std::vector<std::string_view>& known);

/// Null where the key is missing, or is no text.
const std::string* text(Problems& problems, const Keys& table, std::string_view key);
/// Returns whether it is in `into`.
bool read_bool(Problems& problems, const Keys& table, std::string_view key, bool& into);
struct Whole {
  std::int64_t value = 0;
};
/// A whole number within bounds. Returns whether it is in `into`; `which` is said of the bounds where it is not.
bool read_whole(Problems& problems, const Keys& table, std::string_view key, Range<Whole> bounds, std::string_view which,
                std::int64_t& into);
/// One of a few words.
void read_word(Problems& problems, const Keys& table, std::string_view key, const std::vector<std::string_view>& words, std::string& into);
/// The text of a quantity, also where it was written as a bare number: its reader will ask for the unit.
const toml::node* quantity_text(Problems& problems, const Keys& table, std::string_view key, std::string& written);

/// A quantity is text with a unit; a bare number is refused with the units it may have meant. Returns whether it is in `into`.
template <class T>
bool read_quantity(Problems& problems, const Keys& table, std::string_view key, Read<T> (*reader)(std::string_view), T& into) {
  std::string written;
  const toml::node* node = quantity_text(problems, table, key, written);
  if (node == nullptr) return false;
  auto result = reader(written);
  if (result.value)
    into = *result.value;
  else
    problems.add(problems.at(*node), fmt::format("{}: {}", key, result.problem));
  return result.value.has_value();
}

}  // namespace tidewater
