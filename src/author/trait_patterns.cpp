#include "author/trait_patterns.hpp"

#include <sstream>
#include <string_view>

namespace tidewater {

std::regex trait_expression(const std::string& pattern, std::vector<std::string>& traits) {
  std::string expression;
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    const char c = pattern[i];
    const auto close = c == '{' ? pattern.find('}', i) : std::string::npos;
    if (close != std::string::npos) {
      traits.push_back(pattern.substr(i + 1, close - i - 1));
      expression += "([A-Za-z0-9_]+)";
      i = close;
    } else if (c == '*') {
      expression += "[^/]*";
    } else if (c == '?') {
      expression += "[^/]";
    } else {
      if (std::string_view(R"(\^$.|+()[]{})").find(c) != std::string_view::npos) expression += '\\';
      expression += c;
    }
  }
  return std::regex(expression);
}

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
