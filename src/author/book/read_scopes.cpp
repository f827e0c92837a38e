#include "author/book/read_scopes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>
#include <utility>
#include <vector>

#include "author/book/group_settings.hpp"
#include "author/book/keys.hpp"
#include "base/nearest.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_scopes_in_book = 32;
constexpr std::string_view root = "root";

const BookScope* scope_called(const std::vector<BookScope>& scopes, std::string_view name) {
  const auto found = std::find_if(scopes.begin(), scopes.end(), [&](const BookScope& its) { return its.name == name; });
  return found == scopes.end() ? nullptr : &*found;
}

}  // namespace

void read_scope(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_named(problems, "scopes", key.str(), table, fmt::format("scope '{}'", key.str()), keys_of("scopes"));
  BookScope scope;
  scope.name = key.str();
  scope.place = problems.at(key);
  const bool is_root = scope.name == root;
  if (!is_root) scope.parent = root;
  if (const auto* parent = text(problems, table, "parent")) {
    if (is_root)
      problems.add(problems.at(*table.get("parent")), "the root has no parent: every other scope is below it");
    else
      scope.parent = *parent;
  }
  scope_rows().read(problems, table, scope);
  if (is_root)
    book.scopes.front() = std::move(scope);
  else if (book.scopes.size() > most_scopes_in_book)
    problems.add(scope.place, fmt::format("there are more than {} scopes", most_scopes_in_book));
  else
    book.scopes.push_back(std::move(scope));
}

void check_scopes(Problems& problems, Book& book) {
  std::vector<std::string_view> known;
  for (const BookScope& scope : book.scopes) known.push_back(scope.name);
  const auto missing = [&](const FilePlace& place, std::string_view whose, const std::string& name) {
    if (name.empty() || scope_called(book.scopes, name) != nullptr) return;
    const std::string near = problems.may_look() ? did_you_mean(name, known) : "";
    problems.add(place,
                 fmt::format("{} '{}', which is not a scope{}", whose, name, near.empty() ? fmt::format("; add [scopes.{}]", name) : near));
  };
  for (const BookScope& scope : book.scopes) missing(scope.place, fmt::format("the parent of scope '{}' is", scope.name), scope.parent);
  for (const BookGroup& group : book.groups) missing(group.place, fmt::format("the scope of group '{}' is", group.name), group.scope);
  for (const BookSound& sound : book.sounds) missing(sound.place, fmt::format("the scope of sound '{}' is", sound.name), sound.scope);

  std::vector<BookScope> sorted = {book.scopes.front()};
  std::vector<BookScope> left(book.scopes.begin() + 1, book.scopes.end());
  for (bool moved = true; moved;) {
    moved = false;
    for (auto its = left.begin(); its != left.end();) {
      if (scope_called(sorted, its->parent) == nullptr) {
        ++its;
        continue;
      }
      sorted.push_back(std::move(*its));
      its = left.erase(its);
      moved = true;
    }
  }
  for (const BookScope& scope : left)
    if (scope_called(book.scopes, scope.parent) != nullptr)
      problems.add(scope.place,
                   fmt::format("scope '{}' is below itself: its parents go round in a circle; give it parent = \"root\"", scope.name));
  book.scopes = std::move(sorted);
}

const std::string& scope_of(const Book& book, const BookSound& sound) {
  if (!sound.scope.empty()) return sound.scope;
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& its) { return !its.scope.empty(); });
  return group == nullptr ? book.scopes.front().name : group->scope;
}

}  // namespace tidewater
