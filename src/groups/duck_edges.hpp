#pragma once
#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

namespace tidewater {

/// `group` is lowered while `key` is heard, so `key` is mixed first.
struct DuckEdge {
  std::uint32_t group = 0, key = 0;
};

/// Whether `group` is `other` or lies below it. `parents` has the parent of each group; group 0 is the master.
inline bool is_within(std::uint32_t group, std::uint32_t other, std::span<const std::uint32_t> parents) {
  for (;; group = parents[group]) {
    if (group == other) return true;
    if (group == 0) return false;
  }
}

/// Returns the groups of a circle that a duck would close with the others, from its key on; empty if it closes none. A group is mixed
/// before its parent and before the groups that it ducks.
inline std::vector<std::uint32_t> circle_with(const DuckEdge& duck, std::span<const std::uint32_t> parents,
                                              std::span<const DuckEdge> others) {
  std::vector<bool> seen(parents.size());
  std::vector<std::uint32_t> way;
  const auto leads_to_key = [&](const auto& self, std::uint32_t at) -> bool {
    if (seen[at]) return false;
    seen[at] = true;
    way.push_back(at);
    if (at == duck.key) return true;
    if (at != 0 && self(self, parents[at])) return true;
    for (const DuckEdge& other : others)
      if (other.key == at && self(self, other.group)) return true;
    way.pop_back();
    return false;
  };
  leads_to_key(leads_to_key, duck.group);
  return way;
}

/// Whether a duck can be mixed: neither group is part of the other, and there is no circle.
inline bool is_possible(const DuckEdge& duck, std::span<const std::uint32_t> parents, std::span<const DuckEdge> others) {
  return !is_within(duck.group, duck.key, parents) && !is_within(duck.key, duck.group, parents) &&
         circle_with(duck, parents, others).empty();
}

}  // namespace tidewater
