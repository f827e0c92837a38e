#include "author/pack/borrow.hpp"

#include <algorithm>
#include <memory>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "author/pack/stream_bytes.hpp"
#include "bank/bank_samples.hpp"
#include "bank/bases.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

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
      (its.streamed->head != other.streamed->head || !same_bytes(*stream_bytes(*its.streamed), *stream_bytes(*other.streamed))))
    return false;
  const Read<ClipData> there = samples.read(other);
  if (!there.value) throw Error(there.problem);
  return std::equal(data.floats.begin(), data.floats.end(), there.value->floats.begin(), there.value->floats.end()) &&
         std::equal(data.shorts.begin(), data.shorts.end(), there.value->shorts.begin(), there.value->shorts.end());
}

}  // namespace

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
