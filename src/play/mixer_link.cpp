#include <fmt/format.h>

#include <algorithm>
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
    case Kind::stop_all: return true;
    default: return false;
  }
}

}  // namespace

ManagerState::ManagerState(ManagerOptions given)
    : options((check_rate(given.rate, "the manager"), std::move(given))),
      // Twice as many as may sound: those that were told to go still fade when their successors begin.
      mixer({2 * (options.voices = std::clamp(options.voices, 1U, most_voices)), options.rate.value, options.layout, options.limiter}),
      owners(2 * static_cast<std::size_t>(options.voices)) {
  for (std::uint32_t voice = 0; voice < owners.size(); ++voice) free_voices.push(voice);
  JournalEntry& head = note(Kind::head);
  head.rate = options.rate;
  head.seed = options.seed;
  head.voices = options.voices;
}

void ManagerState::send(const Command& command) {
  if (!backlog.empty() || !mixer.post(command)) backlog.push_back(command);
}

void ManagerState::take_reports() {
  while (!backlog.empty() && mixer.post(backlog.front())) backlog.pop_front();
  VoiceFinished report;
  while (mixer.poll(report)) {
    LivePlayback& playback = *owners[report.voice];
    if (playback.stream != nullptr) {
      streamer.close(playback.stream);
      std::erase(streaming, &playback);
      playback.stream = nullptr;
    }

    owners[report.voice] = nullptr;
    free_voices.push(report.voice);
    const bool over = !playback.layer->loop && report.position >= playback.clip->frames;
    if (playback.stage == Stage::settling && !over) {
      fall_asleep(playback, static_cast<double>(report.position), report.frame);
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
    const auto tell = [&](std::string why) {
      JournalEntry& entry = note(Kind::notice);
      entry.playback = playback.id;
      entry.sound = playback.sound->design->name;
      entry.why = std::move(why);
    };
    if (playback.stream->failed && playback.how == nullptr) {
      leave(playback, {}, "unreadable", playback.stream->trouble);
      continue;
    }
    if (const std::int64_t since = ring.late_since(); since != playback.told_late) {
      playback.told_late = since;
      ++stats.late;
      tell(fmt::format("the stream of '{}' was late at {:.3f} s and faded out; the disk, or the thread that reads, did not keep up",
                       playback.clip->name, seconds({since}, options.rate).value));
    }
    if (const std::int64_t back = ring.back_at(); back != playback.told_back) {
      playback.told_back = back;
      tell(fmt::format("the stream of '{}' is heard again, {:.3f} s later", playback.clip->name,
                       seconds({back - playback.told_late}, options.rate).value));
    }
  }
}

void ManagerState::render(std::span<float> out) noexcept {
  if (!options.offline) return mixer.render(out);
  const auto run = static_cast<std::size_t>(most_run * channels(options.layout));
  for (std::size_t at = 0; at < out.size(); at += run) {
    streamer.fill();
    mixer.render(out.subspan(at, std::min(run, out.size() - at)));
  }
}

JournalEntry& ManagerState::note(Kind kind) {
  if (!options.journal) entries.clear();
  if (is_request(kind)) updates.request(mixer.clock());
  return entries.add(kind, {mixer.clock()});
}

void ManagerState::watch_clock(Seconds elapsed) {
  if (std::isnan(elapsed.value)) elapsed = {};  // a game's own clock that is broken stops no sound
  const std::int64_t now = mixer.clock();
  unrendered = now == last_clock ? unrendered + elapsed : Seconds{};
  if (now != last_clock) told_unrendered = false;
  last_clock = now;
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
  take_reports();
  tend_pool();
  watch_for_broken_samples();
  watch_streams();
  updates.update(mixer.clock(), [this](const UpdateRun& run) { note_update(run); });
  watch_clock(elapsed);
  forget_silent_banks();
}

}  // namespace tidewater
