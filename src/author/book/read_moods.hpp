#pragma once
#include <functional>
#include <string>

#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

using MentionGroup = std::function<void(std::string name, FilePlace place)>;

/// Reads one [moods.NAME]. Calls `mention` for each group that it names; whether there is such a group is known when all are read.
void read_mood(Problems& problems, const toml::key& key, const toml::table& table, Book& book, const MentionGroup& mention);

}  // namespace tidewater
