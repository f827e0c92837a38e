#include "choose/pick.hpp"

#include <algorithm>

#include "choose/draws.hpp"

namespace tidewater {
namespace {

/// Even in 0 .. count-1.
std::uint32_t below(std::uint64_t bits, std::uint32_t count) { return static_cast<std::uint32_t>(((bits >> 32) * count) >> 32); }

/// Even among all of `count` but the last.
std::uint32_t any_but(std::uint32_t last, std::uint64_t bits, std::uint32_t count) {
  if (last >= count) return below(bits, count);
  const std::uint32_t drawn = below(bits, count - 1);
  return drawn + (drawn >= last ? 1 : 0);
}

/// What lies at a place of a deck of `count` that Fisher and Yates have shuffled, up to that place, by a key. Each step swaps its
/// own place with one behind it, so that going back over the steps finds where the card came from.
std::uint32_t dealt(std::uint64_t key, std::uint32_t count, std::uint32_t place) {
  const auto swaps_with = [&](std::uint32_t step) { return step + below(Draws::hash_of(key, step + 1), count - step); };
  std::uint32_t at = swaps_with(place);
  for (std::uint32_t step = place; step-- > 0;)
    if (at == swaps_with(step)) at = step;
  return at;
}

constexpr std::uint32_t most_cards = 16;  // of a deck that fits into one word

constexpr std::uint64_t in_order = 0xfedcba9876543210U, card = 15;

/// One step of the shuffle: returns the card that comes to its place.
std::uint32_t shuffle_step(std::uint64_t& deck, std::uint64_t key, std::uint32_t count, std::uint32_t place) {
  const std::uint32_t other = place + below(Draws::hash_of(key, place + 1), count - place);
  const std::uint64_t mine = deck >> 4 * place & card, its = deck >> 4 * other & card;
  deck ^= (mine ^ its) << 4 * place ^ (mine ^ its) << 4 * other;
  return static_cast<std::uint32_t>(its);
}

/// The same as `dealt`, from the deck that the last pick has left, if it is of this round.
std::uint32_t deal_next(Picks& picks, std::uint64_t key, std::uint32_t count, std::uint32_t place) {
  if (place == 0 || picks.cards != count || picks.next_at != picks.count) {
    picks.cards = count;
    picks.deck = in_order;
    for (std::uint32_t before = 0; before < place; ++before) shuffle_step(picks.deck, key, count, before);
  }
  picks.next_at = picks.count + 1;
  return shuffle_step(picks.deck, key, count, place);
}

/// The first of a round is any but the last of the round before; the others follow in an order of their own.
std::uint32_t deal(Picks& picks, std::uint64_t round, std::uint32_t place, std::uint32_t count) {
  if (place == 0 || picks.first >= count) return any_but(picks.last, round, count);
  const std::uint32_t cards = count - 1;
  const std::uint32_t other = cards <= most_cards ? deal_next(picks, round, cards, place - 1) : dealt(round, cards, place - 1);
  return other + (other >= picks.first ? 1 : 0);
}

std::uint32_t draw_weighted(const BankChoice& choice, std::uint32_t last, std::uint64_t bits) {
  const double unit = static_cast<double>(bits >> 11) * 0x1.0p-53;
  const auto count = static_cast<std::uint32_t>(choice.clips.size());
  if (choice.heavy >= 0) {
    const auto heavy = static_cast<std::uint32_t>(choice.heavy);
    if (last < count && last != heavy) return heavy;
    // After itself it comes again with a probability; what is left of the number then chooses among the others.
    if (last == heavy && unit < choice.again) return heavy;
  }
  const double from = choice.heavy >= 0 && last < count ? choice.again : 0;
  const double rest = (unit - from) / (1 - from);
  double total = 0;
  for (std::uint32_t i = 0; i < count; ++i) total += i == last ? 0 : choice.clips[i].weight;
  if (total <= 0) return last < count ? last : 0;  // only one weighs anything
  double at = rest * total;
  std::uint32_t chosen = last;
  for (std::uint32_t i = 0; i < count; ++i) {
    if (i == last || choice.clips[i].weight <= 0) continue;
    chosen = i;
    if (at < choice.clips[i].weight) break;
    at -= choice.clips[i].weight;
  }
  return chosen;
}

}  // namespace

Picked pick(Pick how, const BankChoice& choice, const Picks& picks, std::uint64_t key) {
  const auto count = static_cast<std::uint32_t>(choice.clips.size());
  const std::uint32_t round = picks.count / std::max(count, 1U), place = picks.count - round * std::max(count, 1U);
  Picked picked{0, picks};
  if (count > 1) {
    switch (how) {
      case Pick::in_order: picked.clip = place; break;
      case Pick::random: {
        const std::uint64_t bits = Draws::hash_of(key, picks.count + 1);
        picked.clip = choice.weighted ? draw_weighted(choice, picks.last, bits) : any_but(picks.last, bits, count);
        break;
      }
      case Pick::shuffle: picked.clip = deal(picked.after, Draws::hash_of(key, round), place, count); break;
    }
  }
  if (place == 0) picked.after.first = picked.clip;
  ++picked.after.count;
  picked.after.last = picked.clip;
  return picked;
}

}  // namespace tidewater
