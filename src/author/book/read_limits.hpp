#pragma once
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Checks the limit of a sound or a group.
void check_limit(Problems& problems, const Keys& table);
/// Checks how the limits of groups lie in one another. Groups are in order: a parent comes before its children.
void check_group_limits(Problems& problems, const Book& book);

}  // namespace tidewater
