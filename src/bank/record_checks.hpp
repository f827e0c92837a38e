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
#include "base/text.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// What every reader of a table's records asks of them. Whatever is wrong ends it, and the table has the problem.
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
  bool number(double value, double low, double high, const char* what) {
    return (value >= low && value <= high) || damaged(fmt::format("a {} is {}", what, value));
  }
  bool index(std::uint64_t value, std::uint64_t count, const char* what) {
    return value < count || damaged(fmt::format("a {} is number {} of {}", what, value, count));
  }
  template <class Unit>
  bool range(const bank_file::Span& from, Range<Unit>& to, double low, double high, const char* what) {
    to = {Unit{from.low}, Unit{from.high}};
    if (!number(from.low, low, high, what) || !number(from.high, low, high, what)) return false;
    return from.low <= from.high || damaged(fmt::format("a range of {} is the wrong way round", what));
  }
  /// Silence counts.
  bool gain(double value) { return value == -HUGE_VAL || number(value, -most_decibels, most_decibels, "gain"); }
  bool gains(const bank_file::Span& from, Range<Decibels>& to) {
    to = {{from.low}, {from.high}};
    return gain(from.low) && gain(from.high) && (from.low <= from.high || damaged("a range of gains is the wrong way round"));
  }
  template <class Enum>
  bool word(std::uint32_t value, std::size_t count, Enum& to, const char* what) {
    to = static_cast<Enum>(value);
    return index(value, count, what);
  }

  // Far beyond what a book can say, and harmless.
  static constexpr double most_decibels = 300, most_semitones = 120, most_seconds = 1e6, most_hertz = 1e6, most_metres = 1e6;
  static constexpr double most_of_a_gauge = 1e9;
  static constexpr std::size_t most_points = 64, most_gauges = 64;
  static constexpr std::uint32_t longest_text = 4096;
  static constexpr std::uint64_t most_text_a_byte = 8;  // of a table's bytes

  BankTable& table_;
  std::span<const char> texts_;
  std::uint64_t texts_taken_ = 0;
};

}  // namespace tidewater
