#pragma once
/// Numbers for names: groups, gauges, and whatever else a book names and the parts of a manager find by number.

#include <cstddef>
#include <cstdint>
#include <deque>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/ours.hpp"
#include "tidewater/name.hpp"

namespace TIDEWATER_OURS tidewater {

/// Gives each new name the next number, from 0. A name keeps its number for ever.
///
/// Loading a bank has two steps: `plan` tells outside the control lock which numbers the bank's names will have, and `add` gives them those
/// numbers under the lock. Only one bank is loaded at a time, so the plan holds.
class Numbers {
 public:
  static constexpr std::uint32_t none = ~0U;

  explicit Numbers(std::size_t most) : most_(most) { hashes_.reserve(most); }

  std::size_t size() const { return hashes_.size(); }
  /// Returns `none` if the name has no number.
  std::uint32_t find(Name name) const { return find(name.hash()); }
  /// Returns the number of a known name, or the next number. Returns `none` if there is no room.
  std::uint32_t add(std::string_view name);
  /// The text stays where it is: journals point to it.
  const std::string& name(std::uint32_t number) const { return names_[number]; }

  std::vector<std::string_view> all() const { return {names_.begin(), names_.end()}; }

  /// The numbers that names will have after they were added in this order.
  struct Plan {
    std::vector<std::uint32_t> numbers;  ///< of each name, in order
    std::size_t size = 0;                ///< how many names there will be, though there be no room for them
  };
  Plan plan(std::span<const std::string_view> names) const;

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s.each(names_, [&](std::string& name) { s.text(name); });
    if constexpr (State::reading) {
      if (names_.size() > most_) return s.damage();
      hashes_.clear();
      for (const std::string& name : names_) hashes_.push_back(hash_name(name));
    }
  }

 private:
  std::uint32_t find(std::uint64_t hash) const;

  std::size_t most_;
  std::vector<std::uint64_t> hashes_;
  std::deque<std::string> names_;
};

}  // namespace tidewater
