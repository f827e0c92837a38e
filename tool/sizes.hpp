#pragma once
#include <fmt/format.h>

#include <cstdint>
#include <string>

namespace tidewater::tool {

inline std::string size_text(std::uint64_t bytes) {
  constexpr std::uint64_t kibi = 1 << 10, mebi = 1 << 20;
  return bytes < mebi ? fmt::format("{:.1f} KiB", static_cast<double>(bytes) / kibi)
                      : fmt::format("{:.2f} MiB", static_cast<double>(bytes) / mebi);
}

}  // namespace tidewater::tool
