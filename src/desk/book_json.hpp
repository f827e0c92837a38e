#pragma once
/// A book as JSON for the page. docs/desk.md has the shapes.

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>

#include "tidewater/author/book.hpp"
#include "tidewater/author/edit_book.hpp"

namespace tidewater::desk {

/// Groups, sounds, events, gauges, and the files of the folder of clips that no sound uses.
nlohmann::json book_json(const ReadBook& read);

/// Every key of a sound with its value. Quantities are numbers, too, with `was` if the file has another value. Null if the book has no such
/// sound.
nlohmann::json sound_json(const Book& turned, const Book& kept, const std::string& name);

/// Reads a path of keys and places in lists. Throws Error if the JSON is no such path.
BookPath path_of(const nlohmann::json& json);
nlohmann::json json_of(const BookPath& path);

/// Converts a value from the page to TOML. The page sends {"text": "restart"}, {"number": 3}, {"flag": true}, or {"low": -9, "high": -6,
/// "unit": "dB"}, which takes the spelling of `old`. Returns nothing for {"remove": true}. Throws Error for anything else.
std::optional<std::string> value_of(const nlohmann::json& json, const std::optional<std::string>& old);

}  // namespace tidewater::desk
