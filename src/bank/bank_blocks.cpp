#include "bank/bank_blocks.hpp"

#include <algorithm>
#include <utility>

namespace tidewater {
namespace {

/// A bank that is no file of its own.
class SourceBytes : public Bytes {
 public:
  explicit SourceBytes(BankSource source) : source_(std::move(source)) {}
  std::uint64_t size() const override { return source_.size; }
  std::size_t read(std::uint64_t at, std::span<std::byte> to) override {
    if (at >= source_.size) return 0;
    to = to.first(static_cast<std::size_t>(std::min<std::uint64_t>(to.size(), source_.size - at)));
    return source_.read(at, to) ? to.size() : 0;
  }

 private:
  BankSource source_;
};

}  // namespace

std::unique_ptr<Bytes> bytes_of(BankSource source) { return std::make_unique<SourceBytes>(std::move(source)); }

BytesInBank::BytesInBank(std::shared_ptr<const BankBlocks> blocks, std::uint64_t at, std::uint64_t size)
    : blocks_(std::move(blocks)), bank_(blocks_->whole()), at_(at), size_(size) {}

std::size_t BytesInBank::read(std::uint64_t at, std::span<std::byte> to) {
  std::size_t got = 0;
  while (at < size_ && got < to.size()) {
    const std::uint64_t place = at_ + at - blocks_->begin, number = place / bank_file::block;
    const auto from = static_cast<std::size_t>(place % bank_file::block), whole = static_cast<std::size_t>(blocks_->size_of(number));
    const std::size_t count = std::min({to.size() - got, whole - from, static_cast<std::size_t>(size_ - at)});
    if (count == whole) {
      if (!fetch(number, to.subspan(got, count))) break;
    } else {
      if (number != number_) {
        number_ = none;
        block_.resize(whole);
        if (!fetch(number, block_)) break;
        number_ = number;
      }
      std::copy_n(block_.begin() + static_cast<std::ptrdiff_t>(from), count, to.begin() + static_cast<std::ptrdiff_t>(got));
    }
    got += count;
    at += count;
  }
  return got;
}

bool BytesInBank::fetch(std::uint64_t number, std::span<std::byte> to) {
  return bank_->read(blocks_->begin + number * bank_file::block, to) == to.size() &&
         bank_file::hash_of(to) == blocks_->hashes[static_cast<std::size_t>(number)].value;
}

}  // namespace tidewater
