#include "picture/timeline_layout.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace tidewater {
namespace {

using Kind = JournalEntry::Kind;

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

template <class Items, class Matches, class Made>
auto& find_or_add(Items& items, Matches matches, Made made) {
  const auto it = std::find_if(items.begin(), items.end(), matches);
  return it != items.end() ? *it : items.emplace_back(std::move(made));
}

}  // namespace

std::vector<Bar*> TimelineFacts::open(PlaybackId id) {
  std::vector<Bar*> bars;
  if (const auto it = open_.find(id); it != open_.end())
    for (const std::size_t at : it->second) bars.push_back(&bars_[at]);
  return bars;
}

void TimelineFacts::add_bar(const JournalEntry& e) {
  open_[e.playback].push_back(bars_.size());
  Bar& bar = bars_.emplace_back();
  bar.sound = e.sound;
  bar.layer = e.layer;
  bar.clip = e.clip;
  bar.group = e.group;
  bar.voice = e.voice;
  bar.from = e.starts.value;
  bar.fade_in = frames(e.fade_in, rate_).value;
  bar.gain = e.gain;
  bar.pitch = e.pitch;
  bar.silent = e.outcome == Outcome::silent;
  if (e.voice == JournalEntry::no_voice) bar.dormant.emplace_back(bar.from, -1);
}

/// Levels, filters and mutes of groups: what a player or a game turns. Those of one playback are too many.
void TimelineFacts::add_change(const JournalEntry& e) {
  if (e.group.empty()) return;
  const auto over = [&] { return e.fade > Seconds{0.1} ? fmt::format(" over {:.2g} s", e.fade.value) : std::string(); };
  std::string label = e.group;
  if (e.kind == Kind::mute) {
    auto& spans = muted[e.group];
    const bool now = !spans.empty() && spans.back().second < 0;
    if (e.on && !now) spans.emplace_back(e.at.value, -1);
    if (!e.on && now) spans.back().second = e.at.value;
    label += e.on ? " muted" : " heard";
  } else if (e.kind == Kind::gain) {
    label += (e.gain == silence ? " silent" : fmt::format(" {:.1f} dB", e.gain.value)) + over();
  } else {
    const char* filter = e.kind == Kind::low_pass ? "low-pass" : "high-pass";
    label += (e.frequency.value > 0 ? fmt::format(" {} {:.0f} Hz", filter, e.frequency.value) : fmt::format(" no {}", filter)) + over();
  }
  changes.push_back({e.at.value, label});
}

void TimelineFacts::refuse(const JournalEntry& e) {
  const bool held = !refused(e.outcome);
  const auto mark = mark_of_.find(e.raise);
  const std::string event = mark == mark_of_.end() ? "" : marks[mark->second].label;
  if (mark != mark_of_.end()) (held ? marks[mark->second].held : marks[mark->second].refused) = true;
  const std::string text =
      fmt::format("{}{}{}{}{}", event, event.empty() ? "" : ": ", to_text(e.outcome), e.why.empty() ? "" : ", ", e.why);
  find_or_add(
      unheard, [&](const Unheard& u) { return u.text == text; }, Unheard{{}, event, text, held})
      .at.push_back(e.at.value);
}

void TimelineFacts::take(const JournalEntry& e) {
  switch (e.kind) {
    case Kind::head:
      seed = e.seed;
      voices = e.voices;
      break;
    case Kind::raise:
      mark_of_[e.raise] = marks.size();
      marks.push_back({e.at.value, e.event});
      break;
    case Kind::gain:
    case Kind::mute:
    case Kind::low_pass:
    case Kind::high_pass: add_change(e); break;
    case Kind::layer:
      if (plays(e.outcome)) add_bar(e);
      break;
    case Kind::decision:
      if (plays(e.outcome))
        add_bar(e);
      else if (refused(e.outcome) || held_back(e.outcome))
        refuse(e);
      break;
    case Kind::fading:
      for (Bar* bar : open(e.playback)) {
        if (bar->voice != e.voice) continue;
        if (e.how == "dormant")
          bar->dormant.emplace_back(e.at.value, -1);
        else
          bar->fades_from = e.at.value;
      }
      break;
    case Kind::woke:
      for (Bar* bar : open(e.playback)) {
        if (bar->dormant.empty() || bar->dormant.back().second >= 0) continue;
        bar->dormant.back().second = e.starts.value;
        bar->voice = e.voice;
        break;
      }
      break;
    case Kind::ended:
      for (Bar* bar : open(e.playback)) {
        bar->to = e.at.value;
        bar->how = e.how;
      }
      open_.erase(e.playback);
      break;
    default: break;
  }
}

std::vector<Lane> TimelineFacts::lanes(std::int64_t end) {
  std::stable_partition(unheard.begin(), unheard.end(), [](const Unheard& u) { return !u.held; });
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
