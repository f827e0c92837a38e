#include <fmt/format.h>

#include <algorithm>

#include "author/book/tables.hpp"
#include "base/nearest.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {
namespace {

constexpr std::size_t few = 12;  // keys that a message may list

/// What people write, and what it is called here.
struct Called {
  std::string_view written, here;
};
constexpr Called called[] = {
    {"volume", "gain"},     {"loudness", "level"},     {"file", "clips"},       {"files", "clips"},      {"clip", "clips"},
    {"wav", "clips"},       {"sample", "clips"},       {"samples", "clips"},    {"takes", "clips"},      {"bpm", "tempo"},
    {"sound", "start"},     {"plays", "start"},        {"bus", "group"},        {"category", "group"},   {"channel", "group"},
    {"priority", "rank"},   {"importance", "rank"},    {"interval", "spacing"}, {"rhythm", "cadence"},   {"every", "cadence"},
    {"max", "limit"},       {"polyphony", "limit"},    {"voices", "limit"},     {"instances", "limit"},  {"looping", "loop"},
    {"repeat", "loop"},     {"probability", "chance"}, {"offset", "start-at"},  {"panning", "pan"},      {"cutoff", "low-pass"},
    {"transpose", "pitch"}, {"tune", "pitch"},         {"streaming", "stream"}, {"parent", "group"},     {"group", "parent"},
    {"base", "like"},       {"copy", "like"},          {"extends", "like"},     {"inherits", "like"},    {"order", "pick"},
    {"muted", "mute"},      {"licenses", "licence"},   {"creator", "author"},   {"artist", "author"},    {"by", "author"},
    {"url", "link"},        {"folder", "clips"},       {"path", "clips"},       {"kind", "advice"},      {"why", "reason"},
    {"because", "reason"},  {"actions", "responses"},  {"wait", "delay"},       {"fadeout", "fade-out"}, {"fadein", "fade-in"},
    {"variants", "clips"},  {"sounds", "layers"}};

std::string place_of(std::string_view section) {
  if (section == "book") return "[book]";
  if (section == "layers") return "a layer";
  if (section == "stems") return "a stem";
  if (section == "parts") return "a part of a track";
  if (section == "duck") return "a duck";
  if (section == "from") return "[tracks.NAME.from.OTHER]";
  if (section == "responses") return "a response";
  if (section == "sketch") return "a sketch";
  if (section == "credits" || section == "accepted") return fmt::format("[[{}]]", section);
  return fmt::format("[{}.NAME]", section);
}

/// Where a key belongs, of which another table has none: "; it goes into [book] or [groups.NAME]".
std::string elsewhere(std::string_view key) {
  std::vector<std::string> places;
  for (const auto& known : book_keys())
    if (known.key == key && known.section != "sketch" && known.section != "events") places.push_back(place_of(known.section));
  if (places.empty() || places.size() > 3) return {};
  return fmt::format("; it goes into {}", fmt::join(places, " or "));
}

std::string advice_for(Problems& problems, std::string_view key, const std::vector<std::string_view>& known) {
  const auto is_known = [&](std::string_view name) { return std::find(known.begin(), known.end(), name) != known.end(); };
  for (const auto& [written, here] : called)
    if (key == written && is_known(here)) return fmt::format("; it is called '{}' here", here);
  if (auto place = elsewhere(key); !place.empty()) return place;
  if (!problems.may_look()) return {};
  if (auto near = did_you_mean(key, known); !near.empty()) return near;
  if (known.size() <= few) return fmt::format("; known are {}", fmt::join(known, ", "));
  return fmt::format("; docs/book.md lists the {} that there are", known.size());
}

/// The name that `[events.b.d]` was to give: "b.d". Empty where the table under an unknown key means something else.
std::string dotted(const toml::node& node, std::string name) {
  const auto* table = node.as_table();
  while (table != nullptr && table->size() == 1 && table->begin()->second.is_table() && !table->is_inline()) {
    name += fmt::format(".{}", table->begin()->first.str());
    table = table->begin()->second.as_table();
  }
  return table == nullptr || table->is_inline() ? std::string() : name;
}

}  // namespace

bool meant_by_another(const Keys& table, std::string_view key) {
  return std::any_of(std::begin(called), std::end(called), [&](const Called& c) { return c.here == key && table.contains(c.written); });
}

void check_keys(Problems& problems, const Keys& table, std::string_view what, const std::vector<std::string_view>& known) {
  for (const auto& [name, entry] : table.entries()) {
    const toml::key& key = *entry.key;
    if (std::find(known.begin(), known.end(), key.str()) != known.end()) continue;
    const std::string advice = advice_for(problems, key.str(), known);
    problems.add(problems.at(key), what.empty() ? fmt::format("unknown table '{}'{}", key.str(), advice)
                                                : fmt::format("{} has no key '{}'{}", what, key.str(), advice));
  }
}

std::vector<std::string> check_named(Problems& problems, std::string_view section, std::string_view name, const toml::table& table,
                                     std::string_view what, const std::vector<std::string_view>& known) {
  std::vector<std::string> meant;
  Keys others = table;
  for (const auto& [key, node] : table) {
    if (std::find(known.begin(), known.end(), key.str()) != known.end()) continue;
    const std::string whole = dotted(node, fmt::format("{}.{}", name, key.str()));
    if (whole.empty()) continue;
    problems.add(problems.at(key), fmt::format("a name with a dot needs quotes: [{}.\"{}\"]", section, whole));
    meant.push_back(whole);
    others.erase(key.str());
  }
  check_keys(problems, others, what, known);
  return meant;
}

}  // namespace tidewater
