#pragma once
#include <array>
#include <string_view>

namespace tidewater {

/// Which clips of a bank are in memory when it is loaded. The others are read when they are first needed, or on `prefetch`.
enum class Preload {
  all,
  by_book,  ///< those of sounds whose book does not say `preload = false`
  none,
};
inline constexpr std::array<std::string_view, 3> preload_words = {"all", "by-book", "none"};

}  // namespace tidewater
