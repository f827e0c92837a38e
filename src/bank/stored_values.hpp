#pragma once
/// How the values of a design look in a record: the same both ways, for every field that bank/fields.hpp describes.

#include <array>
#include <concepts>
#include <cstdint>
#include <optional>
#include <type_traits>

#include "bank/bank_records.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/units.hpp"

namespace tidewater::bank_file {

template <class T>
concept Quantity = requires(T quantity) {
  { quantity.value } -> std::convertible_to<double>;
}
&&!std::same_as<T, ContentHash>;
template <class T>
concept Plain = std::is_arithmetic_v<T> || std::is_enum_v<T>;

template <Plain To, Plain From>
void store(From from, To& to) {
  to = static_cast<To>(from);
}
template <Quantity Q>
void store(Q from, double& to) {
  to = from.value;
}
template <class Q>
void store(const Range<Q>& from, Span& to) {
  to = {from.low.value, from.high.value};
}
/// 0 for none.
template <class Enum>
void store(const std::optional<Enum>& from, std::uint32_t& to) {
  to = from ? static_cast<std::uint32_t>(*from) + 1 : 0;
}
/// A bit for each, the first the lowest.
template <std::size_t count>
void store(const std::array<bool, count>& from, std::uint32_t& to) {
  to = 0;
  for (std::size_t i = 0; i < count; ++i) to |= (from[i] ? 1U : 0U) << i;
}
inline void store(ContentHash from, std::uint64_t& to) { to = from.value; }

template <Plain To, Plain From>
void load(From from, To& to) {
  if constexpr (std::is_same_v<To, bool>)
    to = from != 0;
  else
    to = static_cast<To>(from);
}
template <Quantity Q>
void load(double from, Q& to) {
  to.value = static_cast<decltype(to.value)>(from);
}
template <class Q>
void load(const Span& from, Range<Q>& to) {
  load(from.low, to.low);
  load(from.high, to.high);
}
template <class Enum>
void load(std::uint32_t from, std::optional<Enum>& to) {
  to = from == 0 ? std::nullopt : std::optional(static_cast<Enum>(from - 1));
}
template <std::size_t count>
void load(std::uint32_t from, std::array<bool, count>& to) {
  for (std::size_t i = 0; i < count; ++i) to[i] = (from >> i & 1U) != 0;
}
inline void load(std::uint64_t from, ContentHash& to) { to = {from}; }

}  // namespace tidewater::bank_file
