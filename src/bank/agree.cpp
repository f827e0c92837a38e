#include "play/agree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>
#include <unordered_map>

namespace tidewater {
namespace {

bool same(const BankData& one, const BankSound& a, const BankData& other, const BankSound& b) {
  const bool known = a.content != ContentHash{} && b.content != ContentHash{};
  return !known || (a.content == b.content && one.rate == other.rate);
}

bool same(const BankData& one, const BankGroup& a, const BankData& other, const BankGroup& b) {
  return static_cast<const GroupDesign&>(a) == b && one.groups[a.parent].name == other.groups[b.parent].name;
}

bool same(const BankData& one, const BankEvent& a, const BankData& other, const BankEvent& b) {
  return std::equal(a.responses.begin(), a.responses.end(), b.responses.begin(), b.responses.end(), [&](const auto& x, const auto& y) {
    return static_cast<const ResponseDesign&>(x) == y && one.sounds[x.target].name == other.sounds[y.target].name;
  });
}

bool same(const BankData&, const BankGauge& a, const BankData&, const BankGauge& b) {
  return static_cast<const GaugeDesign&>(a) == static_cast<const GaugeDesign&>(b);
}

/// Both values of two items that differ, if they can be told in a few words; otherwise empty.
template <class Item>
std::string both_values(const Item&, const Item&) {
  return {};
}
std::string both_values(const BankGauge& comes, const BankGauge& there) {
  const auto words = [](const GaugeDesign& its) {
    return fmt::format("from {:g} to {:g}, default {:g}, smoothing {}", its.from, its.to, its.initial, to_text(its.smoothing));
  };
  return fmt::format(" ({}, and {})", words(comes), words(there));
}

/// By name; of two with one name the first.
template <class Item>
std::unordered_map<std::string_view, const Item*> by_name(const std::vector<Item>& items) {
  std::unordered_map<std::string_view, const Item*> named;
  for (const Item& item : items) named.emplace(item.name, &item);
  return named;
}

template <class Item>
std::string difference_in(const char* what, const BankData& loaded, const std::vector<Item>& there, const BankData& comes,
                          const std::vector<Item>& new_ones) {
  const auto named = by_name(there);
  for (const Item& item : new_ones) {
    const auto known = named.find(item.name);
    if (known == named.end() || same(loaded, *known->second, comes, item)) continue;
    return fmt::format(
        "the {} '{}' of bank '{}' is not that of bank '{}', which is loaded{}: give one of them another name, pack both "
        "banks of one book, or unload the other first",
        what, item.name, comes.name, loaded.name, both_values(item, *known->second));
  }
  return {};
}

}  // namespace

std::string disagreement(const BankData& loaded, const BankData& comes) {
  std::string problem = difference_in("group", loaded, loaded.groups, comes, comes.groups);
  if (problem.empty()) problem = difference_in("sound", loaded, loaded.sounds, comes, comes.sounds);
  if (problem.empty()) problem = difference_in("gauge", loaded, loaded.gauges, comes, comes.gauges);
  if (problem.empty()) problem = difference_in("event", loaded, loaded.events, comes, comes.events);
  return problem;
}

Differences::Differences(const BankData& before, const BankData& now)
    : before_(before), now_(now), sounds_(by_name(before.sounds)), events_(by_name(before.events)) {}

bool Differences::sound(const BankSound& sound) const {
  const auto known = sounds_.find(sound.name);
  return known == sounds_.end() || !same(before_, *known->second, now_, sound);
}

bool Differences::event(const BankEvent& event) const {
  const auto known = events_.find(event.name);
  return known == events_.end() || !same(before_, *known->second, now_, event);
}

}  // namespace tidewater
