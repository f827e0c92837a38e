#include "base/exact.hpp"

#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <numbers>

namespace tidewater::exact {
namespace {

/// e to the t by its power series, for t between 0 and ln 2: the last of the terms is below 1e-19.
constexpr double series(double t) {
  double sum = 1;
  for (int term = 20; term > 0; --term) sum = 1 + sum * t / term;
  return sum;
}

constexpr int parts = 64;  // of an octave
constexpr std::array<double, parts> part_powers = [] {
  std::array<double, parts> powers{};
  for (int i = 0; i < parts; ++i) powers[static_cast<std::size_t>(i)] = series(std::numbers::ln2 * i / parts);
  return powers;
}();

/// As std::floor, of what an int holds: without a call, which it is where the machine may lack the instruction.
int whole_below(double x) {
  const int whole = static_cast<int>(x);
  return whole - (x < whole ? 1 : 0);
}

}  // namespace

double exp2(double x) {
  constexpr double most = 1000;  // beyond, the exponent of a double may not hold it
  if (!(std::abs(x) < most)) return std::isnan(x) ? x : std::ldexp(exp2(x < 0 ? -500 : 500), x < 0 ? -2000 : 2000);
  const int number = whole_below(x * parts + 0.5);
  // What is left is within half a part: of its power series the seventh term is below 1e-18.
  const double t = (x - static_cast<double>(number) / parts) * std::numbers::ln2;
  // In pairs, which do not wait for one another.
  const double t2 = t * t;
  const double rest = (1 + t) + t2 * ((1.0 / 2 + t * (1.0 / 6)) + t2 * ((1.0 / 24 + t * (1.0 / 120)) + t2 * (1.0 / 720)));
  constexpr int bias = 1023, fraction_bits = 52;
  const auto octave = std::bit_cast<double>(static_cast<std::uint64_t>((number >> 6) + bias) << fraction_bits);
  return part_powers[static_cast<std::size_t>(number & (parts - 1))] * rest * octave;
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
