#pragma once
#include <algorithm>
#include <utility>
#include <vector>

namespace tidewater {

/// Sorts items with a name and a parent so that each parent comes before its children. The first item is the root of all.
/// Calls `circle(item)` for each item that is below itself. Items whose parent is missing are dropped without a call.
template <class Item, class Circle>
void put_parents_first(std::vector<Item>& items, Circle circle) {
  const auto is_called = [](const std::vector<Item>& list, const auto& name) {
    return std::any_of(list.begin(), list.end(), [&](const Item& its) { return its.name == name; });
  };
  std::vector<Item> sorted = {items.front()};
  std::vector<Item> left(items.begin() + 1, items.end());
  for (bool moved = true; moved;) {
    moved = false;
    for (auto its = left.begin(); its != left.end();) {
      if (!is_called(sorted, its->parent)) {
        ++its;
        continue;
      }
      sorted.push_back(std::move(*its));
      its = left.erase(its);
      moved = true;
    }
  }
  for (const Item& item : left)
    if (is_called(items, item.parent)) circle(item);
  items = std::move(sorted);
}

}  // namespace tidewater
