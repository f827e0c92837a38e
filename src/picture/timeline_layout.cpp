#include "picture/timeline_layout.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace tidewater {
namespace {

constexpr int most_slots = 3;

void stack(Row& row) {
  std::array<std::int64_t, most_slots> free_from{};
  for (Bar* bar : row.bars) {
    int best = 0;
    for (int slot = 0; slot < most_slots; ++slot) {
      const auto at = static_cast<std::size_t>(slot);
      if (free_from[at] <= bar->from) {
        best = slot;
        break;
      }
      if (free_from[at] < free_from[static_cast<std::size_t>(best)]) best = slot;
    }
    bar->slot = best;
    free_from[static_cast<std::size_t>(best)] = bar->to;
    row.slots = std::max(row.slots, best + 1);
  }
}

bool held_back(Outcome outcome) {
  return outcome == Outcome::already_playing || outcome == Outcome::too_soon || outcome == Outcome::limit_reached ||
         outcome == Outcome::left_out;
}

/// A change that is heard to take its time.
std::string over(Seconds time) { return time > Seconds{0.1} ? fmt::format(" over {:.2g} s", time.value) : std::string(); }

template <class Items, class Matches, class Made>
auto& find_or_add(Items& items, Matches matches, Made made) {
  const auto it = std::find_if(items.begin(), items.end(), matches);
  return it != items.end() ? *it : items.emplace_back(std::move(made));
}

}  // namespace

std::string metres_text(double metres) { return metres < 10 ? fmt::format("{:.1f} m", metres) : fmt::format("{:.0f} m", metres); }

std::string way_of(const Bar& bar) {
  std::string text, last;
  if (bar.away.empty()) return text;
  const auto nearest = std::min_element(bar.away.begin(), bar.away.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  for (const double metres : {bar.away.front().second, nearest->second, bar.away.back().second})
    if (const std::string its = metres_text(metres); its != std::exchange(last, its)) text += (text.empty() ? "" : " \u2013 ") + its;
  return text;
}

std::vector<Bar*> TimelineFacts::open(PlaybackId id) {
  std::vector<Bar*> bars;
  if (const auto it = open_.find(id); it != open_.end())
    for (const std::size_t at : it->second) bars.push_back(&bars_[at]);
  return bars;
}

void TimelineFacts::add_bar(PlaybackId id, const std::string& sound, Outcome outcome, const noted::Layer& layer) {
  open_[id].push_back(bars_.size());
  Bar& bar = bars_.emplace_back();
  bar.sound = sound;
  bar.layer = layer.name;
  bar.clip = layer.clip;
  bar.group = layer.group;
  bar.voice = layer.voice;
  bar.from = layer.starts.value;
  bar.fade_in = frames(layer.fade_in, rate_).value;
  bar.gain = layer.gain;
  if (layer.tempo > Tempo{}) {
    bar.bar_frames = 60 / layer.tempo.value * layer.metre * rate_.value;
    bar.first_beat = frames(layer.first_beat, rate_).value - frames(layer.clip_start, rate_).value;
  }
  bar.pitch = layer.pitch;
  bar.silent = outcome == Outcome::silent;
  if (outcome != Outcome::started) bar.dormant.emplace_back(bar.from, -1);
  if (layer.away) bar.away.emplace_back(bar.from, layer.away->value);
}

/// Things or listeners have moved: what is open may be nearer or further away.
void TimelineFacts::moved(std::int64_t at) {
  constexpr double worth_telling = 0.1;
  for (const auto& [id, bars] : open_) {
    const auto emitter = emitter_of_.find(id.raise);
    const auto place = emitter == emitter_of_.end() ? place_of_.end() : place_of_.find(emitter->second.number);
    if (place == place_of_.end() || ears_.empty()) continue;
    double metres = HUGE_VAL;
    for (const auto& [ignored, ears] : ears_)
      metres = std::min(metres, std::hypot(place->second.x - ears.x, place->second.y - ears.y, place->second.z - ears.z));
    for (const std::size_t bar : bars)
      if (auto& away = bars_[bar].away; !away.empty() && std::abs(metres - away.back().second) > worth_telling * away.back().second)
        away.emplace_back(std::max(at, bars_[bar].from), metres);
  }
}

void TimelineFacts::take(const noted::Kept& kept, Frames at) {
  for (const noted::KeptEmitter& its : kept.emitters) place_of_[its.emitter.number] = its.place;
  moved(at.value);
}

void TimelineFacts::add_filter(const Target& of, Hertz frequency, std::string_view filter, Seconds time, Frames at) {
  if (const auto* group = std::get_if<Name>(&of))
    changes.push_back(
        {at.value, fmt::format("{} {}{}", group->text(),
                               frequency.value > 0 ? fmt::format("{} {:.0f} Hz", filter, frequency.value) : fmt::format("no {}", filter),
                               over(time))});
}

/// Raises; and levels, filters and mutes of groups: what a player or a game turns. Those of one playback are too many.
void TimelineFacts::take(const noted::Asked& asked, Frames at) {
  if (const auto* raise = std::get_if<asked::Raise>(&asked.request)) {
    mark_of_[raise->id] = marks.size();
    marks.push_back({at.value, std::string(raise->event.text())});
    if (raise->emitter && raise->place) {
      emitter_of_[raise->id] = raise->emitter;
      place_of_[raise->emitter.number] = *raise->place;
    }
  } else if (const auto* listener = std::get_if<asked::SetListener>(&asked.request)) {
    ears_[listener->listener] = listener->place;
    moved(at.value);
  } else if (const auto* gone = std::get_if<asked::RemoveListener>(&asked.request)) {
    ears_.erase(gone->listener);
    moved(at.value);
  } else if (const auto* mute = std::get_if<asked::SetMute>(&asked.request)) {
    const std::string group(mute->group.text());
    auto& spans = muted[group];
    const bool now = !spans.empty() && spans.back().second < 0;
    if (mute->mute && !now) spans.emplace_back(at.value, -1);
    if (!mute->mute && now) spans.back().second = at.value;
    changes.push_back({at.value, group + (mute->mute ? " muted" : " heard")});
  } else if (const auto* level = std::get_if<asked::SetGain>(&asked.request)) {
    if (const auto* group = std::get_if<Name>(&level->of))
      changes.push_back(
          {at.value, fmt::format("{} {}{}", group->text(), level->gain == silence ? "silent" : fmt::format("{:.1f} dB", level->gain.value),
                                 over(level->time))});
  } else if (const auto* low = std::get_if<asked::SetLowPass>(&asked.request)) {
    add_filter(low->of, low->frequency, "low-pass", low->time, at);
  } else if (const auto* high = std::get_if<asked::SetHighPass>(&asked.request)) {
    add_filter(high->of, high->frequency, "high-pass", high->time, at);
  } else {
    take_scope(asked.request, at);
  }
  if (const auto* mood = std::get_if<asked::SetMood>(&asked.request)) take_mood(std::string(mood->mood.text()), mood->on, at);
  if (const auto* its = std::get_if<asked::SetPlayerLevel>(&asked.request))
    changes.push_back({at.value, fmt::format("player: {} {:.0f} %", its->group.text(), 100 * its->level.value)});
  if (const auto* its = std::get_if<asked::SetPlayerSwitch>(&asked.request))
    changes.push_back({at.value, fmt::format("player: {} {}", its->group.text(), its->on ? "on" : "off")});
}

/// A mood has a line beside those of the scopes.
void TimelineFacts::take_mood(const std::string& mood, bool on, Frames at) {
  auto& spans = scopes["mood " + mood];
  const bool lasts = !spans.empty() && spans.back().to < 0;
  if (on && !lasts) spans.push_back({at.value, -1, "in force", false});
  if (!on && lasts) spans.back().to = at.value;
}

void TimelineFacts::take_scope(const Request& request, Frames at) {
  const auto change = [&](const Name& scope, bool pauses, const std::string& text) {
    auto& spans = scopes[std::string(scope.text())];
    for (ScopeSpan& its : spans) {
      if (its.to >= 0 || its.paused != pauses) continue;
      if (its.text == text) return;  // paused twice is paused once
      its.to = at.value;
    }
    if (!text.empty()) spans.push_back({at.value, -1, text, pauses});
  };
  if (const auto* pause = std::get_if<asked::PauseScope>(&request)) {
    change(pause->scope, true, "paused");
  } else if (const auto* resume = std::get_if<asked::ResumeScope>(&request)) {
    change(resume->scope, true, "");
  } else if (const auto* scale = std::get_if<asked::SetTimeScale>(&request)) {
    change(scale->scope, false, scale->scale.value == 1 ? "" : fmt::format("x{:.3g}", scale->scale.value));
  } else if (const auto* begin = std::get_if<asked::BeginScope>(&request)) {
    change(begin->scope, true, "");
    change(begin->scope, false, "");
  } else if (const auto* end = std::get_if<asked::EndScope>(&request)) {
    change(end->scope, true, "");
    change(end->scope, false, "");
  }
}

void TimelineFacts::refuse(const noted::Decision& decision, Frames at) {
  const bool held = !refused(decision.outcome);
  const auto mark = mark_of_.find(decision.raise);
  const std::string event = mark == mark_of_.end() ? "" : marks[mark->second].label;
  if (mark != mark_of_.end()) (held ? marks[mark->second].held : marks[mark->second].refused) = true;
  const std::string text = fmt::format("{}{}{}{}{}", event, event.empty() ? "" : ": ", to_text(decision.outcome),
                                       decision.why.empty() ? "" : ", ", decision.why);
  find_or_add(
      unheard, [&](const Unheard& u) { return u.text == text; }, Unheard{{}, event, text, held})
      .at.push_back(at.value);
}

void TimelineFacts::take(const noted::Head& head, Frames) {
  seed = head.seed;
  voices = head.voices;
}

void TimelineFacts::take(const noted::Decision& decision, Frames at) {
  if (decision.start)
    add_bar(decision.playback, decision.sound, decision.outcome, *decision.start);
  else if (refused(decision.outcome) || held_back(decision.outcome))
    refuse(decision, at);
  for (const bool on : {true, false})  // a response says what it did: "begin-mood 'below-deck'"
    if (const std::string did = std::string(word_of(on ? Verb::begin_mood : Verb::end_mood)) + " '";
        decision.outcome == Outcome::done && decision.why.starts_with(did) && decision.why.ends_with('\''))
      take_mood(decision.why.substr(did.size(), decision.why.size() - did.size() - 1), on, at);
}

void TimelineFacts::take(const noted::FurtherLayer& further, Frames) {
  if (plays(further.outcome)) add_bar(further.playback, further.sound, further.outcome, further.layer);
}

void TimelineFacts::take(const noted::Due& due, Frames) {
  for (Bar* bar : open(due.playback)) {
    if (bar->layer != due.layer) continue;
    bar->from = due.starts.value;
    bar->voice = due.voice;
    bar->dormant.clear();
    if (due.voice == noted::Layer::no_voice) bar->dormant.emplace_back(bar->from, -1);
    bar->silent = due.outcome == Outcome::silent;
    break;
  }
}

void TimelineFacts::take(const noted::Fading& fading, Frames at) {
  for (Bar* bar : open(fading.playback)) {
    if (bar->voice != fading.voice) continue;
    if (fading.how == Ending::dormant)
      bar->dormant.emplace_back(at.value, -1);
    else
      bar->fades_from = std::max(at.value, fading.from.value);
  }
}

void TimelineFacts::take(const noted::Woke& woke, Frames) {
  for (Bar* bar : open(woke.playback)) {
    if (bar->dormant.empty() || bar->dormant.back().second >= 0 || (!woke.layer.empty() && bar->layer != woke.layer)) continue;
    bar->dormant.back().second = woke.starts.value;
    bar->voice = woke.voice;
    bar->silent = false;
    break;
  }
}

void TimelineFacts::take(const noted::Ended& ended, Frames at) {
  for (Bar* bar : open(ended.playback)) {
    bar->to = at.value;
    bar->how = to_text(ended.how);
  }
  open_.erase(ended.playback);
}

void TimelineFacts::take(const JournalEntry& entry) {
  std::visit([&](const auto& what) { take(what, entry.at); }, entry.what);
}

std::vector<Lane> TimelineFacts::lanes(std::int64_t end) {
  std::stable_partition(unheard.begin(), unheard.end(), [](const Unheard& u) { return !u.held; });
  std::erase_if(scopes, [](const auto& its) { return its.second.empty(); });
  for (auto& [scope, spans] : scopes)
    for (ScopeSpan& its : spans)
      if (its.to < 0) its.to = end;
  for (auto& [group, spans] : muted)
    for (auto& span : spans)
      if (span.second < 0) span.second = end;
  std::vector<Lane> lanes;
  for (Bar& bar : bars_) {
    if (bar.to < 0) bar.to = std::max(bar.from, end);
    for (auto& span : bar.dormant)
      if (span.second < 0) span.second = bar.to;
    Lane& lane = find_or_add(
        lanes, [&](const Lane& l) { return l.group == bar.group; }, Lane{bar.group, {}, 0});
    find_or_add(
        lane.rows, [&](const Row& r) { return r.sound == bar.sound; }, Row{bar.sound, {}, 1})
        .bars.push_back(&bar);
  }
  for (Lane& lane : lanes)
    for (Row& row : lane.rows) {
      stack(row);
      lane.slots += row.slots;
    }
  return lanes;
}

}  // namespace tidewater
