#include <algorithm>

#include "dsp/resample.hpp"
#include "play/manager_state.hpp"

namespace tidewater {

namespace {

/// What is shorter than this is not worth waiting for once it has lost its voice.
constexpr Seconds worth_keeping{2};
constexpr Seconds time_to_read{0.1};
constexpr int most_swaps = 8;  // at a time

}  // namespace

bool ManagerState::has_slots(std::size_t layers) const { return free_slots.size() + options.playbacks - playbacks.size() >= layers; }

LivePlayback& ManagerState::take_slot() {
  if (free_slots.empty()) {
    LivePlayback& slot = playbacks.emplace_back();
    slot.index = static_cast<std::uint32_t>(playbacks.size() - 1);
    return slot;
  }
  LivePlayback& slot = playbacks[free_slots.back()];
  free_slots.pop_back();
  const std::uint32_t index = slot.index;
  slot = LivePlayback();
  slot.index = index;
  return slot;
}

/// Where the weakest of those that sound sounds; any other voice where nothing does.
std::uint32_t ManagerState::weakest_voice() const {
  return static_cast<std::uint32_t>(std::min_element(claims.begin(), claims.end()) - claims.begin());
}

/// Groups that were turned change what everybody claims.
void ManagerState::freshen_claims() {
  if (groups_heard == groups.changes()) return;
  groups_heard = groups.changes();
  for (LivePlayback* playback : owners)
    if (playback != nullptr) turned(*playback);
  for (std::size_t bed = 0; bed < sleepers.size(); ++bed) turned(sleepers[bed]);
}

void ManagerState::give_way(LivePlayback& playback, const LiveSound& to) {
  using Code = Reason::Code;
  put_to_sleep(playback, {.code = !level_of(playback).audible()                    ? Code::gave_way_to_heard
                                  : to.design->rank > playback.sound->design->rank ? Code::outranked_by
                                                                                   : Code::not_louder_than,
                          .name = to.design->name});
}

std::uint32_t ManagerState::take_voice() { return free_voices.take(); }

ClipPosition ManagerState::position_at(const LivePlayback& playback, std::int64_t frame) const {
  ClipPosition position = playback.position;
  position.advance(playback.step, std::max<std::int64_t>(0, frame - playback.since));
  if (playback.layer->loop && !playback.clip->streamed) position.fold(playback.clip->loop_from, playback.clip->frames);
  return position;
}

bool ManagerState::worth_waiting(const BankLayer& layer, const BankClip& clip, ClipPosition position, std::uint64_t step) const {
  if (layer.loop) return true;
  position.advance(step, frames_of(worth_keeping));
  return position.whole < clip.frames;
}

void ManagerState::give_voice(LivePlayback& playback, std::uint32_t voice, std::int64_t base, std::int64_t start_frame,
                              std::int64_t fade_in) {
  const BankSound& design = *playback.sound->design;
  playback.position = position_at(playback, start_frame);
  playback.since = start_frame;
  playback.voice = voice;
  playback.stage = Stage::sounding;
  owners[voice] = &playback;
  claims[voice] = claim_of(playback);
  StartVoice command;
  command.voice = voice;
  command.group = playback.sound->group;
  command.clip = playback.clip->view();
  if (playback.clip->streamed) {
    playback.stream = streamer.open(playback.clip->streamed, playback.position.whole, playback.layer->loop);
    playback.told_late = playback.told_back = StreamRing::never;
    streaming.push_back(&playback);
    command.clip.stream = &playback.stream->ring;
  }
  command.start_frame = start_frame;
  command.base = base;
  command.position = playback.position.whole;
  command.step = playback.step;
  command.fade_in = fade_in;
  command.gain = static_cast<float>(amplitude(playback.drawn_gain + playback.own_gain));
  command.fold = options.layout == Layout::mono ? playback.clip->fold : 1;
  command.side = static_cast<float>(playback.pan.value);
  command.low_pass = static_cast<float>(playback.low_pass.value);
  command.high_pass = static_cast<float>(playback.high_pass.value);
  command.quality = design.quality.value_or(options.quality);
  command.loop = playback.layer->loop;
  send(command);
  stats.most_playing = std::max(stats.most_playing, ++stats.playing);
}

/// Takes the voice of a sounding playback: it sleeps where it is worth it, and is over where it is not.
void ManagerState::put_to_sleep(LivePlayback& playback, const Reason& why) {
  // What nobody hears keeps its place however short it is: it may be heard before it ends.
  if (level_of(playback).audible() && !worth_waiting(*playback.layer, *playback.clip, position_at(playback, now.lands), playback.step)) {
    leave(playback, {}, "outranked", why);
    return;
  }
  claims[playback.voice] = Claim::none();
  playback.stage = Stage::settling;
  --stats.playing;
  ++stats.dormant;
  send(StopVoice{playback.voice, 0});
  notebook.add(now.at, FadingNote{playback.id, playback.sound->design, "dormant", playback.voice, {}, why});
}

/// The first frame at which it would be over.
std::int64_t ManagerState::end_of(const LivePlayback& playback) const {
  return playback.layer->loop ? Sleepers::never : playback.since + playback.position.frames_to(playback.clip->frames, playback.step);
}

std::size_t ManagerState::asleep(const LiveSound& sound) const { return sound.stops == stops ? sound.asleep : 0; }

/// They are gone, and only have to be swept up.
void ManagerState::forget_sleepers(LiveSound& sound) {
  stats.dormant -= static_cast<std::uint32_t>(asleep(sound));
  sound.asleep = 0;
}

void ManagerState::lie_down(LivePlayback& playback) {
  playback.bed = sleepers.add(playback, claim_of(playback), end_of(playback));
  playback.sound->asleep = asleep(*playback.sound) + 1;
  playback.sound->stops = stops;
}

void ManagerState::get_up(LivePlayback& playback) {
  if (!gone(playback)) {
    --playback.sound->asleep;
    --stats.dormant;
  }
  if (LivePlayback* moved = sleepers.remove(playback.bed)) moved->bed = playback.bed;
}

/// Its level or its pitch has changed.
void ManagerState::turned(LivePlayback& playback) {
  if (playback.stage == Stage::dormant) sleepers.change(playback.bed, claim_of(playback), end_of(playback));
  if (playback.stage == Stage::sounding) claims[playback.voice] = claim_of(playback);
}

bool ManagerState::gone(const LivePlayback& playback) const {
  return playback.stage == Stage::dormant &&
         (playback.id <= stopped || playback.id <= playback.sound->stopped || playback.sound->home->unloaded);
}

/// All of its layers that are not over.
bool ManagerState::gone(const LivePlayback* first) const {
  for (const LivePlayback* layer = first; layer != nullptr; layer = layer->next)
    if (layer->sound != nullptr && !gone(*layer)) return false;
  return true;
}

/// From now on it only keeps its place.
void ManagerState::fall_asleep(LivePlayback& playback, ClipPosition position, std::int64_t since) {
  if (playback.stage != Stage::settling) ++stats.dormant;
  playback.stage = Stage::dormant;
  playback.position = position;
  playback.since = since;
  lie_down(playback);
}

void ManagerState::leave(LivePlayback& playback, Seconds fade, const char* how, const Reason& why) {
  if (playback.stage == Stage::dormant) {
    get_up(playback);
    end(playback, now.at, how);
    return;
  }
  if (playback.stage == Stage::sounding) --stats.playing;
  if (playback.stage == Stage::settling) --stats.dormant;
  if (playback.stage != Stage::leaving) {
    ++stats.fading;
    claims[playback.voice] = Claim::none();
    playback.stage = Stage::leaving;
    playback.how = how;
  }
  send(StopVoice{playback.voice, frames_of(fade)});
  notebook.add(now.at, FadingNote{playback.id, playback.sound->design, how, playback.voice, fade, why});
}

void ManagerState::end(LivePlayback& playback, std::int64_t frame, const char* how) {
  LivePlayback& first = *playback.first;
  if (--first.alive == 0) notebook.add(frame, EndedNote{playback.id, playback.sound->design, how});
  LiveSound& sound = *playback.sound;
  playback.sound = nullptr;
  playback.stage = Stage::none;
  if (first.alive == 0) forget(first, sound);
}

/// All layers are over: their slots are free.
void ManagerState::forget(LivePlayback& first, LiveSound& sound) {
  (first.later != nullptr ? first.later->earlier : sound.latest) = first.earlier;
  if (first.earlier != nullptr) first.earlier->later = first.later;
  --sound.home->playing;
  for (LivePlayback *layer = &first, *next = nullptr; layer != nullptr; layer = next) {
    next = layer->next;
    layer->next = nullptr;
    free_slots.push_back(layer->index);
  }
}

void ManagerState::wake(LivePlayback& playback) {
  const std::uint32_t voice = take_voice();
  get_up(playback);
  // What plays from disk is given time to be read, so that it comes back on the same frame however fast the disk is.
  const std::int64_t soonest = now.lands + mixer.lead() + (playback.clip->streamed ? frames_of(time_to_read) : 0);
  const std::int64_t first = std::max(soonest, playback.since);
  give_voice(playback, voice, first, first, shortest_change(options.rate.value));
  notebook.add(now.at, WokeNote{playback.id, playback.sound->design, voice, playback.since});
}

/// Sleepers that have come to their end without being heard again.
void ManagerState::end_slept_out() {
  if (now.lands < sleepers.next_end()) return;
  for (std::size_t i = sleepers.size(); i-- > 0;) {
    if (!sleepers.ended(i, now.lands)) continue;
    LivePlayback& playback = sleepers[i];
    get_up(playback);
    end(playback, now.lands, "finished");
  }
}

/// Sleepers that were told to go, a portion at a time: there may be any number, and a game waits meanwhile.
void ManagerState::sweep() {
  constexpr std::size_t most = 256;
  std::size_t ended = 0;
  for (std::size_t i = sleepers.size(); i-- > 0 && ended < most;) {
    LivePlayback& playback = sleepers[i];
    if (!gone(playback)) continue;
    ++ended;
    get_up(playback);
    end(playback, now.at, playback.sound->home->unloaded ? "unloaded" : "stopped");
  }
  sweeping = ended == most;
}

/// Once for each step of the clock, in an update and nowhere else: then it makes no difference which request comes first.
void ManagerState::tend_pool() {
  if (now.at == pool_clock) return;
  pool_clock = now.at;
  groups.settle(now.at);
  if (sweeping) sweep();
  if (sweeping) return;  // thousands were told to go: nobody wakes among them until they are swept up
  end_slept_out();
  freshen_claims();
  for (int swaps = 0; swaps < most_swaps && !sleepers.empty(); ++swaps) {
    const std::size_t bed = sleepers.strongest();
    LivePlayback& best = sleepers[bed];
    if (!sleepers.claim(bed).audible() || free_voices.empty()) return;
    if (stats.playing >= options.voices) {
      const std::uint32_t weakest = weakest_voice();
      if (!sleepers.claim(bed).clearly_over(claims[weakest])) return;
      give_way(*owners[weakest], *best.sound);
    }
    wake(best);
  }
}

}  // namespace tidewater
