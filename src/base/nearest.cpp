#include "tidewater/nearest.hpp"

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

std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i + 1;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t change = diagonal + (a[i] == b[j] ? 0 : 1);
      diagonal = row[j + 1];
      row[j + 1] = std::min({change, diagonal + 1, row[j] + 1});
    }
  }
  return row.back();
}

}  // namespace

std::string nearest_name(std::string_view wrong, const std::vector<std::string_view>& known) {
  const std::string asked = folded(wrong);
  std::string_view best;
  std::size_t least = std::max<std::size_t>(1, asked.size() / 3) + 1;
  for (const auto name : known) {
    const std::size_t d = distance(asked, folded(name));
    if (d < least) {
      least = d;
      best = name;
    }
  }
  return std::string(best);
}

std::string did_you_mean(std::string_view wrong, const std::vector<std::string_view>& known) {
  const auto name = nearest_name(wrong, known);
  return name.empty() ? "" : "; did you mean '" + name + "'?";
}

}  // namespace tidewater
