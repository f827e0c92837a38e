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
#include "base/large_memory.hpp"
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

  /// The records of a kind, in place, as long as this lives; none where there are none.
  template <class Record>
  bool section(bank_file::Kind kind, std::span<const Record>& records) {
    static_assert(std::is_trivially_copyable_v<Record>);
    const auto its = std::find_if(sections_.begin(), sections_.end(), [&](const bank_file::Section& s) { return s.kind == kind; });
    if (its == sections_.end()) return true;
    const std::uint64_t size = its->record_size, all = header_.table_size;
    if (size == 0 || its->count > all / size || its->at > all - its->count * size)
      return damaged("its section " + std::to_string(static_cast<std::uint32_t>(kind)) + " lies outside its table");
    const std::byte* const from = table_.bytes().data() + its->at;
    const auto count = static_cast<std::size_t>(its->count);
    if (size == sizeof(Record) && reinterpret_cast<std::uintptr_t>(from) % alignof(Record) == 0) {
      records = {reinterpret_cast<const Record*>(from), count};
      return true;
    }
    // An older writer's are shorter, and the rest of them is as if it were not said; a later one's are longer.
    auto copies = std::make_shared<std::vector<Record>>(count);
    for (std::size_t i = 0; i < count; ++i)
      std::memcpy(static_cast<void*>(&(*copies)[i]), from + i * size,
                  std::min<std::size_t>(sizeof(Record), static_cast<std::size_t>(size)));
    records = *copies;
    copies_.push_back(std::move(copies));
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
  LargeMemory table_;
  std::vector<std::shared_ptr<const void>> copies_;  ///< of records that are not as long as here
  std::vector<bank_file::Section> sections_;
  std::shared_ptr<const BankBlocks> samples_, streams_;
};

}  // namespace tidewater
