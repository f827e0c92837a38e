/// Lists what a book is missing, by what happened in recorded sessions.

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <utility>

#include "columns.hpp"
#include "commands.hpp"
#include "journal_lines.hpp"
#include "print.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
namespace {

using Counts = std::map<std::string, std::size_t>;

/// The events that were raised and the sounds that were heard in some sessions.
struct Sessions {
  Counts raised, sounds, clips;
  std::map<std::pair<std::string, std::map<std::string, std::string>>, std::size_t> with_traits;  ///< by event and traits

  void take(const Json& line) {
    const std::string event = text_at(line, "event");
    if (text_at(line, "request") == "raise") {
      ++raised[event];
      events_[text_at(line, "id")] = event;
      std::map<std::string, std::string> traits;
      if (line.contains("traits") && line["traits"].is_object())
        for (const auto& [name, value] : line["traits"].items()) traits[name] = text_of(value);
      if (!traits.empty()) ++with_traits[{event, traits}];
      return;
    }
    if (line.contains("request")) return;
    if (line.contains("outcome") && !event.empty() && events_.try_emplace(text_at(line, "id"), event).second) ++raised[event];
    const bool heard =
        text_at(line, "outcome") == "started" || line.contains("woke") || (line.contains("due") && !line.contains("outcome"));
    if (heard && !text_at(line, "sound").empty()) ++sounds[text_at(line, "sound")];
    if (heard && line.contains("clip")) ++clips[text_at(line, "clip")];
  }
  void begin() { events_.clear(); }

 private:
  std::map<std::string, std::string> events_;  ///< by raise, of this session
};

/// Most frequent first.
std::vector<std::pair<std::string, std::size_t>> by_count(const Counts& counts) {
  std::vector<std::pair<std::string, std::size_t>> sorted(counts.begin(), counts.end());
  std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return sorted;
}

std::string section(const char* title, const char* column, const Counts& counts) {
  if (counts.empty()) return {};
  Table table({column, ">times"});
  for (const auto& [what, count] : by_count(counts)) table.row({what, std::to_string(count)});
  return fmt::format("{}\n\n{}\n", title, table.text());
}

std::string unused(const char* title, const std::vector<std::string>& names) {
  if (names.empty()) return {};
  std::string text = fmt::format("{}\n\n", title);
  for (const std::string& name : names) text += "  " + name + "\n";
  return text + "\n";
}

const BookEvent* find(const Book& book, const std::string& name) {
  const auto its = std::find_if(book.events.begin(), book.events.end(), [&](const BookEvent& event) { return event.name == name; });
  return its == book.events.end() ? nullptr : &*its;
}

/// Whether a layer has clips for a value of one of its traits.
bool has_clips_for(const BookLayer& layer, std::size_t trait, const std::string& value) {
  return std::any_of(layer.choices.begin(), layer.choices.end(), [&](const BookChoice& choice) {
    return trait < choice.values.size() && (choice.values[trait] == value || choice.values[trait] == "*");
  });
}

/// Counts values of traits that have no clips.
Counts otherwise_of(const Book& book, const Sessions& sessions) {
  Counts counts;
  for (const auto& [what, count] : sessions.with_traits) {
    const BookEvent* event = find(book, what.first);
    if (event == nullptr) continue;
    std::set<std::string> told;
    for (const BookResponse& response : event->responses) {
      const auto sound =
          std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& s) { return s.name == response.target; });
      if (!response.starts() || sound == book.sounds.end()) continue;
      for (const BookLayer& layer : sound->layers)
        for (std::size_t t = 0; t < layer.by.size(); ++t)
          if (const auto value = what.second.find(layer.by[t]); value != what.second.end() && !has_clips_for(layer, t, value->second))
            told.insert(fmt::format("{}, {} = {}", sound->name, value->first, value->second));
    }
    for (const std::string& line : told) counts[line] += count;
  }
  return counts;
}

}  // namespace

int missing(const MissingCall& call) {
  const ReadBook read = read_book(call.book);
  if (!read.problems.empty()) throw Error(to_text(read.problems.front()));
  const Book& book = read.book;
  Sessions sessions;
  std::size_t unread = 0;
  for (const std::string& journal : call.journals) {
    sessions.begin();
    unread += JournalLines(journal, call.names).each(true, [&](const Json& line) { sessions.take(line); });
  }

  Counts unknown, placeholders;
  for (const auto& [event, count] : sessions.raised)
    if (find(book, event) == nullptr) unknown[event] = count;
  const std::set<std::string> sketched = placeholders_of(book);
  for (const auto& [clip, count] : sessions.clips)
    if (sketched.contains(clip)) placeholders[clip] = count;
  std::vector<std::string> silent_events, silent_sounds;
  for (const BookEvent& event : book.events)
    if (!sessions.raised.contains(event.name)) silent_events.push_back(event.name);
  for (const BookSound& sound : book.sounds)
    if (!sessions.sounds.contains(sound.name)) silent_sounds.push_back(sound.name);

  const std::string text =
      section("Events that the game raised and the book does not have:", "event", unknown) +
      section("Traits that no clips of a sound are for, so that it played what it has otherwise, or nothing:", "sound and trait",
              otherwise_of(book, sessions)) +
      section("Placeholders that were heard:", "clip", placeholders) + unused("Events of the book that no session raised:", silent_events) +
      unused("Sounds of the book that no session heard:", silent_sounds);
  const std::size_t count = call.journals.size();
  if (text.empty())
    say("{} {}: nothing is missing: every event has its sounds, every sound was started, and no placeholder was heard\n", count,
        count == 1 ? "session" : "sessions");
  else
    say("{}{} {} looked at\n  next       tidewater why JOURNAL --event NAME says what became of an event\n", text, count,
        count == 1 ? "session was" : "sessions were");
  return unread == 0 ? fine : bad_input;
}

}  // namespace tidewater::tool
