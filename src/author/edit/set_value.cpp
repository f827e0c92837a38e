#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <utility>

#include "author/book/in_quotes.hpp"
#include "author/book/tables.hpp"
#include "author/edit/toml_places.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

std::string as_key(std::string_view name) { return is_bare(name) ? std::string(name) : in_basic_quotes(name); }

std::string_view key_at(const BookStep& step) {
  const auto* key = std::get_if<std::string>(&step);
  return key == nullptr ? std::string_view() : std::string_view(*key);
}

/// The last key on the way to the node at this depth.
std::string_view key_to(const BookPath& path, std::size_t depth) { return depth == 0 ? std::string_view() : key_at(path[depth - 1]); }

[[noreturn]] void refuse(const BookPath& path, std::string_view why) { throw Error(fmt::format("{}: {}", to_text(path), why)); }

const toml::node* child(const toml::node& node, const BookStep& step) {
  if (const auto* key = std::get_if<std::string>(&step)) return node.is_table() ? node.as_table()->get(*key) : nullptr;
  return node.is_array() ? node.as_array()->get(std::get<std::size_t>(step)) : nullptr;
}

/// The nodes on the way, the top first, as far as there are any.
std::vector<const toml::node*> way(const TomlPlaces& places, const BookPath& path) {
  std::vector<const toml::node*> nodes{&places.root()};
  for (const BookStep& step : path) {
    const toml::node* next = child(*nodes.back(), step);
    if (next == nullptr) break;
    nodes.push_back(next);
  }
  return nodes;
}

std::string replaced(std::string_view text, std::size_t from, std::size_t to, std::string_view by) {
  return fmt::format("{}{}{}", text.substr(0, from), by, text.substr(to));
}

// The proof: all values of a text by their paths, compared before and after.

using Flat = std::vector<std::pair<std::string, std::string>>;

void flatten(const toml::node& node, const std::string& path, Flat& all) {
  if (const auto* table = node.as_table()) {
    if (table->empty()) all.emplace_back(path, "{}");
    for (const auto& [key, value] : *table) flatten(value, path + "/" + as_key(key.str()), all);
  } else if (const auto* list = node.as_array()) {
    all.emplace_back(path, "list");
    for (std::size_t i = 0; i < list->size(); ++i) flatten((*list)[i], fmt::format("{}/{}", path, i), all);
  } else {
    std::ostringstream out;
    node.visit([&](const auto& its) {
      if constexpr (toml::is_value<decltype(its)>) out << its;
    });
    all.emplace_back(path, out.str());
  }
}

Flat flat(std::string_view text) {
  Flat all;
  flatten(parsed_toml(text), "", all);
  return all;
}

std::string flat_path(const BookPath& path) {
  std::string all;
  for (const BookStep& step : path)
    all += std::holds_alternative<std::string>(step) ? "/" + as_key(std::get<std::string>(step))
                                                     : fmt::format("/{}", std::get<std::size_t>(step));
  return all;
}

/// Without the values at the path. A table above it that was empty before, or is now, makes no difference.
Flat without(Flat all, const std::string& path) {
  std::erase_if(all, [&](const auto& its) {
    return its.first == path || its.first.starts_with(path + "/") || (its.second == "{}" && path.starts_with(its.first + "/"));
  });
  return all;
}

/// Without one item of a list. Those behind it count one less.
Flat without_item(Flat all, const std::string& list, std::size_t item) {
  all = without(std::move(all), fmt::format("{}/{}", list, item));
  for (auto& [path, value] : all) {
    if (!path.starts_with(list + "/")) continue;
    const std::size_t digits = list.size() + 1, end = std::min(path.find('/', digits), path.size());
    const std::size_t number = std::stoul(path.substr(digits, end - digits));
    if (number > item) path.replace(digits, end - digits, fmt::format("{}", number - 1));
  }
  return all;
}

/// Returns the new text if it says the same as the old in all but the path, and there the value.
std::string proved(std::string_view before, std::string after, const BookPath& path, const std::string& value) {
  const std::string its = flat_path(path);
  const Flat now = flat(after);
  if (without(flat(before), its) != without(now, its)) refuse(path, "the edit would have changed something else, too");
  Flat there, wanted;
  for (const auto& one : now)
    if (one.first == its || one.first.starts_with(its + "/")) there.push_back(one);
  flatten(*parsed_toml("x = " + value).get("x"), its, wanted);
  if (there != wanted) refuse(path, "the edit would not have had the value that was asked for");
  return after;
}

/// Returns the new text if it says the same as the old, except for the value that was taken out.
std::string proved_without(std::string_view before, std::string after, const BookPath& path) {
  const auto* item = std::get_if<std::size_t>(&path.back());
  const std::string its = flat_path(path), list = flat_path(BookPath(path.begin(), path.end() - 1));
  const Flat wanted = item == nullptr ? without(flat(before), its) : without_item(flat(before), list, *item);
  Flat now = flat(after);
  if (item == nullptr) now = without(std::move(now), its);
  if (now != wanted) refuse(path, "the edit would have changed something else, too");
  if (item == nullptr && value_text(after, path)) refuse(path, "the edit would not have taken it out");
  return after;
}

// Where a new key goes.

/// "key = value" with its equals sign under the neighbour's, if that is far enough to the right.
std::string as_line(const TomlPlaces& places, std::string_view key, std::string_view value, const Spot* neighbour) {
  if (neighbour == nullptr) return fmt::format("{} = {}", key, value);
  const std::string_view before = places.text().substr(neighbour->from, neighbour->value - neighbour->from);
  const auto equals = before.rfind('=');
  std::string line(key);
  if (equals > key.size() && before[equals - 1] == ' ')
    line.append(equals - key.size(), ' ');
  else if (before[equals - 1] == ' ')
    line += ' ';
  return fmt::format("{}={}{}", line, before.substr(equals + 1), value);
}

std::string dotted(const BookPath& path, std::span<const BookStep> keys) {
  std::string all;
  for (const BookStep& step : keys) {
    if (!std::holds_alternative<std::string>(step)) refuse(path, "there is no such list; give the whole list");
    all += (all.empty() ? "" : ".") + as_key(std::get<std::string>(step));
  }
  return all;
}

/// Begin of the line, if nothing but spaces stands there.
std::string indent_of(const TomlPlaces& places, const Spot& spot) {
  const std::size_t begin = places.line_begin(spot.from);
  const std::string_view indent = places.text().substr(begin, spot.from - begin);
  return indent.find_first_not_of(" \t") == std::string_view::npos ? std::string(indent) : std::string();
}

/// Behind the head or the last fitting key of a table that has lines of its own.
std::string insert_line(const TomlPlaces& places, const toml::table& table, std::string_view first, std::string_view keys,
                        std::string_view value, std::span<const std::string_view> order) {
  const auto spots = places.spots_of(table);
  const auto rank = [&](std::string_view key) { return std::find(order.begin(), order.end(), key) - order.begin(); };
  const bool known = rank(first) < static_cast<std::ptrdiff_t>(order.size());
  const Spot* after = nullptr;
  for (const Spot& spot : spots)
    if (!known || rank(spot.name) <= rank(first)) after = &spot;
  const Spot* neighbour = after != nullptr ? after : spots.empty() ? nullptr : &spots.front();
  const std::string indent = neighbour == nullptr ? std::string() : indent_of(places, *neighbour);
  const std::string line = indent + as_line(places, keys, value, neighbour), line_break(places.line_break());
  std::size_t at = 0;
  if (after != nullptr) {
    at = places.line_end(after->end);
  } else if (&table != &places.root()) {
    at = places.line_end(places.begin_of(table));
  } else {
    // Before all heads: before the first key of the top, or else before the first head.
    const std::size_t before = spots.empty() ? places.first_head() : spots.front().from - indent.size();
    const bool alone = spots.empty() && before < places.text().size();
    return replaced(places.text(), before, before, line + line_break + (alone ? line_break : ""));
  }
  if (at == places.text().size()) return std::string(places.text()) + line_break + line;
  return replaced(places.text(), at + 1, at + 1, line + line_break);
}

/// Into braces or brackets, behind the last that is in them.
std::string insert_between(const TomlPlaces& places, const toml::node& of, const std::vector<Spot>& spots, const std::string& item) {
  if (!spots.empty()) return replaced(places.text(), spots.back().end, spots.back().end, ", " + item);
  return replaced(places.text(), places.begin_of(of), places.end_of(of), of.is_table() ? "{ " + item + " }" : "[" + item + "]");
}

/// A table of its own behind all else.
std::string add_table(const TomlPlaces& places, const BookPath& path, const std::string& table, std::string_view value) {
  const std::string_view line_break = places.line_break();
  std::string after(places.text());
  if (!after.empty() && after.back() != '\n') after += line_break;
  if (!after.empty()) after += line_break;
  return after + fmt::format("[{}]{}{} = {}{}", table, line_break, as_key(key_at(path.back())), value, line_break);
}

/// The new text with a key or item that was not there. `nodes` is the way as far as it goes.
std::string inserted(const TomlPlaces& places, const BookPath& path, const std::vector<const toml::node*>& nodes, const std::string& value,
                     std::span<const std::string_view> order) {
  std::size_t depth = nodes.size() - 1;
  const auto how = [&](std::size_t d) { return places.form_of(*nodes[d], key_to(path, d)); };
  if (const auto* list = nodes[depth]->as_array()) {
    if (how(depth) != TableForm::in_line) refuse(path, "each item of this list has a head of its own; add one with an editor");
    const auto* index = std::get_if<std::size_t>(&path.back());
    if (depth + 1 != path.size() || index == nullptr || *index != list->size())
      refuse(path, fmt::format("the list has {} item{}", list->size(), list->size() == 1 ? "" : "s"));
    return insert_between(places, *list, places.spots_of(*list), value);
  }
  const std::size_t nearest = depth;
  while (nodes[depth]->is_table() && how(depth) == TableForm::dotted) --depth;
  const auto* table = nodes[depth]->as_table();
  if (table == nullptr) refuse(path, "there is a plain value above it");
  const auto rest = std::span(path).subspan(depth);
  const std::string keys = dotted(path, rest);
  if (how(depth) == TableForm::in_line) return insert_between(places, *table, places.spots_of(*table), keys + " = " + value);
  const bool new_table = depth == nearest && (depth == 0 ? rest.size() > 1 : how(depth) == TableForm::implied);
  if (new_table) return add_table(places, path, dotted(path, std::span(path).first(path.size() - 1)), value);
  return insert_line(places, *table, key_at(rest.front()), keys, value, order);
}

}  // namespace

std::string to_text(const BookPath& path) {
  std::string all;
  for (const BookStep& step : path) {
    if (!all.empty()) all += '.';
    all += std::holds_alternative<std::string>(step) ? as_key(std::get<std::string>(step))
                                                     : fmt::format("{}", std::get<std::size_t>(step) + 1);
  }
  return all;
}

std::string set_value(std::string_view text, const BookPath& path, std::string_view value, std::span<const std::string_view> order) {
  if (path.empty()) throw Error("the path to a value is empty");
  const std::string its(value);
  try {
    if (parsed_toml("x = " + its + "\n").size() != 1) refuse(path, fmt::format("'{}' is more than one value", its));
  } catch (const Error&) {
    refuse(path, fmt::format("'{}' is no value as TOML writes one", its));
  }
  const TomlPlaces places(text);
  const auto nodes = way(places, path);
  if (nodes.size() <= path.size()) return proved(text, inserted(places, path, nodes, its, order), path, its);
  const toml::node& node = *nodes.back();
  if (places.form_of(node, key_at(path.back())) != TableForm::in_line) refuse(path, "it is a table of its own, and no value");
  return proved(text, replaced(text, places.begin_of(node), places.end_of(node), value), path, its);
}

std::string remove_value(std::string_view text, const BookPath& path) {
  const TomlPlaces places(text);
  const auto nodes = way(places, path);
  if (path.empty() || nodes.size() <= path.size()) refuse(path, "it is not there");
  const toml::node& node = *nodes.back();
  if (places.form_of(node, key_at(path.back())) != TableForm::in_line) refuse(path, "it is a table of its own, and no value");
  std::size_t depth = path.size() - 1;
  while (nodes[depth]->is_table() && places.form_of(*nodes[depth], key_to(path, depth)) == TableForm::dotted) --depth;
  const toml::node& holder = *nodes[depth];
  const auto spots = holder.is_table() ? places.spots_of(*holder.as_table()) : places.spots_of(*holder.as_array());
  const auto here = std::find_if(spots.begin(), spots.end(), [&](const Spot& spot) { return spot.value == places.begin_of(node); });
  if (here == spots.end()) refuse(path, "its place was not found");
  std::size_t from = here->from, to = here->end;
  if (holder.is_table() && places.form_of(holder, key_to(path, depth)) != TableForm::in_line) {
    from = places.line_begin(from);
    to = std::min(places.line_end(to) + 1, text.size());
  } else if (here + 1 != spots.end()) {
    to = (here + 1)->from;
  } else if (here != spots.begin()) {
    from = (here - 1)->end;
  }
  return proved_without(text, replaced(text, from, to, ""), path);
}

std::optional<std::string> value_text(std::string_view text, const BookPath& path) {
  const TomlPlaces places(text);
  const auto nodes = way(places, path);
  if (nodes.size() <= path.size()) return std::nullopt;
  const std::size_t begin = places.begin_of(*nodes.back());
  return std::string(text.substr(begin, places.end_of(*nodes.back()) - begin));
}

}  // namespace tidewater
