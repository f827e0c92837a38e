#pragma once
#include <algorithm>
#include <compare>
#include <cstdint>

#include "terms/level.hpp"

namespace tidewater {

/// Who outranks whom, in one comparison of one number: what is heard before what is not, then the rank, then how loud it is, then the
/// younger.
class Claim {
 public:
  Claim() = default;
  /// `raise` is the number of the raise that began it. What cannot be heard claims nothing, whatever its rank.
  Claim(int rank, Level level, std::uint64_t raise) : key_(raise & ages) {
    if (level.audible()) key_ |= audible_bit | static_cast<std::uint64_t>(rank) << rank_shift | loudness(level) << level_shift;
  }

  /// Of a voice that nobody can take: it is over all.
  static Claim none() {
    Claim claim;
    claim.key_ = ~std::uint64_t{0};
    return claim;
  }

  bool audible() const { return (key_ & audible_bit) != 0; }
  friend auto operator<=>(Claim, Claim) = default;

  /// Whether it is worth a change of what is heard already: 3 dB more, so that voices do not flutter.
  bool clearly_over(Claim other) const {
    constexpr std::uint64_t clearly = 300;  // hundredths
    const std::uint64_t above = key_ >> level_shift, below = other.key_ >> level_shift;
    if (above >> level_bits != below >> level_bits) return above > below;  // heard, or of a higher rank
    return audible() && above > below + clearly;
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
