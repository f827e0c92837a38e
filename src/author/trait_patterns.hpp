#pragma once
#include <regex>
#include <string>
#include <vector>

namespace tidewater {

/// Finds the values of traits in the names of files that fit "steps/{surface}-{weight}-*.flac"; appends the traits' names.
std::regex trait_expression(const std::string& pattern, std::vector<std::string>& traits);

/// "steel, *" in two.
std::vector<std::string> split_values(const std::string& key);

}  // namespace tidewater
