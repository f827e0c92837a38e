#pragma once
#include <string_view>

#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

/// The rates at which a manager and a bank may run.
inline constexpr Range<Hertz> allowed_rates{{8000}, {192'000}};

/// Throws Error if a rate is not a number or outside `allowed_rates`. `what` says whose rate it is.
void check_rate(Hertz rate, std::string_view what);

}  // namespace tidewater
