#include "bank/agree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <concepts>
#include <functional>
#include <optional>
#include <string_view>
#include <type_traits>
#include <unordered_map>

#include "bank/fields.hpp"
#include "bank/stored_values.hpp"
#include "base/text.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

std::string text_of(bool value, const file::Flag&) { return value ? "true" : "false"; }
std::string text_of(double value, const file::Number&) { return shortest_digits(value); }
std::string text_of(float value, const file::Number& how) { return text_of(static_cast<double>(value), how); }
std::string text_of(std::integral auto value, const file::Whole&) { return std::to_string(value); }
std::string text_of(const std::string& value, const auto&) { return value; }
template <file::Quantity Q>
std::string text_of(Q value, const auto&) {
  return to_text(value);
}
template <class Q>
std::string text_of(const Range<Q>& range, const auto&) {
  return range.low == range.high ? to_text(range.low) : fmt::format("{} .. {}", to_text(range.low), to_text(range.high));
}
template <class Enum>
requires std::is_enum_v<Enum> std::string text_of(Enum value, const file::Word& how) {
  const auto number = static_cast<std::size_t>(value);
  return std::string(number < how.words.size() ? how.words[number] : how.further);
}
template <class Enum>
std::string text_of(const std::optional<Enum>& value, const file::Word& how) {
  return value ? text_of(*value, how) : "none";
}
template <std::size_t count>
std::string text_of(const std::array<bool, count>& value, const file::Bits& how) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i)
    if (value[i]) text += fmt::format("{}{}", text.empty() ? "" : " and ", how.words[i]);
  return text.empty() ? "none" : text;
}

/// Finds the first field in which two designs differ.
class Comparison {
 public:
  Comparison(const BankData& one, const BankData& other) : one_(one), other_(other) {}

  /// Both values: "gain -3 dB, and 0 dB". Nothing if the designs are equal. Clips are compared by name alone.
  template <class Design>
  std::optional<std::string> difference(const Design& a, const Design& b) const {
    std::optional<std::string> found;
    file::each_field(a, [&](std::string_view key, auto member, auto, const auto& how) {
      found = in_field(key, std::invoke(member, a), std::invoke(member, b), how);
      return !found;
    });
    return found;
  }

 private:
  template <class Value, class How>
  std::optional<std::string> in_field(std::string_view key, const Value& a, const Value& b, const How& how) const {
    if constexpr (std::is_same_v<How, file::List>) {
      for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i)
        if (const auto found = difference(a[i], b[i])) return fmt::format("in {}: {}", key, *found);
      if (a.size() == b.size()) return std::nullopt;
      return fmt::format("{} {}, and {}", a.size(), key, b.size());
    } else if constexpr (std::is_same_v<How, file::NumberOf>) {
      const std::string_view x = name(one_, how.kind, a), y = name(other_, how.kind, b);
      return x == y ? std::nullopt : std::optional(fmt::format("{} {}, and {}", key, x, y));
    } else if constexpr (std::is_same_v<How, file::Sum>) {
      return std::nullopt;
    } else {
      if (a == b) return std::nullopt;
      if constexpr (std::is_same_v<Value, HashedText>)
        return fmt::format("{} {}, and {}", key, a.text, b.text);
      else
        return fmt::format("{} {}, and {}", key, text_of(a, how), text_of(b, how));
    }
  }
  static std::string_view name(const BankData& bank, file::Kind kind, std::uint32_t number) {
    if (kind == file::Kind::clips) return bank.clips[number].name;
    if (kind == file::Kind::scopes) return bank.scopes[number].name;
    return kind == file::Kind::groups ? bank.groups[number].name : bank.sounds[number].name;
  }

  const BankData &one_, &other_;
};

template <class Design>
std::optional<std::string> differ(const BankData& one, const Design& a, const BankData& other, const Design& b) {
  return Comparison(one, other).difference(a, b);
}
/// By their contents, which know the samples, too.
std::optional<std::string> differ(const BankData& one, const BankSound& a, const BankData& other, const BankSound& b) {
  const bool known = a.content != ContentHash{} && b.content != ContentHash{};
  if (!known || (a.content == b.content && one.rate == other.rate)) return std::nullopt;
  if (one.rate != other.rate) return fmt::format("rate {}, and {}", to_text(one.rate), to_text(other.rate));
  return Comparison(one, other).difference(a, b).value_or("their clips have other samples");
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
    if (known == named.end()) continue;
    const auto differs = differ(comes, item, loaded, *known->second);
    if (!differs) continue;
    return fmt::format(
        "the {} '{}' of bank '{}' is not that of bank '{}', which is loaded ({}): give one of them another name, pack both "
        "banks of one book, or unload the other first",
        what, item.name, comes.name, loaded.name, *differs);
  }
  return {};
}

}  // namespace

std::string disagreement(const BankData& loaded, const BankData& comes) {
  std::string problem = difference_in("group", loaded, loaded.groups, comes, comes.groups);
  if (problem.empty()) problem = difference_in("sound", loaded, loaded.sounds, comes, comes.sounds);
  if (problem.empty()) problem = difference_in("mood", loaded, loaded.moods, comes, comes.moods);
  if (problem.empty()) problem = difference_in("gauge", loaded, loaded.gauges, comes, comes.gauges);
  if (problem.empty()) problem = difference_in("scope", loaded, loaded.scopes, comes, comes.scopes);
  if (problem.empty()) problem = difference_in("event", loaded, loaded.events, comes, comes.events);
  return problem;
}

Differences::Differences(const BankData& before, const BankData& now)
    : before_(before), now_(now), sounds_(by_name(before.sounds)), events_(by_name(before.events)) {}

bool Differences::sound(const BankSound& sound) const {
  const auto known = sounds_.find(sound.name);
  return known == sounds_.end() || differ(before_, *known->second, now_, sound).has_value();
}

bool Differences::event(const BankEvent& event) const {
  const auto known = events_.find(event.name);
  return known == events_.end() || differ(before_, *known->second, now_, event).has_value();
}

}  // namespace tidewater
