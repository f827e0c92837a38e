#pragma once
#include <string_view>
#include <vector>

#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// [gauges.NAME]
void read_gauge(Problems& problems, const toml::key& key, const toml::table& table, Book& book);

/// What a sound or a layer follows, of the book's gauges and those that are there without being told. `whole` is false where names may be
/// missing.
void read_follow(Problems& problems, const Keys& table, const Book& book, bool whole, std::vector<FollowDesign>& follow);

/// As a book writes it: "40 m" of a distance, 0.4 of a gauge of the game's.
std::string gauge_text(std::string_view gauge, double value);
/// The same of a value that is bent.
std::string bent_text(Bends bends, double value);

/// A playback keeps where each gauge of its is, and there is room for so many.
void check_gauges(Problems& problems, const BookSound& sound);
/// What starts again and again comes to an end each time. `cadence` is where its key stands; null where it has none.
void check_cadence(Problems& problems, const toml::node* cadence, const BookSound& sound);

}  // namespace tidewater
