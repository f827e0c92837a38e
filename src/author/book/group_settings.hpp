#pragma once
#include <algorithm>

#include "tidewater/author/book.hpp"

namespace tidewater {

/// The nearest group, from a sound's own upwards, that `has` what is looked for; null where none does.
template <class Has>
const BookGroup* nearest_group(const Book& book, const BookSound& sound, Has has) {
  for (std::string name = sound.group; !name.empty();) {
    const auto group = std::find_if(book.groups.begin(), book.groups.end(), [&](const BookGroup& g) { return g.name == name; });
    if (group == book.groups.end()) return nullptr;
    if (has(*group)) return &*group;
    name = group->parent;
  }
  return nullptr;
}

}  // namespace tidewater
