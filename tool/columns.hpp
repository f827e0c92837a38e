#pragma once
/// Columns of text of any language, for a terminal.

#include <algorithm>
#include <string>
#include <string_view>
#include <vector>

namespace tidewater::tool {

/// Letters of UTF-8 text: what a terminal gives a cell each, as good as always.
inline std::size_t width_of(std::string_view text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; }));
}

/// With spaces behind, to fill a column.
inline std::string padded(std::string_view text, std::size_t width) {
  return std::string(text) + std::string(width - std::min(width, width_of(text)), ' ');
}

/// Rows whose columns are as wide as their widest text. A column whose head begins with '>' stands to the right.
class Table {
 public:
  explicit Table(std::vector<std::string> head) : right_(head.size()) {
    for (std::size_t i = 0; i < head.size(); ++i) {
      right_[i] = head[i].starts_with('>');
      if (right_[i]) head[i].erase(0, 1);
    }
    rows_.push_back(std::move(head));
  }
  void row(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
  bool empty() const { return rows_.size() == 1; }

  /// Lines, each two spaces in, without spaces at their end.
  std::string text() const {
    std::vector<std::size_t> widths(right_.size());
    for (const auto& row : rows_)
      for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], width_of(row[i]));
    std::string out;
    for (const auto& row : rows_) {
      std::string line;
      for (std::size_t i = 0; i < row.size(); ++i) {
        const std::string space(widths[i] - width_of(row[i]), ' ');
        line += "  " + (right_[i] ? space + row[i] : row[i] + space);
      }
      out += line.substr(0, line.find_last_not_of(' ') + 1) + "\n";
    }
    return out;
  }

 private:
  std::vector<bool> right_;
  std::vector<std::vector<std::string>> rows_;
};

}  // namespace tidewater::tool
