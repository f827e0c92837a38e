#pragma once
/// Events, sounds, groups and their clips in one file that a game loads.
///
/// A bank comes from a file that was packed (see tidewater/open_bank.hpp), or in developer builds from `compile(book)` (see
/// tidewater/author/compile.hpp). It never changes once it is made; copies
/// share the same memory, and the memory lives as long as anything plays from it.
///
/// Thread: any, for every call.

#include <cstddef>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/ids.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct BankData;

class Bank {
 public:
  std::string_view name() const;
  /// The target of its book that it was packed for, and the language of its speech; both may be empty.
  std::string_view target() const;
  std::string_view language() const;
  /// Names of the banks that it takes clips from: they are loaded before it. A patch changes the first of them.
  std::vector<std::string_view> bases() const;
  bool is_patch() const;
  /// The rate that all its clips have.
  Hertz rate() const;
  /// Of all that is heard of it. A journal has it, so that a replay can say that a bank is another.
  ContentHash content() const;
  /// Memory that the samples take where all of them are in memory, in bytes.
  std::size_t sample_bytes() const;
  /// How many clips it has.
  std::size_t clips() const;
  /// Names in the order of the book; each is valid while a copy of the bank lives.
  std::vector<std::string_view> events() const;
  std::vector<std::string_view> sounds() const;
  std::vector<std::string_view> groups() const;

 private:
  friend struct BankInside;
  explicit Bank(std::shared_ptr<const BankData> data) : data_(std::move(data)) {}

  std::shared_ptr<const BankData> data_;
};

}  // namespace tidewater
