#include "base/rates.hpp"

#include <fmt/format.h>

#include "base/fail.hpp"

namespace tidewater {

void check_rate(Hertz rate, std::string_view what) {
  // Written so that a rate that is not a number does not pass either.
  if (rate >= allowed_rates.low && rate <= allowed_rates.high) return;
  fail(fmt::format("the rate of {} is {} Hz; it must be from {} Hz to {} Hz", what, rate.value, allowed_rates.low.value,
                   allowed_rates.high.value));
}

}  // namespace tidewater
