#pragma once
/// Base64 of RFC 4648, section 4, with padding.

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

std::string to_base64(std::span<const std::byte> bytes);
/// Returns nothing for a text that `to_base64` would not have returned.
std::optional<std::vector<std::byte>> from_base64(std::string_view text);

}  // namespace tidewater
