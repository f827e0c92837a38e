#pragma once
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// The book that gives a bank: its sounds, events and groups as they hold, with nothing that goes without saying. `files` has the name of
/// each clip's file; without it they are called as in the bank. Of its places the file is `called`, and the line 0.
Book book_of(const BankData& bank, const std::string& called, const std::vector<std::string>& files = {});

/// The keys of a sound that are not at their defaults, in the order of docs/book.md. Those of its only layer are the sound's.
std::vector<BookSetting> settings_of(const BookSound& sound);
/// Whether the layers of a sound are written one by one.
bool is_layered(const BookSound& sound);
/// The keys of a layer that are not at their defaults, in the same order.
std::vector<BookSetting> settings_of(const BookLayer& layer);

/// As TOML: what `read_book` reads.
std::string text_of(const Book& book);

}  // namespace tidewater
