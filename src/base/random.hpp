#pragma once
/// Random numbers that are the same on every machine: the standard library's distributions are not.

#include <cstdint>

namespace tidewater {

/// SplitMix64 (G. L. Steele, D. Lea, C. H. Flood, 'Fast splittable pseudorandom number generators', 2014).
/// Every seed is a good one, also neighbours.
class Random {
 public:
  explicit Random(std::uint64_t seed = 0) : state_(seed) {}

  std::uint64_t bits() {
    std::uint64_t z = (state_ += 0x9e3779b97f4a7c15U);
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9U;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebU;
    return z ^ (z >> 31);
  }

  /// Even in [0, 1).
  double unit() { return static_cast<double>(bits() >> 11) * 0x1.0p-53; }

  /// Even in [low, high].
  double between(double low, double high) { return low + (high - low) * unit(); }

  /// Even in 0 .. count-1; count must not be zero. The bias of the multiplication is below 2^-32 for real counts.
  std::uint32_t below(std::uint32_t count) { return static_cast<std::uint32_t>(((bits() >> 32) * count) >> 32); }

 private:
  std::uint64_t state_;
};

/// Mixes a name into a seed, so that each sound draws its own numbers whatever else the game plays.
inline std::uint64_t seed_for(std::uint64_t seed, std::uint64_t name_hash) { return Random(seed ^ name_hash).bits(); }

}  // namespace tidewater
