#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

namespace {

constexpr Seconds patience{1};  // game time without a rendered frame before the journal says so
constexpr std::uint32_t most_voices = 4096;

bool is_request(Kind kind) {
  switch (kind) {
    case Kind::load:
    case Kind::unload:
    case Kind::raise:
    case Kind::stop:
    case Kind::gain:
    case Kind::bend:
    case Kind::pan:
    case Kind::low_pass:
    case Kind::high_pass:
    case Kind::mute:
    case Kind::stop_all:
    case Kind::unreadable: return true;
    default: return false;
  }
}

}  // namespace

ManagerState::ManagerState(ManagerOptions given)
    : options((check_rate(given.rate, "the manager"), std::move(given))),
      // Twice as many as may sound: those that were told to go still fade when their successors begin.
      mixer({2 * (options.voices = std::clamp(options.voices, 1U, most_voices)), options.rate.value, options.layout, options.limiter}),
      owners(2 * static_cast<std::size_t>(options.voices)),
      claims(owners.size(), Claim::none()) {
  for (std::uint32_t voice = 0; voice < owners.size(); ++voice) free_voices.push(voice);
  set_aside.reserve(owners.size());
  candidates.reserve(most_layers);
  reports.reserve(owners.size());
  verdict.yielding.reserve(most_layers);
  JournalEntry& head = note(Kind::head);
  head.rate = options.rate;
  head.seed = options.seed;
  head.voices = options.voices;
}

void ManagerState::send(const Command& command) {
  std::int64_t lands = now.lands;
  if (!late_replayed.empty()) {
    const auto late = std::find_if(late_replayed.begin(), late_replayed.end(), [&](const LateRequest& l) { return l.request == request; });
    if (late != late_replayed.end()) lands = late->landed.value;
  }
  if (!backlog.empty() || !mixer.post(command, request, lands)) backlog.push_back({command, request, lands});
}

void ManagerState::settle() {
  now = mixer.moment();
  if (replayed && replayed->at == now.at) now.lands = replayed->lands;
  replayed.reset();
  while (!backlog.empty() && mixer.post(backlog.front().command, backlog.front().request, backlog.front().lands)) backlog.pop_front();
  CameLate late;
  while (mixer.poll(late)) {
    JournalEntry& entry = note(Kind::late);
    entry.raise = late.request;
    entry.starts = {late.landed};
  }
  // In an order that does not depend on the blocks in which they were found.
  reports.clear();
  VoiceFinished found;
  while (mixer.poll(found, now.at)) reports.push_back(found);
  std::sort(reports.begin(), reports.end(),
            [](const VoiceFinished& a, const VoiceFinished& b) { return std::pair(a.frame, a.voice) < std::pair(b.frame, b.voice); });
  for (const VoiceFinished& report : reports) {
    LivePlayback& playback = *owners[report.voice];
    if (playback.stream != nullptr) {
      streamer.close(playback.stream);
      std::erase(streaming, &playback);
      playback.stream = nullptr;
    }

    owners[report.voice] = nullptr;
    claims[report.voice] = Claim::none();
    free_voices.push(report.voice);
    const bool over = !playback.layer->loop && report.position >= playback.clip->frames;
    if (playback.stage == Stage::settling && !over) {
      fall_asleep(playback, {report.position}, report.frame);
      continue;
    }
    if (playback.stage == Stage::sounding) --stats.playing;
    if (playback.stage == Stage::settling) --stats.dormant;
    if (playback.stage == Stage::leaving) --stats.fading;
    end(playback, report.frame, playback.how == nullptr ? "finished" : playback.how);
  }
}

Hertz ManagerState::rate_of(const LivePlayback& playback) const { return playback.sound->bank->rate; }

/// Says which streams were late, are back, or cannot go on.
void ManagerState::watch_streams() {
  for (std::size_t i = streaming.size(); i-- > 0;) {
    LivePlayback& playback = *streaming[i];
    const StreamRing& ring = playback.stream->ring;
    const auto tell = [&](std::string why, const char* how) {
      JournalEntry& entry = note(Kind::notice);
      entry.playback = playback.id;
      entry.sound = playback.sound->design->name;
      entry.why = std::move(why);
      entry.how = how;
    };
    if (playback.stream->failed && playback.how == nullptr) {
      if (!replaying) give_up_unreadable(playback.id, playback.stream->trouble);
      continue;
    }
    if (const std::int64_t since = ring.late_since(); since != playback.told_late) {
      playback.told_late = since;
      ++stats.late;
      tell(fmt::format("the stream of '{}' was late at {:.3f} s and faded out; the disk, or the thread that reads, did not keep up",
                       playback.clip->name, seconds({since}, options.rate).value),
           "late");
    }
    if (const std::int64_t back = ring.back_at(); back != playback.told_back) {
      playback.told_back = back;
      tell(fmt::format("the stream of '{}' is heard again, {:.3f} s later", playback.clip->name,
                       seconds({back - playback.told_late}, options.rate).value),
           "back");
    }
  }
}

/// What cannot be read any more is something that happened, like a request: a journal gives it again.
void ManagerState::give_up_unreadable(PlaybackId id, std::string_view why) {
  JournalEntry& entry = note(Kind::unreadable);
  entry.playback = id;
  entry.why = why;
  for (auto& playback : playbacks)
    if (playback.sound != nullptr && playback.id == id && playback.clip->streamed != nullptr && playback.stage != Stage::leaving)
      leave(playback, {}, "unreadable", why);
}

std::int64_t ManagerState::into_block() const {
  if (into_replayed) return *into_replayed;
  if (options.offline) return 0;
  const auto nanoseconds = std::chrono::steady_clock::now().time_since_epoch().count() - call_began.load(std::memory_order_relaxed);
  const auto passed = static_cast<std::int64_t>(static_cast<double>(nanoseconds) * options.rate.value * 1e-9);
  return std::clamp<std::int64_t>(passed, 0, call_frames.load(std::memory_order_relaxed));
}

void ManagerState::render(std::span<float> out) noexcept {
  if (!options.offline) {
    call_began.store(std::chrono::steady_clock::now().time_since_epoch().count(), std::memory_order_relaxed);
    call_frames.store(static_cast<std::int64_t>(out.size()) / channels(options.layout), std::memory_order_relaxed);
    return mixer.render(out);
  }
  const auto run = static_cast<std::size_t>(most_run * channels(options.layout));
  for (std::size_t at = 0; at < out.size(); at += run) {
    if (!streaming.empty()) streamer.fill();
    mixer.render(out.subspan(at, std::min(run, out.size() - at)));
  }
}

/// With a journal or without: commands that come late are named by it.
void ManagerState::count_request() {
  ++request;
  updates.request(now.at);
}

JournalEntry& ManagerState::note(Kind kind) {
  if (!options.journal) entries.clear();
  if (is_request(kind)) count_request();
  JournalEntry& entry = entries.add(kind, {now.at});
  entry.lands = {now.lands};
  return entry;
}

void ManagerState::watch_clock(Seconds elapsed) {
  if (std::isnan(elapsed.value)) elapsed = {};  // a game's own clock that is broken stops no sound
  unrendered = now.at == last_clock ? unrendered + elapsed : Seconds{};
  if (now.at != last_clock) told_unrendered = false;
  last_clock = now.at;
  if (unrendered < patience || stats.playing == 0 || told_unrendered) return;
  told_unrendered = true;
  note(Kind::notice).why =
      "the game's time goes on but nothing calls render, so nothing is heard; open a Device, or render the blocks yourself";
}

void ManagerState::note_update(const UpdateRun& run) {
  JournalEntry& entry = note(Kind::updates);
  entry.at = run.first;
  entry.every = run.every;
  entry.times = run.times;
  entry.after = run.after;
  entry.lands = run.first + run.ahead;
}

/// Once: whatever made them will make more.
void ManagerState::watch_for_broken_samples() {
  const std::uint32_t group = mixer.take_broken_group();
  if (group == Mixer::no_group || told_broken) return;
  told_broken = true;
  note(Kind::notice).why = fmt::format(
      "samples in group '{}' were not numbers, or beyond what a float holds, and were made silent; a clip that was damaged "
      "after it was checked does that, or memory that something else has written to",
      groups[group].name);
}

void ManagerState::update(Seconds elapsed) {
  if (updates.update(now.at, now.lands - now.at, [this](const UpdateRun& run) { note_update(run); })) ++request;
  tend_pool();
  watch_for_broken_samples();
  watch_streams();
  watch_clock(elapsed);
}

}  // namespace tidewater
