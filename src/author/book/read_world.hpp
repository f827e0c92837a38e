#pragma once
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Of a sound in the world, what no row of a table can read, and whether all of it goes together.
void read_world(Problems& problems, const Keys& table, BookSound& sound);

}  // namespace tidewater
