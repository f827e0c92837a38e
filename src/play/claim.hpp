#pragma once
#include <compare>

#include "base/level.hpp"
#include "tidewater/journal.hpp"

namespace tidewater {

/// Who outranks whom, in one comparison: what is heard before what is not, then the rank, then how loud it is, then the younger.
struct Claim {
  bool audible = false;  ///< what cannot be heard claims nothing, whatever its rank
  int rank = 0;
  Level level;
  PlaybackId id;

  Claim() = default;
  Claim(int its_rank, Level its_level, PlaybackId its_id)
      : audible(its_level.audible()), rank(audible ? its_rank : 0), level(audible ? its_level : Level()), id(its_id) {}

  friend constexpr auto operator<=>(const Claim&, const Claim&) = default;

  /// Whether it is worth a change of what is heard already: 3 dB more, so that voices do not flutter.
  bool clearly_over(const Claim& other) const {
    if (audible != other.audible || rank != other.rank) return std::pair(audible, rank) > std::pair(other.audible, other.rank);
    static const Level clearly(Decibels{3});
    return audible && level > other.level + clearly;
  }
};

}  // namespace tidewater
