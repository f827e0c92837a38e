#pragma once
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// [banks.NAME], after the events: which of them each has.
void read_banks(Problems& problems, const Keys& root, Book& book);

}  // namespace tidewater
