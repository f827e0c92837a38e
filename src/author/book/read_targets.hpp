#pragma once
#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// One [targets.NAME], after the groups; and the languages of [book].
void read_book_target(Problems& problems, const toml::key& key, const toml::table& table, Book& book);
void read_languages(Problems& problems, const Keys& head, Book& book);

}  // namespace tidewater
