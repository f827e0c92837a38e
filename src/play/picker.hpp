#pragma once
#include <cstdint>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/random.hpp"

namespace tidewater {

/// Chooses which clip comes next.
class Picker {
 public:
  Picker(Pick pick, std::uint32_t clips);
  /// Among the clips of a choice, by their weights where the pick is random.
  Picker(Pick pick, const BankChoice& choice);

  /// An index below the number of clips; never the one before, where there are two or more and none weighs more than half
  /// of all.
  std::uint32_t next(Random& random);

 private:
  std::uint32_t draw(Random& random);
  std::uint32_t draw_weighted(Random& random) const;
  std::uint32_t deal(Random& random);

  Pick pick_;
  std::uint32_t last_;       ///< `clips` before the first
  std::uint32_t dealt_ = 0;  ///< of `order_`, in this round
  std::vector<std::uint32_t> order_;
  std::vector<double> weights_;  ///< empty where all weigh the same
  std::int32_t heavy_ = -1;
  double again_ = 0;
};

}  // namespace tidewater
