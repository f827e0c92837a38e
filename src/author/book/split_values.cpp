#include "author/book/split_values.hpp"

#include <sstream>

namespace tidewater {

std::vector<std::string> split_values(const std::string& key) {
  std::vector<std::string> values;
  std::istringstream in(key);
  for (std::string value; std::getline(in, value, ',');) {
    const auto first = value.find_first_not_of(' ');
    const auto last = value.find_last_not_of(' ');
    values.push_back(first == std::string::npos ? "" : value.substr(first, last - first + 1));
  }
  return values;
}

}  // namespace tidewater
