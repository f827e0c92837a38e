#include "base/nearest.hpp"

#include <algorithm>
#include <cctype>
#include <numeric>

namespace tidewater {
namespace {

constexpr std::size_t longest_compared = 128;  // names are short; hostile input must not cost a quadratic wait

std::string folded(std::string_view text) {
  std::string out(text.substr(0, longest_compared));
  for (char& c : out) c = (c == '-' || c == '_' || c == ' ') ? '.' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

/// Letters that were left out, put in, changed, or swapped with their neighbour (F. J. Damerau, 'A technique for computer detection and
/// correction of spelling errors', 1964; each place is mended once).
std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::size_t> before(b.size() + 1), row(b.size() + 1), next(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    next[0] = i + 1;
    for (std::size_t j = 0; j < b.size(); ++j) {
      next[j + 1] = std::min({row[j] + (a[i] == b[j] ? 0 : 1), row[j + 1] + 1, next[j] + 1});
      if (i > 0 && j > 0 && a[i] == b[j - 1] && a[i - 1] == b[j]) next[j + 1] = std::min(next[j + 1], before[j - 1] + 1);
    }
    before.swap(row);
    row.swap(next);
  }
  return row.back();
}

/// The number of letters that two words share at the beginning and at the end.
std::size_t in_common(const std::string& a, const std::string& b) {
  const std::size_t most = std::min(a.size(), b.size());
  std::size_t first = 0, last = 0;
  while (first < most && a[first] == b[first]) ++first;
  while (first + last < most && a[a.size() - 1 - last] == b[b.size() - 1 - last]) ++last;
  return first + last;
}

}  // namespace

std::string nearest_name(std::string_view wrong, const std::vector<std::string_view>& known) {
  const std::string asked = folded(wrong);
  std::string_view best;
  std::size_t least = std::max<std::size_t>(1, asked.size() / 3) + 1, most_in_common = 0;
  for (const auto name : known) {
    const std::string its = folded(name);
    const std::size_t d = distance(asked, its);
    if (d > least || (d == least && best.empty())) continue;
    const std::size_t common = in_common(asked, its);
    if (d == least && common <= most_in_common) continue;
    least = d;
    most_in_common = common;
    best = name;
  }
  return std::string(best);
}

std::string did_you_mean(std::string_view wrong, const std::vector<std::string_view>& known) {
  const auto name = nearest_name(wrong, known);
  return name.empty() || name == wrong ? "" : "; did you mean '" + name + "'?";
}

}  // namespace tidewater
