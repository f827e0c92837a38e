#include "author/book/read_scopes.hpp"

#include <fmt/format.h>

#include <string_view>
#include <utility>

#include "author/book/group_settings.hpp"
#include "author/book/keys.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_scopes_in_book = 32;
constexpr std::string_view root = "root";

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

const std::string& scope_of(const Book& book, const BookSound& sound) {
  if (!sound.scope.empty()) return sound.scope;
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& its) { return !its.scope.empty(); });
  return group == nullptr ? book.scopes.front().name : group->scope;
}

}  // namespace tidewater
