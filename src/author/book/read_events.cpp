#include "author/book/read_events.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "author/book/keys.hpp"
#include "bank/fields.hpp"
#include "base/nearest.hpp"
#include "tidewater/units.hpp"

namespace tidewater {
namespace {

/// "a, b or c"
template <class Words>
std::string any_of_these(const Words& words) {
  std::string text;
  std::size_t number = 0;
  for (const auto& word : words) text += fmt::format("{}{}", number++ == 0 ? "" : number == std::size(words) ? " or " : ", ", word);
  return text;
}

/// The verbs of a response. `{ stop = "engine", fade = "2 s" }` has one: `fade` is the time of the stop.
std::vector<Verb> verbs_in(const toml::table& table) {
  std::vector<Verb> verbs;
  for (std::size_t v = 0; v < verb_words.size(); ++v)
    if (table.contains(verb_words[v])) verbs.push_back(static_cast<Verb>(v));
  if (verbs.size() > 1) std::erase(verbs, Verb::fade);
  return verbs;
}

/// Returns the verbs for which `takes(row)` holds, in words.
template <class Takes>
std::string verbs_that(Takes takes) {
  std::vector<std::string_view> verbs;
  for (std::size_t v = 0; v < verb_rows.size(); ++v)
    if (takes(verb_rows[v])) verbs.push_back(verb_words[v]);
  return any_of_these(verbs);
}

/// Returns the keys that only some verbs take, and this verb does: "fade and for".
std::string keys_that_go_with(Verb verb) {
  const VerbRow& row = row_of(verb);
  std::vector<std::string_view> keys;
  if (!row.value.empty()) keys.push_back(row.value);
  if (!row.time.empty()) keys.push_back(row.time);
  if (!row.whom.empty()) keys.push_back("for");
  if (row.on) keys.push_back("on");
  return keys.empty() ? "nothing more than delay, chance and when" : fmt::format("{}", fmt::join(keys, " and "));
}

}  // namespace

EventReader::EventReader(bool whole, Book& book, Problems& problems) : whole_(whole), book_(book), problems_(problems) {
  for (const auto& sound : book.sounds) fade_outs_.emplace(sound.name, sound.fade_out);
}

void EventReader::read(const toml::key& key, const toml::table& table) {
  const auto dotted = check_named(problems_, "events", key.str(), table, fmt::format("event '{}'", key.str()), keys_of("events"));
  dotted_.insert(dotted.begin(), dotted.end());
  if (!dotted.empty() && dotted.size() == table.size()) return;
  BookEvent event{std::string(key.str()), {}, problems_.at(key)};
  const toml::node* list = table.get("responses");
  if (!verbs_in(table).empty()) {
    if (list != nullptr)
      problem(*list, fmt::format("an event has either responses, or {} of its own; move them into the list", any_of_these(verb_words)));
    read_response(table, event);
  } else if (list == nullptr) {
    if (!meant_by_another(table, "start") && !meant_by_another(table, "responses"))
      missing(event.place, fmt::format("event '{}' does nothing; add start = \"a-sound\"", event.name));
  } else {
    read_list(*list, event);
  }
  book_.events.push_back(std::move(event));
}

void EventReader::read_list(const toml::node& list, BookEvent& event) {
  const auto* responses = list.as_array();
  if (responses == nullptr)
    return problem(list, "'responses' must be a list: responses = [ { stop = \"engine\" }, { start = \"gangway\" } ]");
  if (responses->empty())
    return problem(list, "'responses' is empty, so the event does nothing: responses = [ { start = \"gangway\" } ], or take the event out");
  for (const auto& item : *responses) {
    const auto* response = item.as_table();
    if (response == nullptr) {
      problem(item, "a response must be a table, such as { start = \"gangway\" }");
      continue;
    }
    check_keys(problems_, *response, "a response", keys_of("responses"));
    read_response(*response, event);
  }
}

void EventReader::read_response(const toml::table& table, BookEvent& event) {
  BookResponse response;
  response.place = problems_.at(table);
  const std::vector<Verb> verbs = verbs_in(table);
  if (verbs.empty())
    return problem(table, fmt::format("a response needs start = \"a-sound\", or another verb: {}", fmt::join(verb_words, ", ")));
  if (verbs.size() > 1)
    return problem(
        table, fmt::format("one response cannot both {} and {}; make them two in responses = [...]", word_of(verbs[0]), word_of(verbs[1])));
  response.verb = verbs.front();
  const std::string_view verb = word_of(response.verb);
  if (const auto* target = text(problems_, table, verb)) {
    response.target = *target;
    response.place = problems_.at(*table.get(verb));
    if (!is_of_other_kind(response)) named_.push_back({row_of(response.verb).target, *target, response.place});
  }
  check_keys_of(table, response.verb);
  if (row_of(response.verb).time == "fade")
    if (const auto sound = fade_outs_.find(response.target); sound != fade_outs_.end()) response.time = sound->second;
  response_rows().read(problems_, table, response);
  if (const std::string_view key = row_of(response.verb).time; !key.empty())
    read_quantity(problems_, table, key, read_seconds, response.time);
  if (double chance = 1; read_quantity(problems_, table, "chance", read_share, chance)) response.left_out = 1 - chance;
  read_value(table, response);
  read_whom(table, response);
  read_when(table, response);
  event.responses.push_back(std::move(response));
}

/// Reports a verb for sounds whose target is a track, or the other way round.
bool EventReader::is_of_other_kind(const BookResponse& response) {
  const auto found =
      std::find_if(book_.sounds.begin(), book_.sounds.end(), [&](const BookSound& its) { return its.name == response.target; });
  if (found == book_.sounds.end() || !response.acts_on_sound()) return false;
  const bool plays = response.verb == Verb::play;
  if (plays == found->track.has_value() || response.verb == Verb::fade) return false;
  problems_.add(
      response.place,
      plays ? fmt::format("'{0}' is a sound: {{ start = \"{0}\" }} starts it; what is played is a track, [tracks.NAME]", response.target)
            : fmt::format("'{0}' is a track: {{ play = \"{0}\" }} begins it, {{ leave = \"{1}\" }} ends it, and its scope pauses it",
                          response.target, found->track->stand_name()));
  return true;
}

/// Reports keys of a response that its verb does not take.
void EventReader::check_keys_of(const toml::table& table, Verb verb) {
  const auto check = [&](std::string_view key, auto takes) {
    if (!table.contains(key) || takes(row_of(verb)) || key == word_of(verb)) return;
    problem(*table.get(key), fmt::format("a {} goes with {}; a {} takes {}", key, verbs_that(takes), word_of(verb),
                                         verb == Verb::start && key == "fade" ? "the sound's fade-in" : keys_that_go_with(verb)));
  };
  for (const std::string_view key : {"fade", "over"}) check(key, [&](const VerbRow& row) { return row.time == key; });
  for (const std::string_view key : {"gain", "to"}) check(key, [&](const VerbRow& row) { return row.value == key; });
  check("for", [](const VerbRow& row) { return !row.whom.empty(); });
  check("on", [](const VerbRow& row) { return row.on; });
}

void EventReader::read_value(const toml::table& table, BookResponse& response) {
  const VerbRow& row = row_of(response.verb);
  if (row.value.empty()) return;
  const toml::node* node = table.get(row.value);
  const bool gauge = row.target == TargetKind::gauge;
  if (node == nullptr) {
    if (row.value_is_needed)
      missing(response.place, fmt::format("a {0} needs {1} = {2}: what the {3} becomes", word_of(response.verb), row.value,
                                          gauge ? "0.5" : "\"-6 dB\"", gauge ? "gauge" : "level"));
    return;
  }
  if (gauge) {
    const double value = node->is_number() ? node->value_or(HUGE_VAL) : HUGE_VAL;
    if (!(std::abs(value) <= bank_file::most_of_a_gauge))
      return problem(*node, "'to' must be a number from -1e9 to 1e9, in the gauge's own unit");
    const auto its = std::find_if(book_.gauges.begin(), book_.gauges.end(), [&](const BookGauge& g) { return g.name == response.target; });
    if (its != book_.gauges.end() && (value < its->from || value > its->to))
      return problem(*node, fmt::format("'{}' is never {:g}: it goes from {:g} to {:g}", its->name, value, its->from, its->to));
    response.value = value;
  } else if (Decibels level; read_quantity(problems_, table, row.value, read_decibels, level)) {
    response.value = level.value;
  }
}

void EventReader::read_whom(const toml::table& table, BookResponse& response) {
  const auto whom = row_of(response.verb).whom;
  if (!table.contains("for") || whom.empty()) return;
  std::vector<std::string_view> words;
  for (const Whom its : whom) words.push_back(whom_words[static_cast<std::size_t>(its)]);
  std::string written;
  read_word(problems_, table, "for", words, written);
  const auto found = std::find(whom_words.begin(), whom_words.end(), written);
  if (found != whom_words.end()) response.whom = static_cast<Whom>(found - whom_words.begin());
}

void EventReader::read_when(const toml::table& table, BookResponse& response) {
  constexpr std::string_view example = "when = { surface = \"steel\" }, or when = { surface = [\"steel\", \"planks\"] }";
  const toml::node* node = table.get("when");
  if (node == nullptr) return;
  const auto* traits = node->as_table();
  if (traits == nullptr || traits->empty()) return problem(*node, fmt::format("'when' names traits and their values: {}", example));
  for (const auto& [trait, values] : *traits) {
    const auto add = [&, name = std::string(trait.str())](const toml::node& value) {
      if (const auto* its = value.as_string(); its != nullptr && !its->get().empty())
        response.when.push_back({name, its->get(), problems_.at(value)});
      else
        problem(value, fmt::format("a value of a trait is text: {}", example));
    };
    if (const auto* list = values.as_array(); list != nullptr && !list->empty())
      for (const auto& value : *list) add(value);
    else
      add(values);
  }
}

}  // namespace tidewater
