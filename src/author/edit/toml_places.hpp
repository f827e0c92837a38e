#pragma once
/// Where each value of a TOML text stands, in bytes.

#include <toml++/toml.h>

#include <cstddef>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// How a table or list is written. `in_line` is also every plain value: all that stands behind its key. `implied` is a table that only
/// the head of a table below it names.
enum class TableForm { headed, in_line, dotted, implied };

/// Place of a key or an item of a list, in bytes of the text.
struct Spot {
  std::size_t from = 0;   ///< begin of its key, with what stands before its dots; of an item the item itself
  std::size_t value = 0;  ///< begin of its value
  std::size_t end = 0;    ///< behind its value
  std::string name;       ///< the first of its keys; empty for an item
};

/// Throws Error with the line.
toml::table parsed_toml(std::string_view text);

/// A text and what it says. The text must outlive it.
class TomlPlaces {
 public:
  explicit TomlPlaces(std::string_view text);

  std::string_view text() const { return text_; }
  const toml::table& root() const { return root_; }

  std::size_t begin_of(const toml::node& node) const { return byte_at(node.source().begin); }
  std::size_t end_of(const toml::node& node) const { return byte_at(node.source().end); }

  /// `key` is the last on the way to the node; empty for an item of a list.
  TableForm form_of(const toml::node& node, std::string_view key) const;

  /// The keys between a table's head and the next head, or in its braces, in the order of the text. Keys with dots are included.
  std::vector<Spot> spots_of(const toml::table& table) const;
  std::vector<Spot> spots_of(const toml::array& list) const;

  std::size_t first_head() const { return heads_.empty() ? text_.size() : *heads_.begin(); }
  /// Begin of the first head behind this byte; the text's end if there is none.
  std::size_t next_head(std::size_t at) const {
    const auto next = heads_.upper_bound(at);
    return next == heads_.end() ? text_.size() : *next;
  }
  std::size_t line_end(std::size_t at) const { return std::min(text_.find('\n', at), text_.size()); }
  /// Begin of the line that holds this byte.
  std::size_t line_begin(std::size_t at) const { return at == 0 ? 0 : text_.rfind('\n', at - 1) + 1; }
  std::string_view line_break() const;

 private:
  std::size_t byte_at(toml::source_position at) const;
  void note_heads(const toml::node& node);
  std::string last_name_of_head(std::size_t begin) const;
  void gather(const toml::table& table, const std::string& first, std::vector<Spot>& spots) const;

  std::string_view text_;
  toml::table root_;
  std::vector<std::size_t> lines_;  ///< where each begins
  std::set<std::size_t> heads_;     ///< where each "[" of a head stands
};

}  // namespace tidewater
