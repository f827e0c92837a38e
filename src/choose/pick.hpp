#pragma once
#include <cstdint>

#include "bank/bank_data.hpp"

namespace tidewater {

/// What is remembered of the picks from one list of clips.
struct Picks {
  static constexpr std::uint32_t none = ~0U;
  std::uint32_t count = 0;
  std::uint32_t last = none;
  std::uint32_t first = none;  ///< first clip of the present round
  // The deck of a round's other clips, so that each pick takes one step. It follows from the rest, and is made again where it does not fit.
  std::uint32_t cards = 0;    ///< how many it has
  std::uint32_t next_at = 0;  ///< the `count` for which it is shuffled
  std::uint64_t deck = 0;     ///< 4 bits a card, the first the lowest
};

/// Picks the next clip of a choice, by its index. It is never the clip before, unless there is only one, or one weighs half of all or more.
/// `key` belongs to the list. Keep `after` if the clip is played; asking again without that gives the same clip.
struct Picked {
  std::uint32_t clip = 0;
  Picks after;
};
Picked pick(Pick how, const BankChoice& choice, const Picks& picks, std::uint64_t key);

}  // namespace tidewater
