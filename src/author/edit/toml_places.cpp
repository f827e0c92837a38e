#include "author/edit/toml_places.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::string_view byte_order_mark = "\xEF\xBB\xBF";

}  // namespace

toml::table parsed_toml(std::string_view text) {
  try {
    return toml::parse(text);
  } catch (const toml::parse_error& error) {
    throw Error(fmt::format("line {}: {}", error.source().begin.line, error.description()));
  }
}

TomlPlaces::TomlPlaces(std::string_view text)
    : text_(text), root_(parsed_toml(text)), lines_{text.starts_with(byte_order_mark) ? byte_order_mark.size() : 0} {
  for (std::size_t i = 0; i < text.size(); ++i)
    if (text[i] == '\n') lines_.push_back(i + 1);
  note_heads(root_);
}

/// Columns of toml++ count code points.
std::size_t TomlPlaces::byte_at(toml::source_position at) const {
  std::size_t byte = lines_.at(at.line - 1);
  for (auto column = at.column; column > 1 && byte < text_.size(); --column)
    for (++byte; byte < text_.size() && (static_cast<unsigned char>(text_[byte]) & 0xC0U) == 0x80U;) ++byte;
  return byte;
}

/// toml++ does not say how a table was written. A table that is made by dots has the place of its key, and one that a head further down
/// implies has the place of that head.
TableForm TomlPlaces::form_of(const toml::node& node, std::string_view key) const {
  if (&node == &root_) return TableForm::headed;
  if (const auto* table = node.as_table(); table != nullptr && table->is_inline()) return TableForm::in_line;
  const std::size_t begin = begin_of(node);
  if (const auto* list = node.as_array())
    return list->is_array_of_tables() && heads_.contains(begin) ? TableForm::headed : TableForm::in_line;
  if (!node.is_table()) return TableForm::in_line;
  if (!heads_.contains(begin)) return TableForm::dotted;
  return key.empty() || last_name_of_head(begin) == key ? TableForm::headed : TableForm::implied;
}

std::string_view TomlPlaces::line_break() const {
  const auto first = text_.find('\n');
  return first != std::string_view::npos && first > 0 && text_[first - 1] == '\r' ? "\r\n" : "\n";
}

/// Heads are the places of all tables that begin with a bracket, so brackets in texts and lists are never taken for one.
void TomlPlaces::note_heads(const toml::node& node) {
  if (const auto* table = node.as_table()) {
    if (table->is_inline()) return;
    if (table != &root_ && text_[begin_of(node)] == '[') heads_.insert(begin_of(node));
    for (const auto& [key, value] : *table) note_heads(value);
  } else if (const auto* list = node.as_array()) {
    if (list->is_array_of_tables() && !list->front().as_table()->is_inline())
      for (const auto& item : *list) note_heads(item);
  }
}

std::string TomlPlaces::last_name_of_head(std::size_t begin) const {
  std::string head(text_.substr(begin, line_end(begin) - begin));
  if (head.ends_with('\r')) head.pop_back();
  const toml::table alone = parsed_toml(head);
  const toml::node* node = &alone;
  std::string last;
  while (true) {
    if (const auto* list = node->as_array(); list != nullptr && !list->empty()) node = &list->front();
    const auto* table = node->as_table();
    if (table == nullptr || table->empty()) return last;
    last = std::string(table->begin()->first.str());
    node = &table->begin()->second;
  }
}

void TomlPlaces::gather(const toml::table& table, const std::string& first, std::vector<Spot>& spots) const {
  for (const auto& [key, value] : table) {
    const TableForm how = form_of(value, key.str());
    const std::string name = first.empty() ? std::string(key.str()) : first;
    if (how == TableForm::dotted)
      gather(*value.as_table(), name, spots);
    else if (how == TableForm::in_line)
      spots.push_back({byte_at(key.source().begin), begin_of(value), end_of(value), name});
  }
}

std::vector<Spot> TomlPlaces::spots_of(const toml::table& table) const {
  std::vector<Spot> spots;
  gather(table, {}, spots);
  std::sort(spots.begin(), spots.end(), [](const Spot& a, const Spot& b) { return a.value < b.value; });
  // A key with dots begins before its last name: at the begin of its line, or behind what is before it in the braces.
  std::size_t before = table.is_inline() ? begin_of(table) + 1 : 0;
  for (Spot& spot : spots) {
    std::size_t at = table.is_inline() ? before : line_begin(spot.from);
    while (text_[at] == ' ' || text_[at] == '\t' || (table.is_inline() && text_[at] == ',')) ++at;
    if (text_.substr(at).starts_with(byte_order_mark)) at += byte_order_mark.size();
    spot.from = at;
    before = spot.end;
  }
  return spots;
}

std::vector<Spot> TomlPlaces::spots_of(const toml::array& list) const {
  std::vector<Spot> spots;
  for (const auto& item : list) spots.push_back({begin_of(item), begin_of(item), end_of(item), {}});
  return spots;
}

}  // namespace tidewater
