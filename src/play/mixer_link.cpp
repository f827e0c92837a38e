#include <algorithm>

#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

namespace {

constexpr Seconds patience{1};  // game time without a rendered frame before the journal says so
constexpr std::uint32_t most_voices = 4096;

}  // namespace

ManagerState::ManagerState(ManagerOptions given)
    : options(std::move(given)),
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
    owners[report.voice] = nullptr;
    free_voices.push(report.voice);
    const bool over = !playback.sound->design->loop && report.position >= playback.clip->frames;
    if (playback.stage == Stage::settling && !over) {
      fall_asleep(playback, static_cast<double>(report.position), report.frame);
      continue;
    }
    if (playback.stage == Stage::sounding) --stats.playing;
    if (playback.stage == Stage::settling) --stats.dormant;
    if (playback.stage == Stage::leaving) --stats.fading;
    end(playback, report.frame, playback.how == nullptr ? "finished" : playback.how);
  }
  tend_pool();
}

JournalEntry& ManagerState::note(Kind kind) {
  if (!options.journal) entries.clear();
  return entries.add(kind, {mixer.clock()});
}

void ManagerState::watch_clock(Seconds elapsed) {
  const std::int64_t now = mixer.clock();
  unrendered = now == last_clock ? unrendered + elapsed : Seconds{};
  if (now != last_clock) told_unrendered = false;
  last_clock = now;
  if (unrendered < patience || stats.playing == 0 || told_unrendered) return;
  told_unrendered = true;
  note(Kind::notice).why =
      "the game's time goes on but nothing calls render, so nothing is heard; open a Device, or render the blocks yourself";
}

/// The pool is tended when the clock has moved, so a replay must know when that was looked at.
void ManagerState::count_update() {
  const std::int64_t now = mixer.clock();
  if (now == last_clock) return;
  const std::int64_t every = now - last_clock;
  const bool goes_on = update_run.times > 0 && update_run.every.value == every;
  if (!goes_on) {
    note_updates();
    update_run = {{now}, {every}, 0};
  }
  ++update_run.times;
}

void ManagerState::note_updates() {
  if (update_run.times == 0) return;
  JournalEntry& entry = note(Kind::updates);
  entry.at = update_run.first;
  entry.every = update_run.every;
  entry.times = update_run.times;
  update_run.times = 0;
}

void ManagerState::update(Seconds elapsed) {
  take_reports();
  count_update();
  watch_clock(elapsed);
  forget_silent_banks();
}

}  // namespace tidewater
