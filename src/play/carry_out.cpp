#include <fmt/format.h>

#include "dsp/resample.hpp"
#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

Outcome ManagerState::carry_out(const BankResponse& response, LiveBank& bank, PlaybackId id, Name event, Raised& raised) {
  LiveSound& sound = bank.sounds[response.sound];
  return response.kind == BankResponse::Kind::start ? start(sound, response, id, event, raised)
                                                    : stop_sound(sound, response.fade, id, event);
}

Outcome ManagerState::start(LiveSound& sound, const BankResponse& response, PlaybackId id, Name event, Raised& raised) {
  const BankSound& design = *sound.design;
  // Drawn in this order whatever becomes of the start, so that one refusal does not change every later draw.
  const BankClip& clip = sound.bank->clips[design.clips[sound.picker.next(sound.random)]];
  const Decibels gain{sound.random.between(design.gain.low.value, design.gain.high.value)};
  const Semitones pitch{sound.random.between(design.pitch.low.value, design.pitch.high.value)};
  const Pan pan{sound.random.between(design.pan.low.value, design.pan.high.value)};

  LivePlayback& playback = take_slot();
  playback.sound = &sound;
  playback.clip = &clip;
  playback.id = id;
  playback.drawn_gain = gain;
  playback.drawn_pitch = pitch;
  playback.pan = pan;
  playback.low_pass = design.low_pass;
  playback.high_pass = design.high_pass;
  playback.amplitude = amplitude(clip.level + gain);
  playback.step = step_of(playback, {});
  playback.since = std::max(mixer.next_frame(), mixer.clock() + frames_of(response.delay));

  const std::uint32_t voice = take_voice(playback);
  if (voice == no_voice && !can_sleep(playback)) {
    playback.sound = nullptr;
    free_slots.push_back(playback.index);
    return decide(Outcome::pool_full, id, fmt::format("all {} voices are taken by sounds that are louder or outrank it", options.voices));
  }
  const std::int64_t starts = playback.since;
  if (voice == no_voice)
    fall_asleep(playback, 0, starts);
  else
    give_voice(playback, voice, starts, frames_of(design.fade_in));
  ++stats.started;
  if (raised.count < Raised::most_handles) raised.playbacks[raised.count++] = Playback(this, playback.index, id);

  const bool heard = groups[sound.group].heard > 0;
  const Outcome outcome = voice == no_voice ? Outcome::dormant : heard ? Outcome::started : Outcome::silent;
  if (!options.journal) return outcome;
  JournalEntry& entry = note(Kind::decision);
  entry.outcome = outcome;
  if (voice == no_voice)
    entry.why = fmt::format("all {} voices are taken by sounds that are louder or outrank it; it keeps its place", options.voices);
  else if (!heard)
    entry.why = groups.why_silent(sound.group);
  entry.raise = id.raise;
  entry.playback = id;
  entry.event = event.text();
  entry.sound = design.name;
  entry.clip = clip.name;
  entry.group = groups[sound.group].name;
  entry.gain = gain;
  entry.pitch = pitch;
  entry.pan = pan;
  entry.voice = voice;
  entry.starts = {starts};
  entry.fade_in = design.fade_in;
  entry.loop = design.loop;
  return outcome;
}

Outcome ManagerState::stop_sound(const LiveSound& sound, Seconds fade, PlaybackId id, Name event) {
  std::uint32_t stopped = 0;
  for (auto& playback : playbacks) {
    if (playback.sound != &sound || playback.stage == Stage::leaving) continue;
    leave(playback, fade, "stopped");
    ++stopped;
  }
  const std::string& name = sound.design->name;
  if (stopped == 0) return decide(Outcome::nothing_to_stop, id, fmt::format("'{}' was not playing", name));
  JournalEntry& entry = note(Kind::decision);
  entry.raise = id.raise;
  entry.event = event.text();
  entry.sound = name;
  entry.fade = fade;
  return Outcome::done;
}

Outcome ManagerState::decide(Outcome outcome, PlaybackId id, std::string_view why) {
  if (refused(outcome)) ++stats.refused;
  JournalEntry& entry = note(Kind::decision);
  entry.outcome = outcome;
  entry.raise = id.raise;
  entry.playback = id;
  entry.why = why;
  return outcome;
}

std::uint64_t ManagerState::step_of(const LivePlayback& playback, Semitones shift) const {
  return step_for(ratio(playback.drawn_pitch + shift) * rate_of(playback).value / options.rate.value);
}

}  // namespace tidewater
