#include "bank/bank_table.hpp"

#include <fmt/format.h>

#include <utility>

namespace tidewater {

namespace file = bank_file;

BankTable::BankTable(std::string_view called, std::function<std::unique_ptr<Bytes>()> whole)
    : called_(called), whole_(std::move(whole)), bytes_(whole_()) {}

bool BankTable::fail(const std::string& what) {
  if (problem_.empty()) problem_ = fmt::format("{}: {}", called_, what);
  return false;
}

bool BankTable::damaged(const std::string& what) {
  return fail(fmt::format("the bank is damaged: {}; pack it again, or get the file again", what));
}

bool BankTable::fetch(std::uint64_t at, std::span<std::byte> to) {
  return bytes_->read(at, to) == to.size() || fail("the bank cannot be read to its end");
}

bool BankTable::header() {
  if (bytes_->size() < sizeof header_) return fail("this is no bank: it is shorter than a bank's header");
  if (!fetch(0, std::as_writable_bytes(std::span(&header_, 1)))) return false;
  if (header_.magic != file::magic) return fail("this is no bank; `tidewater pack` makes one of a book");
  if (header_.version > file::version)
    return fail(fmt::format("the bank was packed by a newer version: its format is {}, and this reads up to {}; update the game's library",
                            header_.version, file::version));
  if (header_.header_hash != file::hash_of(std::as_bytes(std::span(&header_, 1)).first(offsetof(file::Header, header_hash))))
    return damaged("its header is not what was written");
  if (header_.file_size != bytes_->size()) return damaged(fmt::format("it has {} bytes of {}", bytes_->size(), header_.file_size));
  const auto& h = header_;
  const bool fits = h.table_at == sizeof header_ && h.table_size <= h.file_size && h.table_at <= h.file_size - h.table_size &&
                    h.payload_at == h.table_at + h.table_size && h.payload_at % file::alignment == 0 && h.streams_at >= h.payload_at &&
                    h.streams_at <= h.file_size;
  return fits || damaged("its parts lie outside it");
}

bool BankTable::table() {
  const auto size = static_cast<std::size_t>(header_.table_size);
  table_ = LargeMemory(size, file::alignment, &MemoryHeld::tables);  // not one byte of it is looked at before it was read
  if (!table_.there()) return fail(fmt::format("there is no memory for its table of {} KiB", size >> 10));
  if (!fetch(header_.table_at, table_.bytes())) return false;
  if (file::hash_of(table_.bytes()) != header_.table_hash) return damaged("its table is not what was written");
  if (header_.sections > size / sizeof(file::Section)) return damaged("its table has no room for its sections");
  sections_.resize(header_.sections);
  if (!sections_.empty()) std::memcpy(sections_.data(), table_.bytes().data(), sections_.size() * sizeof(file::Section));
  return true;
}

bool BankTable::blocks() {
  std::span<const file::Hash> hashes;
  const std::uint64_t size = header_.streams_at - header_.payload_at, streams = header_.file_size - header_.streams_at;
  if (!section(file::Kind::hashes, hashes)) return false;
  const auto blocks = [](std::uint64_t bytes) { return bytes / file::block + (bytes % file::block > 0 ? 1 : 0); };
  if (hashes.size() != blocks(size) + blocks(streams)) return damaged("it has not a hash for each block");
  const auto middle = hashes.begin() + static_cast<std::ptrdiff_t>(blocks(size));
  samples_ = std::make_shared<const BankBlocks>(BankBlocks{whole_, header_.payload_at, header_.streams_at, {hashes.begin(), middle}});
  streams_ = std::make_shared<const BankBlocks>(BankBlocks{whole_, header_.streams_at, header_.file_size, {middle, hashes.end()}});
  return true;
}

}  // namespace tidewater
