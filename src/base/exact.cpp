#include "base/exact.hpp"

#include <cmath>
#include <numbers>

namespace tidewater::exact {

double exp2(double x) {
  constexpr double most = 1100;  // beyond, ldexp gives infinity or zero
  if (!(x > -most)) return x < 0 ? 0.0 : x;
  if (x > most) return HUGE_VAL;
  const double whole = std::floor(x + 0.5);
  // The power series of e to the t, for t within half of ln 2: the fifteenth term is below 1e-17.
  const double t = (x - whole) * std::numbers::ln2;
  double sum = 1;
  for (int term = 15; term > 0; --term) sum = 1 + sum * t / term;
  return std::ldexp(sum, static_cast<int>(whole));
}

double log2(double x) {
  int exponent = 0;
  double part = std::frexp(x, &exponent);  // in [1/2, 1)
  if (part < std::numbers::sqrt2 / 2) {
    part *= 2;
    --exponent;
  }
  // ln(part) is twice the area tangent of z, whose series goes by the square of z, here at most 0.03.
  const double z = (part - 1) / (part + 1);
  double sum = 0;
  for (int power = 23; power > 0; power -= 2) sum = sum * (z * z) + 1.0 / power;
  return exponent + 2 * z * sum / std::numbers::ln2;
}

}  // namespace tidewater::exact
