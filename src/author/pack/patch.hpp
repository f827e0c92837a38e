#pragma once
#include <string>
#include <vector>

#include "tidewater/author/pack.hpp"

namespace tidewater {

/// Of each bank that players have what has changed since: see `PackOptions::patch_of`.
std::vector<PackedBank> pack_patches(const Book& book, const std::string& folder, const PackOptions& options);

}  // namespace tidewater
