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

/// Every key of a sound with its value; quantities as numbers, too, with what they are in the file where that differs. Null if the book has
/// no such sound.
nlohmann::json sound_json(const Book& turned, const Book& kept, const std::string& name);

/// A path of keys and places in lists. Throws Error if it is none.
BookPath path_of(const nlohmann::json& json);
nlohmann::json json_of(const BookPath& path);

/// What the page wants written, as TOML: {"text": "restart"}, {"number": 3}, {"flag": true}, or {"low": -9, "high": -6, "unit": "dB"},
/// which is spelled as `old` is. Nothing for {"remove": true}. Throws Error if it is none of these.
std::optional<std::string> value_of(const nlohmann::json& json, const std::optional<std::string>& old);

}  // namespace tidewater::desk
