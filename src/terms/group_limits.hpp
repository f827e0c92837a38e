#pragma once
#include <cstdint>
#include <string_view>
#include <vector>

#include "base/most_groups.hpp"
#include "tidewater/design.hpp"

namespace tidewater {

/// The limits of volume groups: the most playbacks of a group, and of all groups below it, at once.
struct GroupLimits {
  static constexpr std::uint32_t none = ~0U;

  struct Group {
    std::uint32_t limit = 0;  ///< 0 for any number
    WhenFull when_full = WhenFull::oldest;
    std::uint32_t own = none;    ///< the nearest group with a limit: this one, or one above it
    std::uint32_t above = none;  ///< of a group with a limit: the next one above it that has a limit
    std::string_view name;
  };
  std::vector<Group> groups;  ///< by the group's number
  bool any = false;

  /// The nearest group with a limit that holds for playbacks of `group`; `none` if there is none.
  std::uint32_t own(std::uint32_t group) const { return any ? groups[group].own : none; }
  /// Calls `act(number)` for each group whose limit holds for playbacks of `group`, the nearest first.
  template <class Act>
  void each_over(std::uint32_t group, Act act) const {
    for (std::uint32_t at = groups[group].own; at != none; at = groups[at].above) act(at);
  }
  /// Whether the limit of `limited` holds for playbacks of `group`.
  bool holds_for(std::uint32_t limited, std::uint32_t group) const {
    std::uint32_t at = groups[group].own;
    while (at != none && at != limited) at = groups[at].above;
    return at != none;
  }
};

}  // namespace tidewater
