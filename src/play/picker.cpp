#include "play/picker.hpp"

#include <algorithm>
#include <numeric>
#include <utility>

namespace tidewater {

Picker::Picker(Pick pick, std::uint32_t clips) : pick_(pick), last_(clips), order_(clips) { std::iota(order_.begin(), order_.end(), 0U); }

Picker::Picker(Pick pick, const BankChoice& choice) : Picker(pick, static_cast<std::uint32_t>(choice.clips.size())) {
  if (!choice.weighted) return;
  for (const auto& use : choice.clips) weights_.push_back(use.weight);
  heavy_ = choice.heavy;
  again_ = choice.again;
}

std::uint32_t Picker::next(Random& random) {
  const auto count = static_cast<std::uint32_t>(order_.size());
  last_ = count == 1 ? 0 : draw(random);
  return last_;
}

std::uint32_t Picker::draw(Random& random) {
  const auto count = static_cast<std::uint32_t>(order_.size());
  switch (pick_) {
    case Pick::in_order: return last_ + 1 >= count ? 0 : last_ + 1;
    case Pick::random: {
      if (!weights_.empty()) return draw_weighted(random);
      if (last_ == count) return random.below(count);
      const std::uint32_t drawn = random.below(count - 1);
      return drawn < last_ ? drawn : drawn + 1;
    }
    case Pick::shuffle: break;
  }
  return deal(random);
}

std::uint32_t Picker::draw_weighted(Random& random) const {
  const bool first = last_ >= weights_.size();
  if (heavy_ >= 0 && !first) {
    const auto heavy = static_cast<std::uint32_t>(heavy_);
    if (last_ != heavy || random.unit() < again_) return heavy;
  }
  double total = 0;
  for (std::uint32_t i = 0; i < weights_.size(); ++i) total += i == last_ ? 0 : weights_[i];
  if (total <= 0) return last_;  // only one weighs anything
  double at = random.unit() * total;
  std::uint32_t chosen = last_;
  for (std::uint32_t i = 0; i < weights_.size(); ++i) {
    if (i == last_ || weights_[i] <= 0) continue;
    chosen = i;
    if (at < weights_[i]) break;
    at -= weights_[i];
  }
  return chosen;
}

std::uint32_t Picker::deal(Random& random) {
  const auto count = static_cast<std::uint32_t>(order_.size());
  // Fisher and Yates, one step a call: what is left of the deck lies behind `dealt_`.
  // The first of a round is drawn from all but the last of the round before.
  const bool seam = dealt_ == 0 && last_ != count;
  if (seam) {
    for (auto& clip : order_)
      if (clip == last_) std::swap(clip, order_.back());
  }
  const std::uint32_t left = count - dealt_ - (seam ? 1 : 0);
  std::swap(order_[dealt_], order_[dealt_ + random.below(left)]);
  const std::uint32_t chosen = order_[dealt_];
  dealt_ = dealt_ + 1 == count ? 0 : dealt_ + 1;
  return chosen;
}

}  // namespace tidewater
