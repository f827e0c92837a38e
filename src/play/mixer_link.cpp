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
      playbacks(2 * static_cast<std::size_t>(options.voices)) {
  for (std::uint32_t voice = 0; voice < playbacks.size(); ++voice) free_voices.push(voice);
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
    LivePlayback& playback = playbacks[report.voice];
    --(playback.leaving == nullptr ? stats.playing : stats.fading);
    JournalEntry& entry = note(Kind::ended);
    entry.at = {report.frame};
    entry.playback = playback.id;
    entry.sound = playback.sound->design->name;
    entry.how = playback.leaving == nullptr ? "finished" : playback.leaving;
    playback.sound = nullptr;
    free_voices.push(report.voice);
  }
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

void ManagerState::update(Seconds elapsed) {
  take_reports();
  watch_clock(elapsed);
  forget_silent_banks();
}

}  // namespace tidewater
