#include "author/book/read_gauges.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <set>
#include <string_view>

#include "author/book/in_quotes.hpp"
#include "author/book/keys.hpp"
#include "bank/bank_data.hpp"
#include "base/nearest.hpp"
#include "base/text.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_points = 64;
constexpr double most_of_a_gauge = 1e9;

/// Between which a gauge is, in its unit.
struct Bounds {
  double low, high;
};

std::optional<ReadyGauge> ready_gauge(std::string_view name) {
  const auto found = std::find(ready_gauge_words.begin(), ready_gauge_words.end(), name);
  if (found == ready_gauge_words.end()) return std::nullopt;
  return static_cast<ReadyGauge>(found - ready_gauge_words.begin());
}

/// Where a book needs a number without a unit.
bool read_number(Problems& problems, const toml::table& table, std::string_view key, double& into) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return false;
  const double value = node->is_number() ? node->value_or(HUGE_VAL) : HUGE_VAL;
  if (std::abs(value) <= most_of_a_gauge)
    into = value;
  else
    problems.add(problems.at(*node), fmt::format("'{}' must be a number from -1e9 to 1e9, in the game's own unit", key));
  return true;
}

/// What a ready gauge may be, and how it is written.
struct ReadyWritten {
  double least, most;
  std::string_view example;
};
ReadyWritten written(ReadyGauge gauge) {
  switch (gauge) {
    case ReadyGauge::distance: return {0, 1e5, "\"30 m\""};
    case ReadyGauge::angle: return {0, 180, "\"90 deg\""};
    case ReadyGauge::speed: return {0, 1e4, "\"12 m/s\""};
    case ReadyGauge::height: break;
  }
  return {-1e5, 1e5, "\"120 m\""};
}
std::optional<double> read_ready(ReadyGauge gauge, std::string_view text) {
  const auto value_of = [](const auto& read) -> std::optional<double> {
    if (!read.value) return std::nullopt;
    return read.value->value;
  };
  if (gauge == ReadyGauge::angle) return value_of(read_degrees(text));
  if (gauge == ReadyGauge::speed) return text.ends_with("/s") ? value_of(read_metres(text.substr(0, text.size() - 2))) : std::nullopt;
  const bool below = gauge == ReadyGauge::height && text.starts_with('-');
  std::optional<double> metres = value_of(read_metres(below ? text.substr(1) : text));
  if (metres && below) metres = -*metres;
  return metres;
}

/// The place of a point on its gauge; says what is wrong with it.
std::optional<double> read_place(Problems& problems, const toml::node& node, const std::string& gauge, Bounds bounds) {
  const std::optional<ReadyGauge> ready = ready_gauge(gauge);
  std::optional<double> value;
  if (ready) {
    if (const auto* text = node.as_string()) value = read_ready(*ready, text->get());
    if (!value) problems.add(problems.at(node), fmt::format("{} is written with its unit, such as {}", gauge, written(*ready).example));
  } else {
    if (node.is_number()) value = node.value_or(0.0);
    if (!value || !std::isfinite(*value)) {
      problems.add(problems.at(node), fmt::format("a point begins with what '{}' is there: a number, in the game's own unit", gauge));
      return std::nullopt;
    }
  }
  if (value && (*value < bounds.low || *value > bounds.high)) {
    problems.add(problems.at(node), fmt::format("{} is never {}: it goes from {} to {}", gauge, gauge_text(gauge, *value),
                                                gauge_text(gauge, bounds.low), gauge_text(gauge, bounds.high)));
    return std::nullopt;
  }
  return value;
}

template <class Unit>
std::optional<double> take(Problems& problems, const toml::node& node, const Read<Unit>& read, std::string_view bends) {
  if (read.value) return read.value->value;
  problems.add(problems.at(node), fmt::format("'{}': {}", bends, read.problem));
  return std::nullopt;
}
/// "x1.5": how many times as often.
std::optional<double> read_times_as_often(Problems& problems, const toml::node& node, const std::string& text) {
  double times = -1;
  const char* const end = text.data() + text.size();
  if (text.starts_with('x') && std::from_chars(text.data() + 1, end, times).ptr == end && times >= 0 && times <= most_times_as_often)
    return times;
  problems.add(problems.at(node),
               fmt::format("'cadence': '{}' is not how many times as often as the sound's own cadence, from \"x0\" for not "
                           "at all to \"x{}\", such as \"x1.5\"",
                           text, most_times_as_often));
  return std::nullopt;
}
std::optional<double> read_bent(Problems& problems, const toml::node& node, Bends bends) {
  const std::string_view word = bends_words[static_cast<std::size_t>(bends)];
  const std::string text = node.is_number() ? fmt::format("{}", node.value_or(0.0)) : node.value_or(std::string());
  switch (bends) {
    case Bends::gain: return take(problems, node, read_decibels(text), word);
    case Bends::pitch: return take(problems, node, read_semitones(text), word);
    case Bends::cadence: return read_times_as_often(problems, node, text);
    case Bends::low_pass:
    case Bends::high_pass: break;
  }
  if (text == "none") return 0;
  return take(problems, node, read_hertz(text), word);
}

void read_curve(Problems& problems, const toml::node& node, const std::string& gauge, Bounds bounds, CurveDesign& curve) {
  const std::string_view word = bends_words[static_cast<std::size_t>(curve.bends)];
  constexpr std::array<std::array<std::string_view, 2>, bends_words.size()> examples_of = {{{"\"-12 dB\"", "\"0 dB\""},
                                                                                            {"\"-5 st\"", "\"7 st\""},
                                                                                            {"\"800 Hz\"", "\"none\""},
                                                                                            {"\"none\"", "\"300 Hz\""},
                                                                                            {"\"x0\"", "\"x2\""}}};
  const auto& examples = examples_of[static_cast<std::size_t>(curve.bends)];
  const auto* list = node.as_array();
  if (list == nullptr || list->size() < 2 || list->size() > most_points)
    return problems.add(problems.at(node),
                        fmt::format("'{}' is a list of points, from 2 to {}, such as [[{}, {}], [{}, {}]]{}", word, most_points,
                                    gauge_text(gauge, bounds.low), examples[0], gauge_text(gauge, bounds.high), examples[1],
                                    list == nullptr ? "" : fmt::format("; there {} {}", list->size() == 1 ? "is" : "are", list->size())));
  for (const auto& item : *list) {
    const auto* pair = item.as_array();
    if (pair == nullptr || pair->size() != 2)
      return problems.add(problems.at(item), fmt::format("a point is what '{}' is there, and what '{}' is then: [{}, {}]", gauge, word,
                                                         gauge_text(gauge, bounds.low), examples[0]));
    const auto at = read_place(problems, (*pair)[0], gauge, bounds);
    const auto value = read_bent(problems, (*pair)[1], curve.bends);
    if (!at || !value) return;
    if (!curve.points.empty() && *at <= curve.points.back().gauge)
      return problems.add(problems.at(item),
                          fmt::format("the point at {} comes after the one at {}; put points in order of {}, each at one of its own",
                                      gauge_text(gauge, *at), gauge_text(gauge, curve.points.back().gauge), gauge));
    curve.points.push_back({*at, *value});
  }
}

/// Between what it can be; nothing where there is no such gauge.
std::optional<Bounds> bounds_of(const std::string& gauge, const Book& book) {
  if (const auto ready = ready_gauge(gauge)) return Bounds{written(*ready).least, written(*ready).most};
  const auto found = std::find_if(book.gauges.begin(), book.gauges.end(), [&](const BookGauge& its) { return its.name == gauge; });
  if (found == book.gauges.end()) return std::nullopt;
  return Bounds{found->from, found->to};
}

void read_one(Problems& problems, const toml::table& table, const Book& book, bool whole, std::vector<FollowDesign>& follow) {
  check_keys(problems, table, "what follows a gauge", keys_of("follow"));
  FollowDesign its;
  if (const auto* gauge = text(problems, table, "gauge")) its.gauge = *gauge;
  if (its.gauge.empty()) return problems.add(problems.at(table), "what follows a gauge needs its name, such as gauge = \"throttle\"");
  const auto bounds = bounds_of(its.gauge, book);
  if (!bounds) {
    if (!whole) return;
    std::vector<std::string_view> known(ready_gauge_words.begin(), ready_gauge_words.end());
    for (const BookGauge& gauge : book.gauges) known.emplace_back(gauge.name);
    std::string near = problems.may_look() ? did_you_mean(its.gauge, known) : "";
    return problems.add(problems.at(*table.get("gauge")), fmt::format("there is no gauge '{}'{}", its.gauge,
                                                                      near.empty() ? fmt::format("; add [gauges.{}]", its.gauge) : near));
  }
  follow_rows().read(problems, table, its);
  for (std::size_t b = 0; b < bends_words.size(); ++b)
    if (const toml::node* node = table.get(bends_words[b]))
      read_curve(problems, *node, its.gauge, *bounds, its.curves.emplace_back(CurveDesign{static_cast<Bends>(b), {}}));
  if (its.curves.empty())
    problems.add(problems.at(table), fmt::format("it follows '{}' in nothing; add pitch = [[{}, \"-5 st\"], [{}, \"7 st\"]], or gain, "
                                                 "low-pass, high-pass or cadence",
                                                 its.gauge, gauge_text(its.gauge, bounds->low), gauge_text(its.gauge, bounds->high)));
  const auto bends_gain = [](const CurveDesign& curve) { return curve.bends == Bends::gain; };
  if (its.on && (!std::all_of(its.curves.begin(), its.curves.end(), bends_gain) || ready_gauge(its.gauge)))
    problems.add(problems.at(*table.get("on")), "'on' goes with a gauge of the game that bends the gain of a stem, and nothing else");
  follow.push_back(std::move(its));
}

}  // namespace

std::string gauge_text(std::string_view gauge, double value) {
  const auto ready = ready_gauge(gauge);
  if (!ready) return shortest_digits(value);
  if (*ready == ReadyGauge::angle) return in_quotes(to_text(Degrees{value}));
  const std::string metres = value < 0 ? "-" + to_text(Metres{-value}) : to_text(Metres{value});
  return in_quotes(*ready == ReadyGauge::speed ? shortest_digits(value) + " m/s" : metres);
}

std::string bent_text(Bends bends, double value) {
  switch (bends) {
    case Bends::gain: return to_text(Decibels{value});
    case Bends::pitch: return to_text(Semitones{value});
    case Bends::cadence: return "x" + shortest_digits(value);
    case Bends::low_pass:
    case Bends::high_pass: break;
  }
  return value == 0 ? "none" : to_text(Hertz{value});
}

void read_gauge(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_named(problems, "gauges", key.str(), table, fmt::format("gauge '{}'", key.str()), keys_of("gauges"));
  BookGauge gauge;
  gauge.name = key.str();
  gauge.place = problems.at(key);
  if (ready_gauge(gauge.name))
    return problems.add(gauge.place, fmt::format("{} is there without being told; call the game's own otherwise", gauge.name));
  read_number(problems, table, "from", gauge.from);
  read_number(problems, table, "to", gauge.to);
  gauge.initial = gauge.from;
  read_number(problems, table, "default", gauge.initial);
  gauge_rows().read(problems, table, gauge);
  if (gauge.from >= gauge.to)
    problems.add(gauge.place, fmt::format("gauge '{}' goes from {} to {}; 'to' must be more than 'from'", gauge.name,
                                          shortest_digits(gauge.from), shortest_digits(gauge.to)));
  else if (gauge.initial < gauge.from || gauge.initial > gauge.to)
    problems.add(problems.at(*table.get(table.contains("default") ? "default" : "from")),
                 fmt::format("its default, {}, is not between {} and {}", shortest_digits(gauge.initial), shortest_digits(gauge.from),
                             shortest_digits(gauge.to)));
  if (book.gauges.size() == most_gauges) return problems.add(gauge.place, fmt::format("there are more than {} gauges", most_gauges));
  book.gauges.push_back(std::move(gauge));
}

void read_follow(Problems& problems, const Keys& table, const Book& book, bool whole, std::vector<FollowDesign>& follow) {
  const toml::node* node = table.get("follow");
  if (node == nullptr) return;
  const auto* list = node->as_array();
  const auto is_table = [](const toml::node& item) { return item.is_table(); };
  if (list == nullptr || !std::all_of(list->begin(), list->end(), is_table))
    return problems.add(problems.at(*node),
                        "'follow' is a list of tables: follow = [ { gauge = \"throttle\", pitch = [[0, \"-5 st\"], [1, \"7 st\"]] } ]");
  if (list->size() > most_followed)
    return problems.add(problems.at(*node), fmt::format("'follow' has {} tables; {} is the most", list->size(), most_followed));
  for (const auto& item : *list) read_one(problems, *item.as_table(), book, whole, follow);
}

/// A playback keeps where each gauge of its is.
void check_gauges(Problems& problems, const BookSound& sound) {
  const auto waits = [](const FollowDesign& its) { return its.on.has_value(); };
  for (const BookLayer& layer : sound.layers)
    if ((!sound.track && std::any_of(layer.follow.begin(), layer.follow.end(), waits)) ||
        std::any_of(sound.follow.begin(), sound.follow.end(), waits))
      problems.add(layer.place, "'on' in 'follow' is for the stems of a track: without music there is no bar to wait for");
  std::set<std::string_view> gauges;
  for (const FollowDesign& its : sound.follow) gauges.insert(its.gauge);
  for (const BookLayer& layer : sound.layers)
    for (const FollowDesign& its : layer.follow) gauges.insert(its.gauge);
  if (gauges.size() > most_followed)
    problems.add(sound.place,
                 fmt::format("sound '{}' and its layers follow {} gauges; {} is the most", sound.name, gauges.size(), most_followed));
}

/// What starts again and again comes to an end each time.
void check_cadence(Problems& problems, const toml::node* cadence, const BookSound& sound) {
  const auto follows = [](const FollowDesign& its) {
    return std::any_of(its.curves.begin(), its.curves.end(), [](const CurveDesign& curve) { return curve.bends == Bends::cadence; });
  };
  for (const BookLayer& layer : sound.layers)
    if (std::any_of(layer.follow.begin(), layer.follow.end(), follows))
      problems.add(layer.place, "a cadence is of the whole sound, not of a layer: move what it follows to the sound");
  const bool follows_any = std::any_of(sound.follow.begin(), sound.follow.end(), follows);
  if (cadence == nullptr) {
    if (follows_any)
      problems.add(sound.place,
                   fmt::format("sound '{}' follows a gauge in its cadence, and has none; add cadence = \"500 ms\"", sound.name));
    return;
  }
  if (sound.cadence.low < shortest_cadence)
    problems.add(problems.at(*cadence),
                 fmt::format("a cadence is {} or more from one start to the next; leave it away where it is to start once",
                             to_text(shortest_cadence)));
  for (const BookLayer& layer : sound.layers)
    if (layer.loop.loops())
      problems.add(layer.loop.place, "what has a cadence starts again and again, and what loops never ends; keep one of the two");
}

}  // namespace tidewater
