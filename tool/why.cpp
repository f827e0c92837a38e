/// Prints what was heard of each raise in a journal. If nothing was heard, prints the reason and a remedy.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <string_view>

#include "base/nearest.hpp"
#include "colour.hpp"
#include "commands.hpp"
#include "journal_lines.hpp"
#include "print.hpp"
#include "tidewater/error.hpp"
#include "tidewater/units.hpp"

namespace tidewater::tool {
namespace {

/// Returns the remedy for an outcome. Empty if there is none.
std::string_view remedy_for(std::string_view outcome) {
  static const std::map<std::string_view, std::string_view> remedies = {
      {"already-playing", "set its retrigger to \"overlap\" or \"restart\", or stop it first"},
      {"too-soon", "raise it later, or shorten its spacing"},
      {"limit-reached", "raise that limit, or set its when-full to \"oldest\" or \"quietest\", so that another one gives way"},
      {"left-out", "raise the chance, or raise the event with the traits that its `when` asks for"},
      {"no-clip", "add clips for these traits, or otherwise = [...]"},
      {"past-end", "let its start-at begin earlier"},
      {"unreadable", "see that the bank file is there and whole: tidewater verify BANK"},
      {"pool-full", "give it a higher rank or level, or give the manager more voices"},
      {"dormant", "give it a higher rank or level, or give the manager more voices; it comes back by itself when there is room"},
      {"silent", "unmute its group, or raise its level or that of the gauge that silences it"},
      {"no-room", "raise the capacity of ManagerOptions that the line names"},
      {"unknown-event", "raise an event that the book has, or add it to the book"},
      {"unknown-group", "name a group that the book has"},
      {"unknown-gauge", "name a gauge that the book has"},
      {"unknown-scope", "name a scope that the book has"},
      {"not-a-number", "look for a division by zero in what the game passes"},
      {"bank-not-loaded", "load the bank before the event is raised"},
      {"out-of-range", "bring it nearer to a listener, or raise its far"},
      {"emitter-gone", "raise it before the emitter is removed, or at a place"},
      {"paused", "resume the scope first, or give the sound a scope that is not paused"},
      {"scope-ended", "begin the scope first"},
      {"chain-too-long", "give one of the raises in the circle a delay"},
      {"nothing-to-stop", "raise it while the sound plays, or set its `for`"},
      {"reading", "preload the sound, or prefetch its event earlier"}};
  const auto found = remedies.find(outcome);
  return found == remedies.end() ? std::string_view() : found->second;
}

/// One decision on a raise, or a later change of one of its playbacks.
struct Result {
  double at = 0;
  std::string outcome, sound, why, more;
};

/// A raise and its results.
struct Raising {
  double at = 0;
  std::string id, event, emitter, by;
  std::vector<Result> results;
};

bool is_heard(std::string_view outcome) { return outcome == "started" || outcome == "went-on"; }

/// Collects the raises of a journal.
class Raisings {
 public:
  void take(const Json& line) {
    if (line.contains("journal")) rate_ = line.value("rate", rate_);
    if (text_at(line, "request") == "raise") return begin(line);
    if (line.contains("request")) return;
    const std::string outcome = text_at(line, "outcome");
    if (!outcome.empty() && line.contains("id")) return decide(line, outcome);
    for (const char* key : {"due", "fading", "woke", "ended"})
      if (line.contains(key)) go_on(line, key);
  }
  const std::vector<Raising>& all() const { return all_; }

 private:
  double time_of(const Json& line) const { return line.contains("at") ? seconds_of(line["at"], rate_) : 0; }
  Raising& called(const std::string& id) {
    const auto [known, fresh] = by_id_.try_emplace(id, all_.size());
    if (fresh) all_.emplace_back().id = id;
    return all_[known->second];
  }
  void begin(const Json& line) {
    ++count_;
    Raising& its = called(line.contains("id") ? text_at(line, "id") : std::to_string(count_));
    its.at = time_of(line);
    its.event = text_at(line, "event");
    its.emitter = text_at(line, "emitter");
  }
  void decide(const Json& line, const std::string& outcome) {
    Raising& its = called(text_at(line, "id"));
    if (its.event.empty()) {  // an event that another has raised
      its.at = time_of(line);
      its.event = text_at(line, "event");
      its.by = raised_by_[its.id];
    }
    std::string why = text_at(line, "why");
    constexpr std::string_view raise = ", which is raise ";
    if (const auto number = why.rfind(raise); number != std::string::npos && why.starts_with("it raises"))
      raised_by_[why.substr(number + raise.size())] = its.event;
    Result result{time_of(line), outcome, text_at(line, "sound"), std::move(why), {}};
    if (line.contains("clip")) {
      result.more = fmt::format(": {} at {}", text_at(line, "clip"), rounded(text_at(line, "gain")));
      if (line.contains("away")) result.more += fmt::format(", {} away", text_at(line, "away"));
      if (const double starts = seconds_of(line.value("starts", Json(0)), rate_); starts - result.at > 0.01)
        result.more += fmt::format(", from {:.2f} s on", starts);
    }
    its.results.push_back(std::move(result));
  }
  void go_on(const Json& line, const char* key) {
    const std::string playback = text_at(line, key);
    const auto known = by_id_.find(playback.substr(0, playback.find('.')));
    if (known == by_id_.end() || std::count(playback.begin(), playback.end(), '.') > 1) return;
    const std::string how = text_at(line, "how"), why = text_at(line, "why"), outcome = text_at(line, "outcome");
    std::string what;
    if (key == std::string_view("woke")) what = "is heard again";
    if (key == std::string_view("due") && !outcome.empty()) what = "got no voice after its delay";
    if (key == std::string_view("fading") && how == "dormant") what = "lost its voice";
    if (key == std::string_view("fading") && how != "dormant" && !why.empty()) what = "was stopped";
    if (key == std::string_view("ended") && how == "unreadable") what = "could not be read on";
    if (what.empty()) return;
    all_[known->second].results.push_back({time_of(line), outcome, text_at(line, "sound"), why, " " + what});
  }
  static std::string rounded(const std::string& quantity) {
    const auto read = read_decibels(quantity);
    return read.value ? fmt::format("{:.1f} dB", read.value->value + 0.0) : quantity;
  }

  double rate_ = 48000;
  std::size_t count_ = 0;
  std::vector<Raising> all_;
  std::map<std::string, std::size_t> by_id_;
  std::map<std::string, std::string> raised_by_;  ///< by the number of a raise: the event that raised it
};

std::string told(const Raising& its, const Colours& colours) {
  std::string text = fmt::format("{:>9.2f} s  raise {} '{}'", its.at, its.id, its.event);
  if (!its.emitter.empty()) text += fmt::format(" on emitter {}", its.emitter);
  if (!its.by.empty()) text += fmt::format(", raised by '{}'", its.by);
  text += "\n";
  std::string_view remedy;
  const bool heard = std::any_of(its.results.begin(), its.results.end(), [](const Result& result) { return is_heard(result.outcome); });
  for (const Result& result : its.results) {
    const std::string who = result.sound.empty() ? "it" : "'" + result.sound + "'";
    std::string sentence;
    if (is_heard(result.outcome) && result.more.starts_with(':'))
      sentence = fmt::format("{} was heard{}", who, result.more);
    else if (!result.more.empty() && !result.more.starts_with(':'))
      sentence = fmt::format("at {:.2f} s {}{}", result.at, who, result.more);
    else
      sentence = fmt::format("{}{}{}", colours.fair(result.outcome), result.sound.empty() ? "" : " " + who,
                             result.more.starts_with(':') ? result.more : "");
    if (!result.why.empty()) sentence += ": " + result.why;
    text += fmt::format("             {}\n", sentence);
    if (const std::string_view its_remedy = remedy_for(result.outcome); !its_remedy.empty() && remedy.empty())
      if (!heard || result.outcome != "left-out") remedy = its_remedy;  // one of several responses is meant for other traits
  }
  if (its.results.empty()) text += "             the journal has nothing of what came of it: the game may have ended before\n";
  if (!remedy.empty()) text += fmt::format("             {} {}\n", colours.good("to change that:"), remedy);
  return text;
}

}  // namespace

int why(const WhyCall& call) {
  constexpr double near = 1;  // seconds around the time that was asked for
  std::optional<double> at;
  if (!call.at.empty()) {
    const auto read = read_seconds(call.at);
    if (!read.value) throw Error(fmt::format("--at {}: {}", call.at, read.problem));
    at = read.value->value;
  }
  const JournalLines lines(call.journal, call.names);
  Raisings raisings;
  const std::size_t unread = lines.each(true, [&](const Json& line) { raisings.take(line); });
  const Colours colours;
  std::size_t shown = 0, heard = 0;
  std::vector<std::string_view> events;
  for (const Raising& its : raisings.all()) {
    events.push_back(its.event);
    if (!call.event.empty() && its.event != call.event) continue;
    if (at && std::abs(its.at - *at) > near) continue;
    if (!call.emitter.empty() && its.emitter != call.emitter) continue;
    ++shown;
    if (std::any_of(its.results.begin(), its.results.end(), [](const Result& result) { return is_heard(result.outcome); })) ++heard;
    say("{}", told(its, colours));
  }
  if (shown == 0) {
    std::sort(events.begin(), events.end());
    events.erase(std::unique(events.begin(), events.end()), events.end());
    const bool known = std::find(events.begin(), events.end(), call.event) != events.end();
    const std::string advice = call.event.empty() || known ? "" : did_you_mean(call.event, events);
    say("no raise{}{}{} is in {}{}\n", call.event.empty() ? "" : fmt::format(" of '{}'", call.event),
        at ? fmt::format(" within a second of {}", call.at) : "", call.emitter.empty() ? "" : fmt::format(" on emitter {}", call.emitter),
        call.journal, advice.empty() ? fmt::format("; it has {} raises in all", raisings.all().size()) : advice);
    return bad_input;
  }
  say("\n  {} {}, of which {} started something that was heard\n", shown, shown == 1 ? "raise" : "raises", heard);
  return unread == 0 ? fine : bad_input;
}

}  // namespace tidewater::tool
