#pragma once
/// Samples of a bank file: read and checked when somebody needs them, and kept as long as somebody does.

#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <vector>

#include "bank/bank_blocks.hpp"
#include "bank/bank_data.hpp"
#include "base/large_memory.hpp"
#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// Of one bank that was opened. Thread: any.
class BankSamples {
 public:
  /// `in_place` is all of a bank that lies in memory on a boundary that suits the mixer; else it is empty. Around each channel are
  /// `zeros`.
  BankSamples(std::string called, std::shared_ptr<const BankBlocks> blocks, std::span<const std::byte> in_place, std::size_t zeros,
              std::size_t clips)
      : called_(std::move(called)), blocks_(std::move(blocks)), in_place_(in_place), zeros_(zeros), known_(clips) {}

 private:
  friend class SampleReader;

  /// What somebody has already; null where nobody does.
  std::shared_ptr<LargeMemory> known(std::size_t clip);
  /// From here on others share it; returns what somebody else had first.
  std::shared_ptr<LargeMemory> share(std::size_t clip, std::shared_ptr<LargeMemory> memory);
  bool whole_in_place(const ClipPlace& place) const;

  std::string called_;
  std::shared_ptr<const BankBlocks> blocks_;
  std::span<const std::byte> in_place_;
  std::size_t zeros_;
  std::mutex mutex_;
  std::vector<std::weak_ptr<LargeMemory>> known_;
};

/// Reads clips of a bank; of clips that lie side by side no byte twice.
/// Thread: one at a time.
class SampleReader {
 public:
  explicit SampleReader(const BankData& bank) : bank_(bank) {}

  /// In memory, checked, and as the mixer reads it. By value: `problem` says why not.
  Read<ClipData> read(const BankClip& clip);

 private:
  Read<ClipData> damaged(const BankClip& clip, const char* how) const;

  const BankData& bank_;
  std::unique_ptr<BytesInBank> bytes_;
  std::vector<std::unique_ptr<SampleReader>> lenders_;  ///< of clips that another bank has
};

/// The same for all clips of a bank: one of which everything is in memory. Throws Error where it cannot be read.
Bank with_all_samples(const Bank& bank);

}  // namespace tidewater
