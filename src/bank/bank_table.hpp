#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <functional>
#include <memory>
#include <new>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "bank/bank_records.hpp"
#include "bank/bank_streams.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {

/// Memory on a boundary that suits the mixer.
class Aligned {
 public:
  explicit Aligned(std::size_t size)
      : bytes_(static_cast<std::byte*>(::operator new (size, std::align_val_t{bank_file::alignment}, std::nothrow))), size_(size) {}
  ~Aligned() { ::operator delete (bytes_, std::align_val_t{bank_file::alignment}); }
  Aligned(const Aligned&) = delete;
  Aligned& operator=(const Aligned&) = delete;

  bool there() const { return bytes_ != nullptr; }
  std::span<std::byte> bytes() const { return {bytes_, size_}; }

 private:
  std::byte* bytes_;
  std::size_t size_;
};

/// A bank file's header, table and payloads: all that is checked before a record is looked at. Whatever is wrong ends it, and `problem`
/// has the first that was found.
class BankTable {
 public:
  /// `whole` opens the bank: now, and again for those who stream from it. What it throws is thrown.
  BankTable(std::string_view called, std::function<std::unique_ptr<Bytes>()> whole);

  /// Samples that lie in memory already stay there.
  bool read(std::span<const std::byte> in_place) { return header() && table() && payload(in_place); }

  const bank_file::Header& its() const { return header_; }
  const std::string& called() const { return called_; }
  std::string problem() const { return problem_; }
  /// What is in memory: all but streams.
  std::span<const std::byte> payload() const { return payload_; }
  /// That keeps it; null where the game does.
  const std::shared_ptr<Aligned>& memory() const { return memory_; }
  const std::shared_ptr<const BankStreams>& streams() const { return streams_; }

  // Both are false.

  bool fail(const std::string& what);
  bool damaged(const std::string& what);

  /// The records of a kind; none where there are none.
  template <class Record>
  bool section(bank_file::Kind kind, std::vector<Record>& records) {
    static_assert(std::is_trivially_copyable_v<Record>);
    const auto its = std::find_if(sections_.begin(), sections_.end(), [&](const bank_file::Section& s) { return s.kind == kind; });
    if (its == sections_.end()) return true;
    const std::uint64_t size = its->record_size;
    if (size < sizeof(Record) || its->count > table_.size() / size || its->at > table_.size() - its->count * size)
      return damaged("its section " + std::to_string(static_cast<std::uint32_t>(kind)) + " lies outside its table");
    records.resize(static_cast<std::size_t>(its->count));
    const std::byte* from = table_.data() + its->at;
    for (Record& record : records) {
      std::memcpy(static_cast<void*>(&record), from, sizeof record);
      from += size;
    }
    return true;
  }

 private:
  bool fetch(std::uint64_t at, std::span<std::byte> to);
  bool header();
  bool table();
  bool payload(std::span<const std::byte> in_place);

  std::string called_, problem_;
  std::function<std::unique_ptr<Bytes>()> whole_;
  std::unique_ptr<Bytes> bytes_;
  bank_file::Header header_;
  std::vector<std::byte> table_;
  std::vector<bank_file::Section> sections_;
  std::span<const std::byte> payload_;
  std::shared_ptr<Aligned> memory_;
  std::shared_ptr<const BankStreams> streams_;
};

}  // namespace tidewater
