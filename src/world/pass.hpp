#pragma once
#include <cstddef>
#include <cstdint>

namespace tidewater::world_pass {

/// A stretch of emitters, each array from its first on; places in 1024ths of a metre.
struct Stretch {
  const std::int32_t *x, *y, *z;  ///< newest places
  std::int32_t *kept_x, *kept_y, *kept_z;
  const std::uint32_t* kind;  ///< of each its row of `cut`
  const float* cut;           ///< squares of distances, in the same unit
  std::uint32_t first;        ///< number of the first
  std::size_t count;
};
struct At {
  std::int32_t x, y, z;
};
/// What is found; room for `count` of each.
struct Found {
  std::uint32_t* moved;  ///< kept anew: they had moved by more than a 64th of the distance to the nearest listener
  std::size_t moved_count;
  std::uint32_t* near;  ///< nearer to a listener than their row of `cut` says, by what is kept
  std::size_t near_count;
};

/// `ears` is one at least. All targets find the same.
void run(const Stretch& stretch, const At* ears, std::size_t ear_count, Found& found);

/// The same without vectors, for tests.
void run_scalar(const Stretch& stretch, const At* ears, std::size_t ear_count, Found& found);

}  // namespace tidewater::world_pass
