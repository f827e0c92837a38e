#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <map>
#include <optional>
#include <set>

#include "colour.hpp"
#include "columns.hpp"
#include "commands.hpp"
#include "journal_lines.hpp"
#include "print.hpp"
#include "tidewater/outcome.hpp"

namespace tidewater::tool {
namespace {

/// One line of a journal, for a person.
struct Told {
  std::string time, what, about, more;
  bool refused = false, held_back = false;
};

/// A gauge has a unit of the game's own: as many digits as one can hear.
std::string gauge_text(const Json& value) { return value.is_number() ? fmt::format("{:.4g}", value.get<double>()) : text_of(value); }

/// "-8.156923706898311 dB" as people read it: "-8.2 dB".
std::string rounded(const std::string& quantity) {
  char* end = nullptr;
  const double value = std::strtod(quantity.c_str(), &end);
  if (end == quantity.c_str()) return quantity;
  const std::string unit = end;
  return unit == " s" ? fmt::format("{:.2f}{}", value, unit)
                      : fmt::format("{:.1f}{}", std::round(value * 10) / 10 + 0.0, unit);  // never -0.0
}

/// None where a later version of the journal has one that is not known here.
std::optional<Outcome> outcome_of(std::string_view word) {
  for (int i = 0; i <= static_cast<int>(last_outcome); ++i)
    if (to_text(static_cast<Outcome>(i)) == word) return static_cast<Outcome>(i);
  return std::nullopt;
}

/// The later fate of each playback, found in a first pass over the journal: a sound that begins unheard may be heard before it ends.
class HeardLater {
 public:
  void take(const Json& line) {
    if (line.contains("woke")) heard_.insert(text_at(line, "woke") + "/" + text_at(line, "layer"));
    if (line.contains("woke")) heard_.insert(text_at(line, "woke"));
    // A step of a cadence, 2.1.7, is heard for its playback, 2.1.
    const std::string playback = text_at(line, "playback");
    const auto first = playback.find('.'), last = playback.rfind('.');
    if (first != last && text_at(line, "outcome") == "started") heard_.insert(playback.substr(0, last));
  }
  /// For a line that tells of a start, or of a further layer of a start.
  bool contains(const Json& line) const {
    if (line.contains("request") || !line.contains("outcome")) return false;
    const std::string playback = text_at(line, "playback");
    return heard_.contains(line.contains("layer") ? playback + "/" + text_at(line, "layer") : playback);
  }

 private:
  std::set<std::string> heard_;
};

class Reader {
 public:
  /// Nothing where a line tells nothing by itself, such as how often a game called `update`, or on which block something landed.
  std::optional<Told> told(const Json& line) {
    if (line.contains("journal")) {
      rate_ = line.value("rate", rate_);
      return Told{"", "journal", fmt::format("{:.0f} Hz, seed {}, {} voices", rate_, text_at(line, "seed"), text_at(line, "voices")), {}};
    }
    for (const auto* key : {"updates", "late", "second", "kept", "world"})
      if (line.contains(key)) return std::nullopt;
    // Where it goes from there, sixty times a second, is for pictures.
    if (text_at(line, "request") == "listener" && !listeners_.insert(text_at(line, "listener")).second) {
      ++listeners_left_out_;
      return std::nullopt;
    }
    if (text_at(line, "request") == "gauge" && !gauges_.insert(text_at(line, "gauge")).second) {
      ++gauges_left_out_;
      return std::nullopt;
    }
    Told told;
    // Lines of a layer that fades or woke have a layer, too, and are no decisions.
    const bool is_decision = (line.contains("outcome") || line.contains("layer")) && !line.contains("fading") && !line.contains("woke");
    if (line.contains("at")) told.time = fmt::format("{:.2f} s", seconds_of(line["at"], rate_));
    if (line.contains("request"))
      request(line, told);
    else if (line.contains("due"))
      due(line, told);
    else if (is_decision)
      decision(line, told);
    else
      happened(line, told);
    return told;
  }

  /// Counts of the lines that were left out, in words; empty if there are none.
  std::string left_out() const {
    std::string text;
    for (const auto& [count, what] : {std::pair(gauges_left_out_, "gauge"), {listeners_left_out_, "listener"}})
      if (count > 0) text += fmt::format("{}{} {} request{}", text.empty() ? "" : " and ", count, what, count == 1 ? "" : "s");
    return text;
  }

 private:
  void request(const Json& line, Told& told) {
    told.what = text_at(line, "request");
    if (told.what == "raise") {
      ++raises_;
      const std::string id = line.contains("id") ? text_at(line, "id") : std::to_string(raises_);
      event_of_[id] = text_at(line, "event");
      told.what += " " + id;
    }
    for (const auto* key : {"event", "bank", "group", "playback", "gauge", "track", "stand", "mood"})
      if (line.contains(key)) told.about = text_at(line, key);
    if (told.what.starts_with("scope-")) told.about = text_at(line, "scope");
    if (line.contains("language")) told.about += " (" + text_at(line, "language") + ")";
    const auto add = [&](const std::string& text) { told.more += (told.more.empty() ? "" : ", ") + text; };
    if (line.contains("preload")) add("preload " + text_at(line, "preload"));
    for (const auto* key : {"clip", "gain", "pitch", "pan", "frequency"})
      if (line.contains(key)) add(rounded(text_at(line, key)));
    if (line.contains("mute")) add(line["mute"] == true ? "on" : "off");
    if (const auto on = line.find("on"); on != line.end())
      add(on->is_boolean() ? (*on == true ? "on" : "off") : "on the " + text_at(line, "on"));
    if (line.contains("scale")) add("at " + gauge_text(line["scale"]) + " times its speed");
    if (line.contains("level")) add(gauge_text(line["level"]) + " of its loudness");
    if (told.what == "gauge") add("at " + gauge_text(line.value("value", Json())));
    for (const auto* key : {"traits", "gauges"})
      if (line.contains(key))
        for (const auto& [name, value] : line[key].items()) add(fmt::format("{} = {}", name, gauge_text(value)));
    if (told.what == "listener" || told.what == "no-listener") told.about = text_at(line, "listener");
    if (line.contains("emitter")) add("emitter " + text_at(line, "emitter"));
    if (const auto place = line.find("place"); place != line.end() && place->is_array() && place->size() == 3)
      add(fmt::format("at {:.1f}, {:.1f}, {:.1f} m", place->at(0).get<double>(), place->at(1).get<double>(), place->at(2).get<double>()));
    for (const auto* key : {"time", "fade"})
      if (line.contains(key)) add("over " + rounded(text_at(line, key)));
    if (line.contains("why")) add(text_at(line, "why"));
  }

  void decision(const Json& line, Told& told) const {
    const bool layer = line.contains("layer");
    const std::string outcome = layer && !line.contains("outcome") ? "and layer" : text_at(line, "outcome");
    told.what = "  " + outcome;
    mark(outcome, told);
    told.about = text_at(line, line.contains("sound") ? "sound" : "event");
    if (const auto event = event_of_.find(text_at(line, "id")); told.about.empty() && event != event_of_.end()) told.about = event->second;
    if (line.contains("clip")) {
      told.more = (layer ? text_at(line, "layer") + ": " : "") + text_at(line, "clip");
      for (const auto* key : {"gain", "pitch"})
        if (line.contains(key)) told.more += ", " + rounded(text_at(line, key));
      if (line.contains("away")) told.more += ", " + text_at(line, "away") + " away";
      if (line.contains("voice")) told.more += ", voice " + text_at(line, "voice");
      tell_start(line, told);
    }
    if (line.contains("why")) told.more += (told.more.empty() ? "" : "; ") + text_at(line, "why");
  }

  /// A start that is not at once.
  void tell_start(const Json& line, Told& told) const {
    if (!line.contains("starts") || !line.contains("at")) return;
    const double later = seconds_of(line["starts"], rate_) - seconds_of(line["at"], rate_);
    if (later >= 0.01) told.more += fmt::format(", at {:.2f} s", seconds_of(line["starts"], rate_));
  }

  static void mark(const std::string& outcome, Told& told) {
    const auto known = outcome_of(outcome);
    if (!known) return;
    told.held_back = idle(*known) || (plays(*known) && *known != Outcome::started && *known != Outcome::went_on);
    told.refused = refused(*known);
  }

  void due(const Json& line, Told& told) const {
    told.what = "due";
    told.about = fmt::format("{} {}", text_at(line, "sound"), text_at(line, "due"));
    if (line.contains("layer")) told.more = text_at(line, "layer") + ": ";
    if (line.contains("outcome")) {
      mark(text_at(line, "outcome"), told);
      told.more += text_at(line, "outcome");
      if (line.contains("why")) told.more += "; " + text_at(line, "why");
    } else if (!line.contains("voice")) {
      told.more += text_at(line, "why");
      tell_start(line, told);
    } else {
      told.more += "voice " + text_at(line, "voice");
      tell_start(line, told);
    }
  }

  static void happened(const Json& line, Told& told) {
    for (const auto* key : {"fading", "woke", "ended", "notice", "end"})
      if (line.contains(key)) told.what = key;
    if (told.what.empty()) {
      told.what = "?";
      told.more = text_of(line);
    } else if (told.what == "notice") {
      told.about = text_at(line, "sound");
      told.more = text_at(line, "notice");
    } else if (told.what != "end") {
      told.about = fmt::format("{} {}", text_at(line, "sound"), text_at(line, told.what.c_str()));
      told.more = text_at(line, "how");
      if (line.contains("layer")) told.more = text_at(line, "layer") + (told.more.empty() ? "" : ": ") + told.more;
      if (line.contains("fade")) told.more += ", over " + rounded(text_at(line, "fade"));
      if (line.contains("why")) told.more += "; " + text_at(line, "why");
    }
  }

  double rate_ = 48000;
  std::size_t raises_ = 0;
  std::set<std::string> listeners_, gauges_;  ///< that there were
  std::size_t listeners_left_out_ = 0, gauges_left_out_ = 0;
  std::map<std::string, std::string> event_of_;  ///< by the raise's number
};

}  // namespace

int journal(const JournalCall& call) {
  const JournalLines lines(call.journal, call.names);
  HeardLater heard_later;
  if (call.unheard) lines.each(false, [&](const Json& line) { heard_later.take(line); });
  const Colours colours;
  Reader reader;
  const std::size_t unread = lines.each(true, [&](const Json& line) {
    const auto told = reader.told(line);
    if (!told || (call.unheard && ((!told->refused && !told->held_back) || heard_later.contains(line)))) return;
    const std::string what = padded(told->what, 17);
    const std::string rest = fmt::format("  {}  {}", padded(told->about, 24), told->more);
    say("{:>10}  {}{}\n", told->time,
        told->refused     ? colours.bad(what)
        : told->held_back ? colours.fair(what)
                          : what,
        rest.substr(0, rest.find_last_not_of(' ') + 1));
  });
  if (const std::string left_out = reader.left_out(); !left_out.empty() && !call.unheard)
    say("{:>10}  left out           {} after the first of each gauge and listener; the file has them\n", "", left_out);
  return unread == 0 ? fine : bad_input;
}

}  // namespace tidewater::tool
