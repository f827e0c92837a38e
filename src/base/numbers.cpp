#include "base/numbers.hpp"

#include <algorithm>

namespace tidewater {

std::uint32_t Numbers::find(std::uint64_t hash) const {
  const auto known = std::find(hashes_.begin(), hashes_.end(), hash);
  return known == hashes_.end() ? none : static_cast<std::uint32_t>(known - hashes_.begin());
}

std::uint32_t Numbers::add(std::string_view name) {
  const std::uint64_t hash = hash_name(name);
  if (const std::uint32_t known = find(hash); known != none) return known;
  if (size() == most_) return none;
  hashes_.push_back(hash);
  names_.emplace_back(name);
  return static_cast<std::uint32_t>(size() - 1);
}

Numbers::Plan Numbers::plan(std::span<const std::string_view> names) const {
  Plan plan;
  std::vector<std::uint64_t> fresh;
  for (const std::string_view name : names) {
    const std::uint64_t hash = hash_name(name);
    std::uint32_t number = find(hash);
    if (number == none) {
      const auto at = std::find(fresh.begin(), fresh.end(), hash);
      number = static_cast<std::uint32_t>(size() + static_cast<std::size_t>(at - fresh.begin()));
      if (at == fresh.end()) fresh.push_back(hash);
    }
    plan.numbers.push_back(number);
  }
  plan.size = size() + fresh.size();
  return plan;
}

}  // namespace tidewater
