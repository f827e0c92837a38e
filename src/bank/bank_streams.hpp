#pragma once
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

/// What of a bank streams, and how it is opened again for that.
struct BankStreams {
  std::function<std::unique_ptr<Bytes>()> whole;
  std::uint64_t begin = 0, end = 0;     ///< in the bank
  std::vector<bank_file::Hash> hashes;  ///< of each block from there on
};

/// One file in a bank, from one of its bytes on. Each block is compared with its hash before anything of it is read; what is damaged
/// cannot be read.
class StreamInBank : public Bytes {
 public:
  /// Throws Error where the bank cannot be opened.
  StreamInBank(std::shared_ptr<const BankStreams> streams, std::uint64_t at, std::uint64_t size);

  std::uint64_t size() const override { return size_; }
  std::size_t read(std::uint64_t at, std::span<std::byte> to) override;

 private:
  /// Has a block in `block_`.
  bool fetch(std::uint64_t number);

  static constexpr std::uint64_t none = ~std::uint64_t{0};

  std::shared_ptr<const BankStreams> streams_;
  std::unique_ptr<Bytes> bank_;
  std::uint64_t at_, size_;
  std::vector<std::byte> block_;
  std::uint64_t number_ = none;
};

}  // namespace tidewater
