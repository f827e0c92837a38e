#pragma once
#include <string_view>

#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads the `duck` of a group.
void read_ducks(Problems& problems, const toml::table& table, BookGroup& group);

/// Reports ducks that cannot be mixed, once all groups are read and in order, a parent before its children.
void check_ducks(Problems& problems, const Book& book);

}  // namespace tidewater
