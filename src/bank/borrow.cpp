#include "bank/borrow.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>
#include <unordered_map>

#include "bank/bank_samples.hpp"
#include "base/fail.hpp"
#include "media/bytes.hpp"

namespace tidewater {
namespace {

bool same_form(const BankClip& a, const BankClip& b) {
  return a.channels == b.channels && a.frames == b.frames && a.loop_from == b.loop_from;
}

std::unique_ptr<Bytes> file_of(const StreamedFile& file) { return file.open ? file.open() : open_file(file.path); }

bool same_bytes(Bytes& a, Bytes& b) {
  if (a.size() != b.size()) return false;
  std::vector<std::byte> one(std::size_t{1} << 16), other(one.size());
  for (std::uint64_t at = 0; at < a.size();) {
    const std::size_t got = a.read(at, one);
    if (got == 0 || b.read(at, std::span(other).first(got)) != got ||
        !std::equal(one.begin(), one.begin() + static_cast<std::ptrdiff_t>(got), other.begin()))
      return false;
    at += got;
  }
  return true;
}

bool same_sound(const BankClip& its, const ClipData& data, const BankClip& other, SampleReader& samples) {
  if (!same_form(its, other) || (its.streamed == nullptr) != (other.streamed == nullptr) || other.base != 0) return false;
  if (its.streamed != nullptr &&
      (its.streamed->head != other.streamed->head || !same_bytes(*file_of(*its.streamed), *file_of(*other.streamed))))
    return false;
  const Read<ClipData> there = samples.read(other);
  if (!there.value) fail(there.problem);
  return std::equal(data.floats.begin(), data.floats.end(), there.value->floats.begin(), there.value->floats.end()) &&
         std::equal(data.shorts.begin(), data.shorts.end(), there.value->shorts.begin(), there.value->shorts.end());
}

}  // namespace

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

void borrow(BankData& data, const BankData& base, bool replaces) {
  std::unordered_map<std::string_view, std::uint32_t> numbers;
  for (std::uint32_t c = 0; c < base.clips.size(); ++c) numbers.emplace(base.clips[c].name, c);
  SampleReader samples(base);
  const auto its_number = static_cast<std::uint32_t>(data.bases.size() + 1);
  bool any = replaces;
  for (BankClip& clip : data.clips) {
    const auto there = numbers.find(clip.name);
    if (clip.base != 0 || there == numbers.end() || !same_sound(clip, clip, base.clips[there->second], samples)) continue;
    static_cast<ClipData&>(clip) = {};
    clip.streamed.reset();
    clip.base = its_number;
    clip.in_base = there->second;
    any = true;
  }
  if (any) data.bases.push_back({base.name, base.content, replaces});
}

}  // namespace tidewater
