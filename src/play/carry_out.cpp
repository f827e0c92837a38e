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

  const double level = amplitude(clip.level + gain) * groups[sound.group].heard;
  const std::uint32_t voice = take_voice(level, design.name);
  if (voice == playbacks.size())
    return decide(Outcome::pool_full, id, fmt::format("all {} voices are taken by louder sounds", options.voices));

  LivePlayback& playback = playbacks[voice];
  playback = {&sound, &clip, id, gain, {}, pitch, nullptr};
  const std::int64_t starts = std::max(mixer.next_frame(), mixer.clock() + frames_of(response.delay));
  StartVoice command;
  command.voice = voice;
  command.group = sound.group;
  command.clip = clip.view();
  command.start_frame = starts;
  command.step = step_of(playback, {});
  command.fade_in = frames_of(design.fade_in);
  command.gain = static_cast<float>(amplitude(gain));
  command.side = static_cast<float>(pan.value);
  command.low_pass = static_cast<float>(design.low_pass.value);
  command.high_pass = static_cast<float>(design.high_pass.value);
  command.quality = design.quality.value_or(options.quality);
  command.loop = design.loop;
  send(command);
  ++stats.started;
  stats.most_playing = std::max(stats.most_playing, ++stats.playing);
  if (raised.count < Raised::most_handles) raised.playbacks[raised.count++] = Playback(this, voice, id);

  const bool heard = groups[sound.group].heard > 0;
  JournalEntry& entry = note(Kind::decision);
  entry.outcome = heard ? Outcome::started : Outcome::silent;
  if (!heard) entry.why = groups.why_silent(sound.group);
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
  return entry.outcome;
}

Outcome ManagerState::stop_sound(const LiveSound& sound, Seconds fade, PlaybackId id, Name event) {
  std::uint32_t stopped = 0;
  for (auto& playback : playbacks) {
    if (playback.sound != &sound || playback.leaving != nullptr) continue;
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

double ManagerState::level_of(const LivePlayback& playback) const {
  return amplitude(playback.clip->level + playback.drawn_gain + playback.own_gain) * groups[playback.sound->group].heard;
}

std::uint32_t ManagerState::take_voice(double level, const std::string& newcomer) {
  const auto none = static_cast<std::uint32_t>(playbacks.size());
  if (free_voices.empty()) return none;
  if (stats.playing >= options.voices) {
    LivePlayback* quietest = nullptr;
    double least = level;
    for (auto& playback : playbacks) {
      if (playback.sound == nullptr || playback.leaving != nullptr) continue;
      const double its = level_of(playback);
      const bool older = quietest == nullptr || playback.id < quietest->id;
      if (its > least || (its == least && !older)) continue;
      quietest = &playback;
      least = its;
    }
    if (quietest == nullptr) return none;
    leave(*quietest, {}, "outranked", fmt::format("its voice went to '{}', which is not quieter", newcomer));
  }
  const std::uint32_t voice = free_voices.top();
  free_voices.pop();
  return voice;
}

void ManagerState::leave(LivePlayback& playback, Seconds fade, const char* how, std::string_view why) {
  if (playback.leaving == nullptr) {
    --stats.playing;
    ++stats.fading;
    playback.leaving = how;
  }
  send(StopVoice{index_of(playback), frames_of(fade)});
  JournalEntry& entry = note(Kind::fading);
  entry.playback = playback.id;
  entry.sound = playback.sound->design->name;
  entry.fade = fade;
  entry.how = how;
  entry.why = why;
}

std::uint64_t ManagerState::step_of(const LivePlayback& playback, Semitones shift) const {
  return step_for(ratio(playback.drawn_pitch + shift) * playback.sound->bank->rate.value / options.rate.value);
}

}  // namespace tidewater
