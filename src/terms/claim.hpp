#pragma once
#include <algorithm>
#include <compare>
#include <cstdint>

#include "terms/level.hpp"

namespace tidewater {

/// A rank and a heard level: what a claim is made of, but for its age. The higher rank comes first, then the louder.
struct Standing {
  int rank = 0;
  Level level;
  friend auto operator<=>(const Standing&, const Standing&) = default;
};

/// A layer loses its voice only to a layer that is louder by this much, so that voices do not flutter: 3 dB.
inline constexpr Level::Step clearly{300};

/// The level that something of `rank` has to be above to take the place of `holder`. No level at all is needed against a lower rank, and
/// none is enough against a higher one.
inline Level needed_against(const Standing& holder, int rank, Level::Step margin = clearly) {
  if (rank > holder.rank) return {};
  return rank < holder.rank ? Level::out_of_reach() : holder.level + margin;
}

/// A claim to a voice as one number. Claims are compared in this order: audible before inaudible, then the higher rank, then the louder,
/// then the younger.
class Claim {
 public:
  Claim() = default;
  /// `raise` is the number of the raise that began it. What cannot be heard claims nothing, whatever its rank.
  Claim(int rank, Level level, std::uint64_t raise) : key_(raise & ages) {
    if (level.audible()) key_ |= audible_bit | static_cast<std::uint64_t>(rank) << rank_shift | loudness(level) << level_shift;
  }

  /// The claim of a voice that nobody can take: higher than all others.
  static Claim none() {
    Claim claim;
    claim.key_ = ~std::uint64_t{0};
    return claim;
  }

  bool audible() const { return (key_ & audible_bit) != 0; }
  friend auto operator<=>(Claim, Claim) = default;

  /// Whether it is worth a change of what is heard already.
  bool clearly_over(Claim other) const {
    const std::uint64_t above = key_ >> level_shift, below = other.key_ >> level_shift;
    if (above >> level_bits != below >> level_bits) return above > below;  // heard, or of a higher rank
    return audible() && above > below + static_cast<std::uint64_t>(clearly.value);
  }

 private:
  static constexpr int level_bits = 16, level_shift = 43, rank_shift = level_shift + level_bits;
  static constexpr std::uint64_t audible_bit = std::uint64_t{1} << 63, ages = (std::uint64_t{1} << level_shift) - 1;

  /// Hundredths of a decibel above -120 dB.
  static std::uint64_t loudness(Level level) {
    return static_cast<std::uint64_t>(std::min(level.hundredths() - Level::faintest, (1 << level_bits) - 2));
  }

  std::uint64_t key_ = 0;
};

}  // namespace tidewater
