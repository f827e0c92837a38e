#pragma once
#include <vector>

#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads [[credits]], of a book or of a credits.toml.
void read_credits(Problems& problems, const Keys& root, std::vector<BookCredit>& into);

}  // namespace tidewater
