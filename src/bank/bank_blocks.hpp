#pragma once
#include <algorithm>
#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include "bank/bank_records.hpp"
#include "media/bytes.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {

/// Of a bank that is no file of its own.
std::unique_ptr<Bytes> bytes_of(BankSource source);

/// A part of a bank that is read when it is needed, how the bank is opened again for that, and what it has to be.
struct BankBlocks {
  std::function<std::unique_ptr<Bytes>()> whole;
  std::uint64_t begin = 0, end = 0;     ///< in the bank
  std::vector<bank_file::Hash> hashes;  ///< of each block from there on

  std::uint64_t size_of(std::uint64_t number) const { return std::min(bank_file::block, end - begin - number * bank_file::block); }
};

/// Bytes of such a part, from one of the bank's on: a file that streams, or samples. Each block is compared with its hash before
/// anything of it is handed out; what is damaged cannot be read.
class BytesInBank : public Bytes {
 public:
  BytesInBank(std::shared_ptr<const BankBlocks> blocks, std::uint64_t at, std::uint64_t size);

  std::uint64_t size() const override { return size_; }
  std::size_t read(std::uint64_t at, std::span<std::byte> to) override;

 private:
  bool fetch(std::uint64_t number, std::span<std::byte> to);

  static constexpr std::uint64_t none = ~std::uint64_t{0};

  std::shared_ptr<const BankBlocks> blocks_;
  std::unique_ptr<Bytes> bank_;
  std::uint64_t at_, size_;
  std::vector<std::byte> block_;  ///< one that is wanted in part
  std::uint64_t number_ = none;   ///< of it
};

}  // namespace tidewater
