#include "bank/bank_samples.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "base/fail.hpp"
#include "dsp/kernels.hpp"

namespace tidewater {
namespace {

bool all_finite(std::span<const float> samples) {
  constexpr std::size_t most = 1 << 20;
  for (; !samples.empty(); samples = samples.subspan(std::min(samples.size(), most)))
    if (!kernels::finite(samples.data(), static_cast<int>(std::min(samples.size(), most)))) return false;
  return true;
}

/// Samples of a clip that lie somewhere.
ClipData laid_out(std::span<const std::byte> bytes, bool shorts, std::shared_ptr<const void> memory) {
  ClipData data;
  if (shorts)
    data.shorts = {reinterpret_cast<const std::int16_t*>(bytes.data()), bytes.size() / sizeof(std::int16_t)};
  else
    data.floats = {reinterpret_cast<const float*>(bytes.data()), bytes.size() / sizeof(float)};
  data.memory = std::move(memory);
  return data;
}

/// What was packed with more zeros around each channel than the mixer reads, with as many as it does.
std::shared_ptr<LargeMemory> with_fewer_zeros(std::span<const std::byte> bytes, std::size_t zeros, const BankClip& clip) {
  const auto channels = static_cast<std::size_t>(clip.channels), frames = static_cast<std::size_t>(clip.kept());
  const std::size_t width = clip.place.shorts ? sizeof(std::int16_t) : sizeof(float);
  const std::size_t stride = (frames + 2 * zeros) * width, kept = (frames + 2 * static_cast<std::size_t>(reach)) * width;
  auto memory = std::make_shared<LargeMemory>(kept * channels, bank_file::alignment, &MemoryHeld::samples);
  if (!memory->there()) return memory;
  for (std::size_t channel = 0; channel < channels; ++channel)
    std::memcpy(memory->bytes().data() + channel * kept,
                bytes.data() + channel * stride + (zeros - static_cast<std::size_t>(reach)) * width, kept);
  return memory;
}

}  // namespace

std::shared_ptr<LargeMemory> BankSamples::known(std::size_t clip) {
  const std::lock_guard lock(mutex_);
  return known_[clip].lock();
}

std::shared_ptr<LargeMemory> BankSamples::share(std::size_t clip, std::shared_ptr<LargeMemory> memory) {
  const std::lock_guard lock(mutex_);
  if (auto first = known_[clip].lock()) return first;
  known_[clip] = memory;
  return memory;
}

bool BankSamples::whole_in_place(const ClipPlace& place) const {
  const std::uint64_t first = (place.at - blocks_->begin) / bank_file::block,
                      last = (place.at + place.size - 1 - blocks_->begin) / bank_file::block;
  for (std::uint64_t number = first; number <= last; ++number) {
    const auto at = static_cast<std::size_t>(blocks_->begin + number * bank_file::block);
    const auto block = in_place_.subspan(at, static_cast<std::size_t>(blocks_->size_of(number)));
    if (bank_file::hash_of(block) != blocks_->hashes[static_cast<std::size_t>(number)].value) return false;
  }
  return true;
}

Read<ClipData> SampleReader::damaged(const BankClip& clip, const char* how) const {
  return {std::nullopt, fmt::format("{}: the bank is damaged: samples of its clip '{}' {}; pack it again, or get the file again",
                                    bank_.samples->called_, clip.name, how)};
}

Read<ClipData> SampleReader::read(const BankClip& clip) {
  if (clip.base != 0 && !bank_.lenders.empty()) {
    lenders_.resize(bank_.lenders.size());
    const BankData& lender = *bank_.lenders[clip.base - 1];
    std::unique_ptr<SampleReader>& its = lenders_[clip.base - 1];
    if (its == nullptr) its = std::make_unique<SampleReader>(lender);
    return its->read(lender.clips[clip.in_base]);
  }
  if (clip.place.size == 0) return {clip, {}};  // of a bank that was compiled, or not its own
  BankSamples& samples = *bank_.samples;
  const auto number = static_cast<std::size_t>(&clip - bank_.clips.data());
  const bool shorts = clip.place.shorts;
  if (auto known = samples.known(number)) return {laid_out(known->bytes(), shorts, known), {}};

  std::shared_ptr<LargeMemory> memory;
  std::span<const std::byte> bytes;
  const auto no_memory = [&] {
    return Read<ClipData>{std::nullopt, fmt::format("{}: there is no memory for the {} KiB of its clip '{}'", samples.called_,
                                                    clip.place.size >> 10, clip.name)};
  };
  if (!samples.in_place_.empty()) {
    if (!samples.whole_in_place(clip.place)) return damaged(clip, "are not what was written");
    bytes = samples.in_place_.subspan(static_cast<std::size_t>(clip.place.at), static_cast<std::size_t>(clip.place.size));
  } else {
    if (bytes_ == nullptr)
      bytes_ = std::make_unique<BytesInBank>(samples.blocks_, samples.blocks_->begin, samples.blocks_->end - samples.blocks_->begin);
    memory = std::make_shared<LargeMemory>(static_cast<std::size_t>(clip.place.size), bank_file::alignment, &MemoryHeld::samples);
    if (!memory->there()) return no_memory();
    if (bytes_->read(clip.place.at - samples.blocks_->begin, memory->bytes()) != clip.place.size)
      return damaged(clip, "cannot be read, or are not what was written");
    bytes = memory->bytes();
  }
  if (!shorts && !all_finite(laid_out(bytes, false, nullptr).floats)) return damaged(clip, "are not numbers");
  if (samples.zeros_ != static_cast<std::size_t>(reach)) {
    memory = with_fewer_zeros(bytes, samples.zeros_, clip);
    if (!memory->there()) return no_memory();
  }
  if (memory == nullptr) return {laid_out(bytes, shorts, nullptr), {}};  // the game keeps it
  memory = samples.share(number, std::move(memory));
  return {laid_out(memory->bytes(), shorts, memory), {}};
}

Bank with_all_samples(const Bank& bank) {
  const BankData& data = data_of(bank);
  if (data.samples == nullptr && data.lenders.empty()) return bank;
  auto all = std::make_shared<BankData>(data);
  all->samples.reset();
  all->lenders.clear();
  SampleReader reader(data);
  for (std::size_t c = 0; c < data.clips.size(); ++c) {
    Read<ClipData> read = reader.read(data.clips[c]);
    if (!read.value) fail(read.problem);
    static_cast<ClipData&>(all->clips[c]) = *std::move(read.value);
    all->clips[c].place = {};
  }
  return bank_of(std::move(all));
}

}  // namespace tidewater
