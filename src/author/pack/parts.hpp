#pragma once
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"

namespace tidewater {

/// A book for each of its banks, called as the bank, with the events that it has and the sounds that these need; the book itself
/// where it names no banks. Throws Error where an event stops what another bank starts: each bank plays its own.
/// Those that only lend clips come first: with the sounds that these clips are of, and without events.
std::vector<Book> parts_of(const Book& book);
bool only_lends(const Book& part);
/// Whether a bank has a clip for others.
bool lends(const BookBank& bank, const std::string& clip);

}  // namespace tidewater
