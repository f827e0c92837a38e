#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// The name among `known` that `wrong` was most likely meant to be, or empty where none is near.
/// Case and the separators . - _ count little; otherwise Levenshtein's edit distance, at most a third of the length.
std::string nearest_name(std::string_view wrong, const std::vector<std::string_view>& known);

/// "; did you mean 'X'?", or empty where no name is near.
std::string did_you_mean(std::string_view wrong, const std::vector<std::string_view>& known);

}  // namespace tidewater
