#pragma once
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// The book that gives a bank: its sounds, events and groups as they hold, with nothing that goes without saying. `files` has the name of
/// each clip's file; without it they are called as in the bank. Of its places the file is `called`, and the line 0.
Book book_of(const BankData& bank, const std::string& called, const std::vector<std::string>& files = {});

/// Every key of a sound that is not at its default, but for those that layers have where it has several.
std::vector<BookSetting> settings_of(const BookSound& sound);
/// Whether its layers are to be written one by one.
bool is_layered(const BookSound& sound);
/// Keys of a layer that are not at their defaults, its clips last; of the only one of a sound, `alone`, those that the sound has.
std::vector<BookSetting> settings_of(const BookLayer& layer, bool alone);

/// As TOML: what `read_book` reads.
std::string text_of(const Book& book);

}  // namespace tidewater
