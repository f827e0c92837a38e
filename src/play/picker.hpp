#pragma once
#include <cstdint>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/random.hpp"

namespace tidewater {

/// Chooses which clip of a sound comes next.
class Picker {
 public:
  Picker(Pick pick, std::uint32_t clips);

  /// An index below the number of clips; never the one before, where there are two or more.
  std::uint32_t next(Random& random);

 private:
  std::uint32_t draw(Random& random);

  Pick pick_;
  std::uint32_t last_;       ///< `clips` before the first
  std::uint32_t dealt_ = 0;  ///< of `order_`, in this round
  std::vector<std::uint32_t> order_;
};

}  // namespace tidewater
