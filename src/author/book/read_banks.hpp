#pragma once
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Whether a bank of this name can be written: it becomes the name of a file.
bool can_name_a_file(std::string_view name);

/// One [banks.NAME], after the events: which of them it has.
void read_book_bank(Problems& problems, const toml::key& key, const toml::table& table, Book& book);
/// After all banks: whether those that others need are there, and lend clips.
void check_needs(Problems& problems, const Book& book);

}  // namespace tidewater
