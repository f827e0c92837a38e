#pragma once
#include <cstdint>

#include "base/random.hpp"

namespace tidewater {

/// The numbers of one start: each is a function of the sound, of how often it was asked for, and of what the number is for. So no draw
/// depends on any other, on what else plays, or on what was refused.
class Draws {
 public:
  /// `key` is of the sound, with the seed in it; `asked` counts from 1.
  Draws(std::uint64_t key, std::uint64_t asked) : key_(hash_of(key, asked)) {}

  /// Even in [0, 1), for a value with this number.
  double unit(std::uint64_t value) const { return static_cast<double>(bits(value) >> 11) * 0x1.0p-53; }
  std::uint64_t bits(std::uint64_t value) const { return hash_of(key_, value); }

  /// The next of a chain: SplitMix64's mixing of the two (base/random.hpp).
  static std::uint64_t hash_of(std::uint64_t key, std::uint64_t number) { return Random(key + number * 0x9e3779b97f4a7c15U).bits(); }

 private:
  std::uint64_t key_;
};

}  // namespace tidewater
