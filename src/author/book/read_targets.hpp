#pragma once
#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// [targets.NAME], and the languages of [book].
void read_targets(Problems& problems, const Keys& root, Book& book);
void read_languages(Problems& problems, const Keys& head, Book& book);

}  // namespace tidewater
