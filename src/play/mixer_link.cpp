#include <algorithm>
#include <chrono>
#include <cmath>
#include <type_traits>
#include <utility>

#include "play/manager_state.hpp"

namespace tidewater {

namespace {

constexpr Seconds patience{1};  // game time without a rendered frame before the journal says so
constexpr std::uint32_t most_voices = 4096;
constexpr std::uint32_t most_playbacks = 1 << 22;
constexpr std::uint32_t least_lines = 256, most_lines = 1 << 22;

}  // namespace

ManagerState::ManagerState(ManagerOptions given)
    : options((check_rate(given.rate, "the manager"), std::move(given))),
      // Twice as many as may sound: those that were told to go still fade when their successors begin.
      mixer({2 * (options.voices = std::clamp(options.voices, 1U, most_voices)), options.rate.value, options.layout, options.limiter}),
      owners(2 * static_cast<std::size_t>(options.voices)),
      claims(owners.size(), Claim::none()),
      free_voices(owners.size()),
      notebook(options.journal ? std::clamp(options.journal_lines, least_lines, most_lines) : 0),
      handed_on(options.journal ? std::clamp(options.journal_lines, least_lines, most_lines) : 0) {
  options.playbacks = std::clamp(options.playbacks, options.voices, most_playbacks);
  set_aside.reserve(owners.size());
  streaming.reserve(owners.size());
  in_order.reserve(options.playbacks);
  verdict.going.reserve(options.playbacks);
  constexpr std::size_t commands_a_voice = 7, commands_a_group = 4;
  backlog.reserve(owners.size() * commands_a_voice + most_groups * commands_a_group);
  candidates.reserve(most_layers);
  reports.reserve(owners.size());
  verdict.yielding.reserve(most_layers);
  playbacks.reserve(options.playbacks);
  free_slots.reserve(options.playbacks);
  sleepers.reserve(options.playbacks);
  notebook.add(now.at, noted::Head{options.rate, options.seed, options.voices, options.quality, options.layout, options.limiter});
}

void ManagerState::send(const Command& command) {
  std::int64_t lands = now.lands;
  if (!late_replayed.empty()) {
    const auto late = std::find_if(late_replayed.begin(), late_replayed.end(), [&](const noted::Late& l) { return l.request == request; });
    if (late != late_replayed.end()) lands = late->landed.value;
  }
  if (!backlog.empty() || !mixer.post(command, request, lands)) put_off({command, request, lands});
}

namespace {

/// Which voice or group a command is for.
std::pair<bool, std::uint32_t> target_of(const Command& command) {
  return std::visit(
      [](const auto& its) -> std::pair<bool, std::uint32_t> {
        using Its = std::decay_t<decltype(its)>;
        if constexpr (std::is_same_v<Its, SetFilter>)
          return {its.group, its.index};
        else if constexpr (std::is_same_v<Its, DefineGroup> || std::is_same_v<Its, SetGroupGain>)
          return {true, its.group};
        else
          return {false, its.voice};
      },
      command);
}

/// Whether the later of two commands leaves nothing of the earlier.
bool replaces(const Command& later, const Command& earlier) {
  if (later.index() != earlier.index() || target_of(later) != target_of(earlier)) return false;
  const auto* filter = std::get_if<SetFilter>(&later);
  return filter == nullptr || filter->kind == std::get<SetFilter>(earlier).kind;
}

}  // namespace

/// Where nothing renders, or a flood came between two blocks, only what counts in the end is kept: so this never grows beyond a
/// few commands for each voice and group.
void ManagerState::put_off(const Waiting& waiting) {
  Waiting put = waiting;
  const auto known = std::find_if(backlog.begin(), backlog.end(), [&](const Waiting& w) { return replaces(waiting.command, w.command); });
  if (known != backlog.end()) {
    if (auto* stop = std::get_if<StopVoice>(&put.command)) stop->fade = std::min(stop->fade, std::get<StopVoice>(known->command).fade);
    backlog.erase(known);
  }
  backlog.push_back(put);
}

void ManagerState::settle() {
  now = mixer.moment();
  if (replayed && replayed->at == now.at) now.lands = replayed->lands;
  replayed.reset();
  if (!backlog.empty()) {
    const auto left =
        std::find_if(backlog.begin(), backlog.end(), [&](const Waiting& w) { return !mixer.post(w.command, w.request, w.lands); });
    backlog.erase(backlog.begin(), left);
  }
  CameLate late;
  while (mixer.poll(late)) notebook.add(now.at, noted::Late{late.request, {late.landed}});
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
    free_voices.put(report.voice);
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

/// Says which streams were late, are back, or cannot go on.
void ManagerState::watch_streams() {
  for (std::size_t i = streaming.size(); i-- > 0;) {
    LivePlayback& playback = *streaming[i];
    const StreamRing& ring = playback.stream->ring;
    const auto tell_of_it = [&](Reason::Code code, double number, const char* how) {
      notebook.add(now.at,
                   NoticeNote{{.code = code, .number = number, .name = playback.clip->name}, playback.id, playback.sound->design, how});
    };
    if (playback.stream->failed && playback.how == nullptr) {
      if (!replaying) ask(asked::Unreadable{playback.id, playback.stream->trouble});
      continue;
    }
    if (const std::int64_t since = ring.late_since(); since != playback.told_late) {
      playback.told_late = since;
      ++stats.late;
      tell_of_it(Reason::Code::stream_late, seconds({since}, options.rate).value, "late");
    }
    if (const std::int64_t back = ring.back_at(); back != playback.told_back) {
      playback.told_back = back;
      tell_of_it(Reason::Code::stream_back, seconds({back - playback.told_late}, options.rate).value, "back");
    }
  }
}

std::int64_t ManagerState::into_block() const {
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

void ManagerState::watch_clock(Seconds elapsed) {
  if (std::isnan(elapsed.value)) elapsed = {};  // a game's own clock that is broken stops no sound
  unrendered = now.at == last_clock ? unrendered + elapsed : Seconds{};
  if (now.at != last_clock) told_unrendered = false;
  last_clock = now.at;
  if (unrendered < patience || stats.playing == 0 || told_unrendered) return;
  told_unrendered = true;
  tell({.code = Reason::Code::unrendered});
}

/// Once: whatever made them will make more.
void ManagerState::watch_for_broken_samples() {
  const std::uint32_t group = mixer.take_broken_group();
  if (group == Mixer::no_group || told_broken) return;
  told_broken = true;
  tell({.code = Reason::Code::broken_samples, .name = groups[group].name});
}

void ManagerState::update(Seconds elapsed) {
  if (updates.update(now.at, now.lands - now.at, [this](const noted::Updates& run) { note_update(run); })) ++request;
  tend_pool();
  watch_for_broken_samples();
  watch_streams();
  watch_clock(elapsed);
}

}  // namespace tidewater
