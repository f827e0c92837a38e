#pragma once
#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads one [moods.NAME].
void read_mood(Problems& problems, const toml::key& key, const toml::table& table, Book& book);

/// Reports groups of moods, and moods of scopes, that the book does not have.
void check_moods(Problems& problems, const toml::table& root, const Book& book);

}  // namespace tidewater
