#include "tidewater/author/report.hpp"

#include <ebur128.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "author/clips/clip_facts.hpp"

namespace tidewater {
namespace {

/// Requests that came to the same end, for one line.
struct Refusal {
  std::string event;
  std::string why;
  friend auto operator<=>(const Refusal&, const Refusal&) = default;
};

std::string counted(std::size_t count, std::string_view one, std::string_view many) {
  return fmt::format("{} {}", count, count == 1 ? one : many);
}

std::string in_decibels(Decibels level, std::string_view unit) {
  return level == silence ? "silence" : fmt::format("{:.1f} {}", level.value, unit);
}

std::string listed(std::string_view title, const std::map<Refusal, std::size_t>& refusals) {
  std::size_t total = 0;
  std::size_t widest = 0;
  for (const auto& [refusal, count] : refusals) {
    total += count;
    widest = std::max(widest, refusal.event.size());
  }
  std::string out = fmt::format("  {:<10} {}\n", title, total == 0 ? "none" : std::to_string(total));
  for (const auto& [refusal, count] : refusals)
    out += fmt::format("             {:>3} x {:<{}}  {}\n", count, refusal.event, widest, refusal.why);
  return out;
}

}  // namespace

Decibels loudness_of(std::span<const float> stereo, Hertz rate) {
  return measure({.channels = 2, .rate = rate, .samples = {stereo.begin(), stereo.end()}}).loudness;
}

struct Report::State {
  Hertz rate;
  ebur128_state* meter = nullptr;
  std::int64_t frames = 0;
  std::size_t raises = 0, started = 0, outranked = 0, dormant = 0, slept = 0, woke = 0;
  std::set<std::string> events;
  std::map<std::uint64_t, std::string> event_of;
  std::map<PlaybackId, std::string> silent_now;  ///< began unheard, and why
  std::map<Refusal, std::size_t> refusals, idle;
  std::vector<std::string> notices;
  std::uint32_t voices = 0;
  std::size_t most_voices = 0, most_playbacks = 0;
  std::map<std::uint32_t, PlaybackId> taken;  ///< the playback on each voice that sounds; one with layers is on several

  void sounds(PlaybackId id, std::uint32_t voice) {
    taken[voice] = id;
    most_voices = std::max(most_voices, taken.size());
    std::set<PlaybackId> playbacks;
    for (const auto& [ignored, playback] : taken) playbacks.insert(playback);
    most_playbacks = std::max(most_playbacks, playbacks.size());
  }

  void take(const noted::Head& head) { voices = head.voices; }

  void take(const noted::Asked& asked) {
    const auto* raise = std::get_if<asked::Raise>(&asked.request);
    if (raise == nullptr) return;
    ++raises;
    events.emplace(raise->event.text());
    event_of[raise->id] = raise->event.text();
  }

  void take(const noted::Decision& decision) {
    const bool begins_cadence =
        !decision.start && plays(decision.outcome) && decision.outcome != Outcome::went_on && decision.playback.response != 0;
    if (decision.start || begins_cadence) {
      if (decision.outcome == Outcome::silent)
        silent_now[decision.playback] = decision.why;
      else
        ++(decision.outcome == Outcome::dormant ? dormant : started);
      if (decision.playback.beat != 0 && decision.outcome == Outcome::started)
        is_heard({decision.playback.raise, decision.playback.response});
      if (decision.start) begins(decision.playback, *decision.start);
    } else if (decision.outcome != Outcome::done && !plays(decision.outcome)) {
      const std::string what = decision.raise != 0 ? event_of[decision.raise] : "a request";
      auto& ends = refused(decision.outcome) ? refusals : idle;
      ++ends[{what, fmt::format("{}{}{}", to_text(decision.outcome), decision.why.empty() ? "" : ": ", decision.why)}];
    }
  }

  /// A playback that began unheard is now heard: one of its layers, or a step of its cadence.
  void is_heard(PlaybackId id) {
    if (silent_now.erase(id) > 0) ++started;
  }

  void take(const noted::FurtherLayer& further) { begins(further.playback, further.layer); }
  void begins(PlaybackId id, const noted::Layer& layer) {
    if (layer.voice != noted::Layer::no_voice) sounds(id, layer.voice);
  }

  void take(const noted::Due& due) {
    if (due.voice != noted::Layer::no_voice) sounds(due.playback, due.voice);
    if (due.outcome == Outcome::pool_full) ++outranked;
    if (due.outcome == Outcome::dormant) ++slept;
  }

  void take(const noted::Fading& fading) {
    taken.erase(fading.voice);
    if (fading.how == Ending::outranked) ++outranked;
    if (fading.how == Ending::dormant) ++slept;
  }

  void take(const noted::Woke& awake) {
    ++woke;
    is_heard(awake.playback);
    sounds(awake.playback, awake.voice);
  }

  void take(const noted::Ended& ended) {
    std::erase_if(taken, [&](const auto& voice) { return voice.second == ended.playback; });
  }

  void take(const noted::Notice& notice) { notices.push_back(notice.why); }

  /// What a report says nothing of.
  template <class Other>
  void take(const Other&) {}
};

Report::Report(Hertz rate) : state_(std::make_unique<State>()) {
  state_->rate = rate;
  state_->meter = ebur128_init(2, static_cast<unsigned long>(rate.value), EBUR128_MODE_I | EBUR128_MODE_TRUE_PEAK);
}

Report::~Report() {
  if (state_->meter != nullptr) ebur128_destroy(&state_->meter);
}

void Report::take(std::span<const float> samples) {
  state_->frames += static_cast<std::int64_t>(samples.size() / 2);
  if (state_->meter != nullptr) ebur128_add_frames_float(state_->meter, samples.data(), samples.size() / 2);
}

void Report::take(const JournalEntry& entry) {
  std::visit([this](const auto& what) { state_->take(what); }, entry.what);
}

Seconds Report::length() const { return seconds({state_->frames}, state_->rate); }

Decibels Report::true_peak() const {
  double highest = 0;
  for (unsigned channel = 0; channel < 2 && state_->meter != nullptr; ++channel) {
    double peak = 0;
    if (ebur128_true_peak(state_->meter, channel, &peak) == EBUR128_SUCCESS) highest = std::max(highest, peak);
  }
  return decibels(highest);
}

Decibels Report::loudness() const {
  double level = 0;
  const bool known = state_->meter != nullptr && ebur128_loudness_global(state_->meter, &level) == EBUR128_SUCCESS;
  return known && std::isfinite(level) ? Decibels{level} : silence;
}

std::string Report::text() const {
  const State& s = *state_;
  std::string out = fmt::format("  asked      {} by the game, of {}\n", counted(s.raises, "event raised", "events raised"),
                                counted(s.events.size(), "kind", "kinds"));
  out += fmt::format("  started    {}\n", counted(s.started, "sound", "sounds"));
  std::map<std::string, std::size_t> why_silent;
  for (const auto& [ignored, why] : s.silent_now) ++why_silent[why];
  for (const auto& [why, count] : why_silent) out += fmt::format("  unheard    {}: {}\n", counted(count, "sound", "sounds"), why);
  out += listed("refused", s.refusals);
  if (!s.idle.empty()) out += listed("no effect", s.idle);
  out += fmt::format("  playbacks  {} at once at most\n", s.most_playbacks);
  out += fmt::format("  voices     {} at once at most, of {}{}\n", s.most_voices, s.voices,
                     s.outranked == 0 ? "" : fmt::format("; {} gave way to louder sounds", s.outranked));
  if (s.dormant + s.slept > 0)
    out += fmt::format("  dormant    {} began without a voice, {} lost theirs, {} came back\n", s.dormant, s.slept, s.woke);
  out += fmt::format("  level      true peak {}, loudness {}\n", in_decibels(true_peak(), "dBTP"), in_decibels(loudness(), "LUFS"));
  for (const auto& notice : s.notices) out += fmt::format("  notice     {}\n", notice);
  return out;
}

}  // namespace tidewater
