#include "bank/bank_streams.hpp"

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

StreamInBank::StreamInBank(std::shared_ptr<const BankStreams> streams, std::uint64_t at, std::uint64_t size)
    : streams_(std::move(streams)), bank_(streams_->whole()), at_(at), size_(size) {}

std::size_t StreamInBank::read(std::uint64_t at, std::span<std::byte> to) {
  std::size_t got = 0;
  while (at < size_ && got < to.size()) {
    const std::uint64_t place = at_ + at - streams_->begin;
    if (!fetch(place / bank_file::block)) break;
    const auto from = static_cast<std::size_t>(place % bank_file::block);
    const std::size_t count = std::min({to.size() - got, block_.size() - from, static_cast<std::size_t>(size_ - at)});
    std::copy_n(block_.begin() + static_cast<std::ptrdiff_t>(from), count, to.begin() + static_cast<std::ptrdiff_t>(got));
    got += count;
    at += count;
  }
  return got;
}

bool StreamInBank::fetch(std::uint64_t number) {
  if (number == number_) return true;
  const std::uint64_t from = streams_->begin + number * bank_file::block;
  block_.resize(static_cast<std::size_t>(std::min(bank_file::block, streams_->end - from)));
  number_ = none;
  if (bank_->read(from, block_) != block_.size()) return false;
  if (bank_file::hash_of(block_) != streams_->hashes[static_cast<std::size_t>(number)].value) return false;
  number_ = number;
  return true;
}

}  // namespace tidewater
