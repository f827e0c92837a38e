#include "bank/bases.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace tidewater {
bool same_form(const BankClip& a, const BankClip& b) {
  return a.channels == b.channels && a.frames == b.frames && a.loop_from == b.loop_from;
}

Read<std::vector<std::shared_ptr<const BankData>>> bases_of(const BankData& data,
                                                            const std::vector<std::shared_ptr<const BankData>>& there) {
  std::vector<std::shared_ptr<const BankData>> bases;
  for (const BankBase& base : data.bases) {
    const auto its = std::find_if(there.begin(), there.end(),
                                  [&](const auto& bank) { return bank->name == base.name && bank->content == base.content; });
    if (its == there.end()) {
      const bool another = std::any_of(there.begin(), there.end(), [&](const auto& bank) { return bank->name == base.name; });
      return {std::nullopt,
              fmt::format("the bank '{}' {} the bank '{}'{}", data.name, base.replaces ? "changes" : "has clips in", base.name,
                          another ? " as it was when it was packed, and that one is another: pack it again, of the one that is loaded"
                                  : ", which is not loaded: load that one first")};
    }
    bases.push_back(*its);
  }
  return {std::move(bases), {}};
}

Read<Bank> with_bases(const Bank& bank, const std::vector<std::shared_ptr<const BankData>>& there) {
  const BankData& data = data_of(bank);
  if (data.bases.empty()) return {bank, {}};
  const auto lenders = bases_of(data, there);
  if (!lenders.value) return {std::nullopt, lenders.problem};
  auto whole = std::make_shared<BankData>(data);
  for (BankClip& clip : whole->clips) {
    if (clip.base == 0) continue;
    const std::shared_ptr<const BankData>& lender = (*lenders.value)[clip.base - 1];
    const BankClip* const its = clip.in_base < lender->clips.size() ? &lender->clips[clip.in_base] : nullptr;
    if (its == nullptr || !same_form(clip, *its) || its->base != 0)
      return {std::nullopt, fmt::format("the bank '{}' is damaged: its clip '{}' is not in the bank '{}'; pack it again", data.name,
                                        clip.name, lender->name)};
    static_cast<ClipData&>(clip) = *its;
    clip.place = its->place;
    clip.streamed = its->streamed;
  }
  whole->lenders = *lenders.value;
  return {bank_of(std::move(whole)), {}};
}

}  // namespace tidewater
