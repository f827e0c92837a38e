#pragma once
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "bank/bank_records.hpp"
#include "bank/bank_table.hpp"
#include "bank/fields.hpp"
#include "base/text.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// Checks that every reader of records uses. The first problem ends the reading; the table keeps it.
class RecordChecks {
 protected:
  RecordChecks(BankTable& table, std::span<const char> texts) : table_(table), texts_(texts) {}

  bool fail(const std::string& what) { return table_.fail(what); }
  bool damaged(const std::string& what) { return table_.damaged(what); }
  template <class Record>
  bool section(bank_file::Kind kind, std::span<const Record>& records) {
    return table_.section(kind, records);
  }

  /// Records that others lead to, each led to once and in order: so what is read is never more than what there is.
  template <class Record>
  struct Led {
    std::span<const Record> all;
    std::size_t next = 0;
  };
  template <class Record>
  bool take(const bank_file::Part& part, Led<Record>& from, std::span<const Record>& to) {
    if (part.first != from.next || part.count > from.all.size() - from.next)
      return damaged("a record does not lead to the next of those it needs");
    to = from.all.subspan(from.next, part.count);
    from.next += part.count;
    return true;
  }
  bool text(const bank_file::Text& its, std::string& to) {
    if (its.size > longest_text || its.at > texts_.size() || its.size > texts_.size() - its.at)
      return damaged("a text lies outside the texts");
    // Records may share a text, but a small file must not become a large one in memory.
    texts_taken_ += its.size;
    if (texts_taken_ > most_text_a_byte * table_.its().table_size) return damaged("its records say more than a table of its size can");
    to.assign(texts_.data() + its.at, its.size);
    return true;
  }
  /// True if every item has a name of its own. Items are looked up by name.
  template <class Items>
  bool names_differ(const Items& items, const char* what) {
    std::vector<std::string_view> names;
    names.reserve(items.size());
    for (const auto& item : items) names.emplace_back(item.name);
    std::sort(names.begin(), names.end());
    const auto twice = std::adjacent_find(names.begin(), names.end());
    return twice == names.end() || damaged(fmt::format("two of its {} are called '{}'", what, printable(*twice)));
  }
  bool number(double value, double low, double high, std::string_view key) {
    return (value >= low && value <= high) || damaged(fmt::format("its '{}' is {}", key, value));
  }
  bool number(const bank_file::Span& range, double low, double high, std::string_view key) {
    return number(range.low, low, high, key) && number(range.high, low, high, key) && in_order(range, key);
  }
  bool in_order(const bank_file::Span& range, std::string_view key) {
    return range.low <= range.high || damaged(fmt::format("its '{}' is the wrong way round", key));
  }
  bool index(std::uint64_t value, std::uint64_t count, std::string_view key) {
    return value < count || damaged(fmt::format("its '{}' is number {} of {}", key, value, count));
  }
  /// Silence is a gain, too.
  bool gain(double value, std::string_view key) {
    return value == -HUGE_VAL || number(value, -bank_file::most_decibels, bank_file::most_decibels, key);
  }
  bool gain(const bank_file::Span& range, std::string_view key) {
    return gain(range.low, key) && gain(range.high, key) && in_order(range, key);
  }

  static constexpr std::uint32_t longest_text = 4096;
  static constexpr std::uint64_t most_text_a_byte = 8;  // of a table's bytes

  BankTable& table_;
  std::span<const char> texts_;
  std::uint64_t texts_taken_ = 0;
};

}  // namespace tidewater
