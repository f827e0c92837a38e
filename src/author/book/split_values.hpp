#pragma once
#include <string>
#include <vector>

namespace tidewater {

/// "steel, *" in two.
std::vector<std::string> split_values(const std::string& key);

}  // namespace tidewater
