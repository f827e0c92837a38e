#pragma once
#include <string>
#include <vector>

#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads one [traits.NAME].
void read_trait(Problems& problems, const toml::key& key, const toml::table& table, Book& book);

/// Reports undeclared values of declared traits in the sounds and events of the book.
void check_traits(Problems& problems, const Book& book);

}  // namespace tidewater
