#include "author/book/read_limits.hpp"

#include <fmt/format.h>

#include <cstddef>
#include <map>
#include <string_view>

namespace tidewater {
namespace {

/// The most groups with a limit in one another. A start obeys the limit of its sound and these: see `most_limits` in
/// src/voices/verdict.hpp.
constexpr std::size_t most_in_one_another = 3;

}  // namespace

void check_limit(Problems& problems, const Keys& table) {
  if (table.contains("when-full") && !table.contains("limit"))
    problems.add(problems.at(*table.get("when-full")), "'when-full' goes with a limit, such as limit = 3");
}

void check_group_limits(Problems& problems, const Book& book) {
  std::map<std::string_view, std::size_t> limits;  // of each group and those above it
  for (const BookGroup& group : book.groups) {
    const auto above = limits.find(group.parent);
    const std::size_t count = (above == limits.end() ? 0 : above->second) + (group.limit > 0 ? 1 : 0);
    limits[group.name] = count;
    if (count > most_in_one_another && group.limit > 0)
      problems.add(group.place, fmt::format("group '{}' has a limit, and so have {} groups above it; {} groups in one another is the most: "
                                            "leave out one of the limits",
                                            group.name, count - 1, most_in_one_another));
  }
}

}  // namespace tidewater
