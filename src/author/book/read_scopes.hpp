#pragma once
#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads one [scopes.NAME].
void read_scope(Problems& problems, const toml::key& key, const toml::table& table, Book& book);

/// Returns the name of a sound's scope: its own, else that of the nearest group above it that names one, else the root.
const std::string& scope_of(const Book& book, const BookSound& sound);

}  // namespace tidewater
