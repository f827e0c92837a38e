#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "colour.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "progress.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
namespace {

std::string counted(std::size_t count, std::string_view one) { return fmt::format("{} {}{}", count, one, count == 1 ? "" : "s"); }

void print_json(const std::vector<Problem>& problems, const std::vector<Advice>& advice) {
  auto list = nlohmann::ordered_json::array();
  for (const auto& p : problems)
    list.push_back({{"file", p.place.file}, {"line", p.place.line}, {"column", p.place.column}, {"message", p.message}});
  for (const auto& a : advice)
    list.push_back({{"file", a.place.file},
                    {"line", a.place.line},
                    {"column", a.place.column},
                    {"message", a.message},
                    {"advice", a.kind},
                    {"about", a.about}});
  say("{}\n", list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
}

std::string place_of(const FilePlace& place) {
  return place.line == 0 ? fmt::format("{}:", place.file) : fmt::format("{}:{}:{}:", place.file, place.line, place.column);
}

/// What a kind's line stands for: " (the worst of 38; then 'gull' at line 14, 'horn' at line 20)".
std::string the_others(const std::vector<const Advice*>& found) {
  constexpr std::size_t named = 3;
  if (found.size() < 2) return {};
  std::string text;
  std::set<std::string> known;  // several keys of one sound are named once
  for (std::size_t i = 0; i < found.size() && known.size() <= named; ++i) {
    const std::string its =
        fmt::format("'{}'{}", found[i]->about, found[i]->place.line == 0 ? "" : fmt::format(" at line {}", found[i]->place.line));
    if (known.insert(its).second && i > 0) text += (text.empty() ? "" : ", ") + its;
  }
  if (text.empty()) return fmt::format(" (and {} more of it)", found.size() - 1);
  const bool alike = found.front()->weight == found.back()->weight;
  return fmt::format(" (the {} of {}; then {})", alike ? "first" : "worst", found.size(), text);
}

/// A line for each kind, or for each piece. Returns the first kind of which something was left out, or nothing.
std::string_view print_advice(const Colours& colours, const std::vector<Advice>& advice, bool all) {
  std::string_view left_out;
  for (const auto& kind : advice_kinds()) {
    const std::vector<const Advice*> found = worst_first(advice, kind.kind);
    for (std::size_t i = 0; i < (all ? found.size() : std::min<std::size_t>(1, found.size())); ++i)
      say("{} {} {}{}\n", colours.faint(place_of(found[i]->place)), colours.fair(fmt::format("{}:", kind.kind)), found[i]->message,
          all ? "" : colours.faint(the_others(found)));
    if (left_out.empty() && !all && found.size() > 1) left_out = kind.kind;
  }
  return left_out;
}

std::size_t clips_in(const Book& book) {
  std::set<std::string> clips;
  for (const auto& sound : book.sounds) sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
  return clips.size();
}

/// "17 sounds", or "16 sounds, 2 tracks".
std::string of_sounds(const Book& book) {
  std::size_t sounds = 0, tracks = 0;
  for (const BookSound& its : book.sounds)
    if (its.ending_of.empty()) ++(its.track ? tracks : sounds);
  return counted(sounds, "sound") + (tracks > 0 ? ", " + counted(tracks, "track") : "");
}

void print_report(const CheckCall& call, const ReadBook& read, const Checked& checked) {
  const Colours colours;
  for (const auto& problem : read.problems)
    say("{} {} {}\n", colours.faint(place_of(problem.place)), colours.bad("problem:"), problem.message);
  if (!read.problems.empty() && !checked.advice.empty()) say("\n");
  const std::string_view left_out = print_advice(colours, checked.advice, call.all || !call.only.empty());
  if (!read.problems.empty() || !checked.advice.empty()) say("\n");

  std::string advice;
  if (!checked.advice.empty()) advice = fmt::format("{} piece{} of advice", checked.advice.size(), checked.advice.size() == 1 ? "" : "s");
  if (checked.accepted > 0) advice += fmt::format("{}{} accepted", advice.empty() ? "advice: " : ", ", checked.accepted);
  const Book& book = read.book;
  if (read.problems.empty())
    say("{}: {}: {}, {}, {}, {}{}{}\n", call.book, colours.good("good"), counted(book.events.size(), "event"), of_sounds(book),
        counted(clips_in(book), "clip"), counted(book.groups.size(), "group"), advice.empty() ? "" : "; ", advice);
  else
    say("{}: {}{}{}\n", call.book, colours.bad(counted(read.problems.size(), "problem")), advice.empty() ? "" : ", ", advice);
  if (!left_out.empty()) say("The worst of each kind. All: --all; one kind: --only {}\n", left_out);
}

}  // namespace

int check(const CheckCall& call) {
  ReadBook read = read_book(call.book);
  if (read.book.file.empty()) throw Error(to_text(read.problems.front()));
  Progress progress("Measuring clips");
  Checked checked = check_clips(read.book, [&](std::size_t done, std::size_t all) { progress.show(done, all); });
  progress.clear();
  for (auto& problem : checked.problems) read.problems.push_back(std::move(problem));
  if (read.problems.empty()) read.problems = check_packing(read.book);
  if (!call.only.empty())
    std::erase_if(checked.advice,
                  [&](const Advice& piece) { return std::find(call.only.begin(), call.only.end(), piece.kind) == call.only.end(); });
  if (call.json)
    print_json(read.problems, checked.advice);
  else
    print_report(call, read, checked);
  return read.problems.empty() && (!call.strict || checked.advice.empty()) ? fine : bad_input;
}

}  // namespace tidewater::tool
