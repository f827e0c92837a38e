#include "author/clips/levels.hpp"

#include <algorithm>
#include <cmath>

#include "author/book/group_settings.hpp"

namespace tidewater {
namespace {

constexpr Decibels highest_peak{-1};

}  // namespace

std::optional<Decibels> level_for(const Book& book, const BookSound& sound) {
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& g) { return g.level.has_value(); });
  return group == nullptr ? book.level : group->level;
}

Decibels trim_for(const ClipFacts& facts, Decibels level) {
  if (facts.loudness == silence) return {};
  const double wanted = std::clamp(level.value - facts.loudness.value, -most_trim.value, most_trim.value);
  // A clip that is over the highest peak as it is stays as it is, unless it is to be quieter.
  const double room = std::max(0.0, highest_peak.value - facts.true_peak.value);
  const double trim = facts.marked_placeholder ? std::min(wanted, 0.0) : std::min(wanted, room);
  return {std::floor(100 * trim) / 100};  // hundredths are enough, and the same wherever it was measured
}

}  // namespace tidewater
