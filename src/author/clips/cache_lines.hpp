#pragma once
#include <functional>
#include <nlohmann/json.hpp>
#include <string>

namespace tidewater {

/// A line of a list in the cache: a hash, and the JSON that it is of. A bit that flipped makes no other fact of it.
std::string cache_line(const nlohmann::json& json);

/// Every whole line of a list; what was cut off or damaged is passed over, and worked out anew. A list that has grown too
/// large is deleted.
void read_cache_lines(const std::string& path, std::uintmax_t largest, const std::function<void(const nlohmann::json&)>& take);

/// Adds lines at the end, and forgets them: two programs that write at once do not harm each other.
void append_to_cache(const std::string& path, std::string& lines);

}  // namespace tidewater
