#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "bank/bank_blocks.hpp"
#include "bank/bank_records.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {

/// A bank file's header and table: all that is checked before a record is looked at. Whatever is wrong ends it, and `problem` has the
/// first that was found.
class BankTable {
 public:
  /// `whole` opens the bank: now, and again for those who stream from it. What it throws is thrown.
  BankTable(std::string_view called, std::function<std::unique_ptr<Bytes>()> whole);

  bool read() { return header() && table() && blocks(); }

  const bank_file::Header& its() const { return header_; }
  const std::string& called() const { return called_; }
  std::string problem() const { return problem_; }
  /// Samples, and files that stream.
  const std::shared_ptr<const BankBlocks>& samples() const { return samples_; }
  const std::shared_ptr<const BankBlocks>& streams() const { return streams_; }

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
    if (size == 0 || its->count > table_.size() / size || its->at > table_.size() - its->count * size)
      return damaged("its section " + std::to_string(static_cast<std::uint32_t>(kind)) + " lies outside its table");
    records.resize(static_cast<std::size_t>(its->count));
    const std::byte* from = table_.data() + its->at;
    for (Record& record : records) {
      // An older writer's are shorter: the rest of it is as if it were not said.
      std::memcpy(static_cast<void*>(&record), from, std::min<std::size_t>(sizeof record, size));
      from += size;
    }
    return true;
  }

 private:
  bool fetch(std::uint64_t at, std::span<std::byte> to);
  bool header();
  bool table();
  bool blocks();

  std::string called_, problem_;
  std::function<std::unique_ptr<Bytes>()> whole_;
  std::unique_ptr<Bytes> bytes_;
  bank_file::Header header_;
  std::vector<std::byte> table_;
  std::vector<bank_file::Section> sections_;
  std::shared_ptr<const BankBlocks> samples_, streams_;
};

}  // namespace tidewater
