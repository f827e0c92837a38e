#pragma once
#include <map>
#include <set>
#include <string>

#include "tidewater/author/book.hpp"

namespace tidewater::tool {

// What a book says of one name, as lines for a terminal.

/// The first line of each: "book.toml:12: group 'music'".
std::string title(const FilePlace& place, std::string_view what, const std::string& name);

/// With `all`, also the keys that have their defaults.
std::string show_sound(const Book& book, const BookSound& sound, bool all);
std::string show_gauge(const Book& book, const BookGauge& gauge);
/// "music -6 dB, low-pass 900 Hz; weather silent"
std::string changes_of(const BookMood& mood);
std::string show_mood(const Book& book, const BookMood& mood);
std::string show_scope(const Book& book, const BookScope& scope);
std::string show_bank_of(const BookBank& bank);
std::string show_target(const BookTarget& target);
std::string show_event(const Book& book, const BookEvent& event);
std::string show_group(const Book& book, const BookGroup& group);
/// Which sounds go by a trait, and the values that they know; empty where none does.
std::string show_trait(const Book& book, const std::string& trait);

/// "start gangway after 0.5 s; stop engine"
std::string what_it_does(const BookEvent& event);

/// The values that the sounds of a book know of each trait, sorted.
std::map<std::string, std::set<std::string>> traits_of(const Book& book);

}  // namespace tidewater::tool
