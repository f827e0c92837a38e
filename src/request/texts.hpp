#pragma once
/// The texts that requests carry: how many bytes they are, and keeping them elsewhere.

#include <deque>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "request/described.hpp"

namespace tidewater {

/// Keeps what it is given, where it stays.
class Texts {
 public:
  std::string_view keep(std::string_view text) { return texts_.emplace_back(text); }
  std::span<const Trait> keep(std::span<const Trait> traits) {
    if (traits.empty()) return {};
    std::vector<Trait>& kept = traits_.emplace_back();
    for (const Trait& trait : traits)
      kept.push_back({Name(keep(trait.name.text()), trait.name.hash()), Name(keep(trait.value.text()), trait.value.hash())});
    return kept;
  }
  std::span<const GaugeValue> keep(std::span<const GaugeValue> gauges) {
    if (gauges.empty()) return {};
    std::vector<GaugeValue>& kept = gauges_.emplace_back();
    for (const GaugeValue& its : gauges) kept.push_back({Name(keep(its.gauge.text()), its.gauge.hash()), its.value});
    return kept;
  }

 private:
  std::deque<std::string> texts_;
  std::deque<std::vector<Trait>> traits_;
  std::deque<std::vector<GaugeValue>> gauges_;
};

namespace texts {

template <class Keeper, class Value>
void keep(Keeper& keeper, Value& value) {
  if constexpr (std::is_same_v<Value, Name>)
    value = Name(keeper.keep(value.text()), value.hash());
  else if constexpr (std::is_same_v<Value, std::string_view> || std::is_same_v<Value, std::span<const Trait>> ||
                     std::is_same_v<Value, std::span<const GaugeValue>>)
    value = keeper.keep(value);
  else if constexpr (std::is_same_v<Value, Target>)
    std::visit([&](auto& its) { keep(keeper, its); }, value);
}

template <class Value>
std::size_t bytes(const Value& value) {
  std::size_t sum = 0;
  if constexpr (std::is_same_v<Value, Name>)
    sum = value.text().size();
  else if constexpr (std::is_same_v<Value, std::string_view>)
    sum = value.size();
  else if constexpr (std::is_same_v<Value, Target>)
    sum = std::visit([](const auto& its) { return bytes(its); }, value);
  else if constexpr (std::is_same_v<Value, std::span<const Trait>>)
    for (const Trait& trait : value) sum += trait.name.text().size() + trait.value.text().size();
  else if constexpr (std::is_same_v<Value, std::span<const GaugeValue>>)
    for (const GaugeValue& its : value) sum += its.gauge.text().size();
  return sum;
}

}  // namespace texts

/// Copies all texts of a request, of any kind or of one, into `keeper`.
template <class Keeper, class R>
void keep_texts(Keeper& keeper, R& request) {
  each_field(request, [&](const auto&, auto& value) { texts::keep(keeper, value); });
}

template <class R>
std::size_t bytes_of_texts(const R& request) {
  std::size_t sum = 0;
  each_field(request, [&](const auto&, const auto& value) { sum += texts::bytes(value); });
  return sum;
}

}  // namespace tidewater
