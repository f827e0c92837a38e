#pragma once
#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// One [scopes.NAME].
void read_scope(Problems& problems, const toml::key& key, const toml::table& table, Book& book);
/// Reports parents that are no scopes or go round in a circle, and scopes of sounds and groups that there are not. Puts parents before
/// their children.
void check_scopes(Problems& problems, Book& book);

/// The scope of a sound: its own, or that of the nearest group above it that has one, or the root.
const std::string& scope_of(const Book& book, const BookSound& sound);

}  // namespace tidewater
