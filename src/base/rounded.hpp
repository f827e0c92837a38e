#pragma once
#include <cstdint>

namespace tidewater {

/// To the nearest whole number, halves away from zero, as the C library's llround: without a call, for what is asked often. Between
/// -2^62 and 2^62.
inline std::int64_t rounded(double x) {
  const auto whole = static_cast<std::int64_t>(x);
  const double rest = x - static_cast<double>(whole);
  return whole + (rest >= 0.5 ? 1 : 0) - (rest <= -0.5 ? 1 : 0);
}

}  // namespace tidewater
