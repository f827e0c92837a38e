#include "author/book/tables.hpp"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/nearest.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

std::string in_basic_quotes(std::string_view text) {
  // TOML's basic strings have JSON's escapes.
  return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::vector<std::string_view> keys_of(std::string_view section) {
  std::vector<std::string_view> keys;
  for (const auto& key : book_keys())
    if (key.section == section) keys.push_back(key.key);
  return keys;
}

const std::string* text(Problems& problems, const Keys& table, std::string_view key) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return nullptr;
  if (const auto* value = node->as_string()) return &value->get();
  problems.add(problems.at(*node), fmt::format("'{}' must be text in quotes", key));
  return nullptr;
}

bool read_bool(Problems& problems, const Keys& table, std::string_view key, bool& into) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return false;
  const auto* value = node->as_boolean();
  if (value != nullptr)
    into = value->get();
  else
    problems.add(problems.at(*node), fmt::format("'{}' must be true or false, without quotes", key));
  return value != nullptr;
}

void read_word(Problems& problems, const Keys& table, std::string_view key, const std::vector<std::string_view>& words, std::string& into) {
  const auto* word = text(problems, table, key);
  if (word == nullptr) return;
  if (std::find(words.begin(), words.end(), *word) == words.end()) {
    std::string all;
    for (std::size_t i = 0; i < words.size(); ++i)
      all += fmt::format("{}\"{}\"", i == 0 ? "" : i + 1 == words.size() ? " or " : ", ", words[i]);
    problems.add(problems.at(*table.get(key)), fmt::format("'{}' is no {}; write {}", *word, key == "pick" ? "way to pick" : key, all));
    return;
  }
  into = *word;
}

bool read_whole(Problems& problems, const Keys& table, std::string_view key, Range<Whole> bounds, std::string_view which,
                std::int64_t& into) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return false;
  const std::int64_t outside = bounds.low.value - 1;
  const std::int64_t value = node->is_integer() ? node->value_or(outside) : outside;
  const bool good = value >= bounds.low.value && value <= bounds.high.value;
  if (good)
    into = value;
  else
    problems.add(problems.at(*node),
                 fmt::format("'{}' must be a whole number from {} to {}{}", key, bounds.low.value, bounds.high.value, which));
  return good;
}

const toml::node* quantity_text(Problems& problems, const Keys& table, std::string_view key, std::string& written) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return nullptr;
  if (const auto* value = node->as_string())
    written = value->get();
  else if (node->is_number())
    written = fmt::format("{}", node->value_or(0.0));
  else {
    problems.add(problems.at(*node), fmt::format("'{}' must be text with a number and a unit", key));
    return nullptr;
  }
  return node;
}

}  // namespace tidewater
