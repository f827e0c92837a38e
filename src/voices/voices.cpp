#include "voices/voices.hpp"

#include <algorithm>

#include "dsp/resample.hpp"

namespace tidewater {
namespace {

/// What is shorter than this is not worth waiting for once it has lost its voice.
constexpr Seconds shortest_kept{2};
constexpr Seconds time_to_read{0.1};
/// Before the frame on which it is heard, what was delayed goes to the mixer: late enough that who may sound is decided by what sounds
/// then, and early enough for a slow frame of the game.
constexpr Seconds ahead_of_delay{0.25};

}  // namespace

Voices::Voices(const VoicesOptions& options, Link& link, Notebook& notebook, const GroupLevels& levels, const GroupLimits& limits,
               Reader& reader, Agenda& agenda)
    : options_(options),
      ahead_of_delay_(frames(ahead_of_delay, options.rate).value),
      link_(link),
      notebook_(notebook),
      levels_(levels),
      limits_(limits),
      starts_(options.playbacks),
      pool_(2 * static_cast<std::size_t>(options.voices)),
      agenda_(agenda),
      streams_(2 * static_cast<std::size_t>(options.voices), reader) {
  sleepers_.reserve(options.playbacks);
  of_clips_.waiting.reserve(options.playbacks);
  ended_.over.reserve(options.playbacks);
  ended_.fresh.reserve(options.playbacks);
  ended_.told.reserve(options.playbacks);
}

LiveStart& Voices::begin(PlayedSound& sound, const NewStart& as, std::span<Candidate> wanted, const Verdict& verdict) {
  if (verdict.makes_room()) make_room(verdict);
  LiveStart& start = starts_.begin(sound, as.id, as.emitter);
  start.scope = as.scope;
  start.base = as.base;
  start.heard = as.heard;
  start.in_world = as.from != nullptr;
  start.follows = as.follows;
  start.part = as.part;
  start.event = as.event;
  start.action = as.action;
  start.stays = as.part == Part::cadence;
  if (as.part == Part::beat) start.renewed = as.renewed;
  if (start.in_world) *start.from = *as.from;
  bool reading = false;
  for (Candidate& candidate : wanted) {
    start.stays = start.stays || candidate.layer->loop;
    if (candidate.fate == Candidate::Fate::too_late) continue;
    LiveLayer& layer = starts_.add_layer(start);
    layer.design = candidate.layer;
    layer.clip = candidate.clip;
    layer.its.drawn_gain = candidate.gain;
    layer.its.drawn_pitch = candidate.pitch;
    layer.level = candidate.own;
    if (start.follows) {
      layer.bent = candidate.bent;
      layer.lift = Level(candidate.bent.gain);
    }
    layer.progress.step = candidate.step;
    layer.progress.position = candidate.position;
    layer.progress.since = candidate.starts;
    layer.its.pan = as.pan;
    layer.its.low_pass = as.low_pass;
    layer.its.high_pass = as.high_pass;
    if (as.part == Part::beat) {  // nothing else has values of its own so early
      layer.its.own_gain = as.own_gain;
      layer.its.own_pitch = as.own_pitch;
    }
    if (start.in_world || start.follows || as.part == Part::beat) layer.progress.step = step_of(layer);
    sound.home->clips.use(layer.live_clip());
    if (candidate.fate == Candidate::Fate::voice) {
      if (as.track == nullptr)
        give_voice(layer, candidate.claim, as.base, candidate.starts, frames_of(sound.design->fade_in, layer));
      else
        give_voice(layer, candidate.claim, as.base, candidate.starts,
                   as.track->fade_in == 0 ? 0 : times().lasting(start.scope, as.track->fade_in, link_.changes_from()), as.track->law);
      candidate.voice = layer.voice;
    } else {
      fall_asleep(layer, candidate.position, candidate.starts);
      layer.unread = candidate.unread && start.part != Part::cadence;
      if (start.part == Part::cadence) {
        wait_for(layer, ScopeFrame::never());
      } else if (candidate.fate == Candidate::Fate::reading) {
        wait_for(layer, ScopeFrame::never());
        reading = true;
      } else if (as.track == nullptr && is_to_wait(start.scope, candidate.starts)) {
        wait_for(layer, waits_until(start.scope, candidate.starts));
      }
    }
  }
  if (reading) of_clips_.waiting.push_back(start.ref());
  return start;
}

LiveStart* Voices::find(StartRef ref) {
  LiveStart* start = starts_.find(ref);
  return start == nullptr || gone(*start) ? nullptr : start;
}

ClipPosition Voices::position_at(const LiveLayer& layer, ScopeFrame frame) const {
  ClipPosition position = layer.progress.position;
  position.advance(layer.progress.step, std::max<std::int64_t>(0, frame - layer.progress.since));
  if (layer.design->loop && !layer.clip->streamed) position.fold(layer.clip->loop_from, layer.clip->frames);
  return position;
}

bool Voices::worth_waiting(const BankLayer& design, const BankClip& clip, ClipPosition position, std::uint64_t step) const {
  if (design.loop) return true;
  position.advance(step, frames_of(shortest_kept));
  return position.whole < clip.frames;
}

std::uint64_t Voices::step_of(const PlayedSound& sound, Semitones pitch) const {
  return step_for(ratio(pitch) * sound.bank->rate.value / options_.rate.value);
}

std::uint64_t Voices::step_of(const LiveLayer& layer) const {
  const LiveStart& start = *layer.start;
  const double ratio = tidewater::ratio(layer.its.drawn_pitch + layer.its.own_pitch + layer.bent.pitch) * start.sound->bank->rate.value /
                       options_.rate.value;
  return step_for(start.in_world ? ratio * static_cast<double>(from_of(layer).speed) : ratio);
}

/// The lowest of its own, its gauges' and the air's.
float Voices::low_pass_of(const LiveLayer& layer) const {
  const auto own = static_cast<float>(Bent::lower(layer.its.low_pass, layer.bent.low_pass).value);
  const float air = layer.start->in_world ? from_of(layer).low_pass : 0;
  return own == 0 || air == 0 ? std::max(own, air) : std::min(own, air);
}

float Voices::high_pass_of(const LiveLayer& layer) { return static_cast<float>(std::max(layer.its.high_pass, layer.bent.high_pass).value); }

void Voices::give_voice(LiveLayer& layer, Claim claim, ScopeFrame base, ScopeFrame first, std::int64_t fade_in, FadeLaw law) {
  const PlayedSound& sound = *layer.start->sound;
  if (first != layer.progress.since) {
    layer.progress.position = position_at(layer, first);
    layer.progress.since = first;
  }
  layer.voice = pool_.take(layer);
  layer.stage = Stage::sounding;
  const LiveStart& start = *layer.start;
  OnVoice& on = pool_.on()[layer.voice];
  on.start = start.ref();
  on.group = sound.group;
  on.sound = &sound;
  on.rank = sound.design->rank;
  on.in_world = start.in_world;
  on.sounding = true;
  on.own = own_of(layer);
  if (start.in_world) on.from = on.sent = *start.from;
  pool_.claim(layer.voice, claim);
  if (layer.clip->streamed) streams_.open(layer);
  link_.send_start([&](StartVoice& command) {
    fill(command, layer, base, first, fade_in);
    command.law = law;
  });
  count_.most_sounding = std::max(count_.most_sounding, ++count_.sounding);
  if (count_.held > 0) spare_voices();
}

/// `command` has its defaults.
void Voices::fill(StartVoice& command, const LiveLayer& layer, ScopeFrame base, ScopeFrame first, std::int64_t fade_in) const {
  const PlayedSound& sound = *layer.start->sound;
  command.voice = layer.voice;
  command.group = sound.group;
  command.scope = layer.start->scope;
  command.clip = clip_of(layer);
  command.start_frame = first;
  command.base = base;
  command.position = layer.progress.position;
  command.step = layer.progress.step;
  command.fade_in = fade_in;
  command.gain = static_cast<float>(amplitude(layer.its.drawn_gain + layer.its.own_gain));
  command.lift = static_cast<float>(amplitude(layer.bent.gain));
  command.fold = options_.mono ? layer.clip->fold : 1;
  command.side = static_cast<float>(layer.its.pan.value);
  command.low_pass = low_pass_of(layer);
  command.high_pass = high_pass_of(layer);
  command.quality = sound.design->quality.value_or(options_.quality);
  command.loop = layer.design->loop;
  command.in_world = layer.start->in_world;
  if (command.in_world) {
    command.channels = layer.start->from->channels;
    command.fold = layer.clip->fold;
  }
}

ClipSamples Voices::clip_on(std::uint32_t voice) const {
  if (voice >= pool_.owners().size() || pool_.owners()[voice] == nullptr) return {};
  return clip_of(*pool_.owners()[voice]);
}

ClipSamples Voices::clip_of(const LiveLayer& layer) {
  ClipSamples clip = layer.clip->view(layer.live_clip().data);
  if (layer.stream != nullptr) clip.stream = &layer.stream->ring;
  return clip;
}

/// A sleeper takes a change along when it wakes.
void Voices::send(const LiveLayer& layer, const Command& command) {
  if (layer.stage != Stage::dormant) link_.send(command);
}

void Voices::set_gain(LiveLayer& layer, Decibels gain, Seconds time) {
  layer.its.own_gain = gain;
  layer.level = Level(layer.clip->level + layer.its.drawn_gain + gain);
  turned(layer);
  send(layer, SetVoiceGain{layer.voice, static_cast<float>(amplitude(layer.its.drawn_gain + gain)), frames_of(time, layer)});
}

void Voices::set_pan(LiveLayer& layer, Pan pan, Seconds time) {
  layer.its.pan = pan;
  send(layer, SetVoiceSide{layer.voice, static_cast<float>(pan.value), frames_of(time, layer)});
}

void Voices::set_filter(LiveLayer& layer, StateFilter::Kind kind, Hertz frequency, Seconds time) {
  (kind == StateFilter::Kind::low_pass ? layer.its.low_pass : layer.its.high_pass) = frequency;
  const float hertz = kind == StateFilter::Kind::low_pass ? low_pass_of(layer) : high_pass_of(layer);
  send(layer, SetFilter{layer.voice, false, kind, hertz, frames_of(time, layer)});
}

void Voices::bend(LiveLayer& layer, Semitones pitch, Seconds time) {
  layer.its.own_pitch = pitch;
  set_step(layer, frames_of(time, layer));
}

/// As fast as all that bends it says, from here on.
void Voices::set_step(LiveLayer& layer, std::int64_t ramp) {
  const LiveStart& start = *layer.start;
  const ScopeFrame now = start.paused() ? start.paused_at : times().at(start.scope, link_.changes_from());
  const ScopeFrame from = std::max(layer.progress.since, now);
  layer.progress.position = position_at(layer, from);
  layer.progress.since = from;
  layer.progress.step = step_of(layer);
  turned(layer);
  send(layer, SetVoiceStep{layer.voice, layer.progress.step, ramp});
}

void Voices::leave(LiveLayer& layer, Seconds fade, Ending how, const Reason& why) {
  leave(layer, {frames_of(fade, layer)}, fade, how, why);
}

void Voices::leave(LiveLayer& layer, const StopAt& stop, Seconds fade, Ending how, const Reason& why) {
  if (layer.stage == Stage::dormant) {
    get_up(layer);
    end(layer, link_.now().at, how);
    return;
  }
  if (layer.stage == Stage::sounding) --count_.sounding;
  if (layer.stage == Stage::held) --count_.held;
  if (layer.stage == Stage::settling) --count_.dormant;
  if (layer.stage != Stage::leaving) {
    ++count_.fading;
    pool_.claim_nothing(layer.voice);
    layer.stage = Stage::leaving;
    layer.how = how;
  }
  link_.send(StopVoice{layer.voice, stop.fade, stop.frame, stop.law});
  const bool later =
      stop.frame > ScopeFrame{0} && stop.frame > times().at(layer.start->scope, link_.now().lands) && !times().held(layer.start->scope);
  notebook_.add(link_.now().at, FadingNote{layer.start->id, layer.start->sound->design, layer.design, how, layer.voice, fade,
                                           notebook_.keep(why), later ? times().mixed(layer.start->scope, stop.frame) : MixFrame{}});
}

void Voices::leave_at(LiveStart& start, const StopAt& stop, const Reason& why) {
  StopAt its = stop;
  if (its.fade > 0) its.fade = times().lasting(start.scope, its.fade, link_.changes_from());
  each_layer(start, [&](LiveLayer& layer) { leave(layer, its, seconds({stop.fade}, options_.rate), Ending::stopped, why); });
}

bool Voices::plays_on(StartRef ref) {
  const LiveStart* start = find(ref);
  return start != nullptr && !leaving(*start);
}

bool Voices::stop(PlayedSound& sound, Seconds fade, PlaybackId by) {
  if (sound.latest == nullptr) return false;
  bool any = false;
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->start->sound == &sound && layer->stage != Stage::leaving) {
      leave(*layer, fade, Ending::stopped);
      any = true;
    }
  if (asleep(sound) == 0) return any;
  // What sleeps is over at once, however many they are.
  sound.stopped = by;
  forget_sleepers(sound);
  tended_.to_sweep = sleepers_.size();
  return true;
}

void Voices::stop_all(Seconds fade, PlaybackId by) {
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr) leave(*layer, fade, Ending::stopped);
  all_.before = by;
  ++all_.stops;
  count_.dormant = 0;
  tended_.to_sweep = sleepers_.size();
}

void Voices::unload(PlayedBank& bank, WhatPlays what_plays) {
  const bool finishes = what_plays == WhatPlays::finishes;
  for (LiveLayer* layer : pool_.owners()) {
    if (layer == nullptr || layer->start->sound->home != &bank) continue;
    const bool is_heard =
        layer->stage == Stage::sounding && layer->start->heard <= std::max(layer->start->base, base_of(layer->start->scope));
    const bool ends_by_itself = layer->stage == Stage::leaving || (is_heard && !layer->design->loop);
    if (finishes && ends_by_itself) continue;
    leave(*layer, finishes ? layer->start->sound->design->fade_out : Seconds{}, Ending::unloaded);
  }
  if (bank.playing > 0) tended_.to_sweep = sleepers_.size();
  count_.dormant -= static_cast<std::uint32_t>(asleep(bank));
  bank.unloaded = true;
}

void Voices::end(LiveLayer& layer, MixFrame frame, Ending how) {
  LiveStart& start = *layer.start;
  start.sound->home->clips.leave(layer.live_clip(), ++of_clips_.idle);
  if (!starts_.end(layer)) return;
  if (start.in_world || start.follows || start.part == Part::cadence) ended_.over.push_back(start.ref());
  notebook_.add(frame, EndedNote{start.id, start.sound->design, how});
  if (start.part == Part::beat) return;  // no game has its handle
  if (ended_.fresh.size() < ended_.fresh.capacity()) ended_.fresh.push_back({start.id, {start.emitter}, how});
}

void Voices::hand_out_ended() {
  ended_.told.clear();
  std::swap(ended_.fresh, ended_.told);
}

void Voices::take(const VoiceFinished& report) {
  LiveLayer& layer = pool_.give_back(report.voice);
  if (layer.start->in_world) *layer.start->from = pool_.on()[report.voice].from;
  if (layer.stream != nullptr) tell_of_stream(layer);  // what was late and was stopped since is told, too
  streams_.close(layer);
  const bool over = !layer.design->loop && report.position.whole >= layer.clip->frames;
  if (layer.stage == Stage::settling && !over) {
    const LiveStart& start = *layer.start;
    // A layer that was not heard yet begins where and when it was to begin.
    const ScopeFrame reached = times().at(start.scope, report.frame);
    if (reached < layer.progress.since)
      fall_asleep(layer, layer.progress.position, layer.progress.since);
    else
      fall_asleep(layer, report.position, start.paused() ? start.paused_at : reached);
    if (start.paused()) wait_for(layer, ScopeFrame::never());
    return;
  }
  if (layer.stage == Stage::sounding) --count_.sounding;
  if (layer.stage == Stage::held) --count_.held;
  if (layer.stage == Stage::settling) --count_.dormant;
  if (layer.stage == Stage::leaving) --count_.fading;
  end(layer, report.frame, layer.how);
}

std::optional<Voices::Claimed> Voices::claim_due(LiveLayer& layer) {
  stop_waiting(layer);
  if (times().held(layer.start->scope)) {  // the hold has just begun: the layer asks again when the scope resumes
    wait_for(layer, waits_until(layer.start->scope, layer.progress.since));
    return std::nullopt;
  }
  const LiveStart& start = *layer.start;
  Claimed claimed;
  Candidate& candidate = claimed.candidate;
  candidate.layer = layer.design;
  candidate.clip = layer.clip;
  candidate.gain = layer.its.drawn_gain + layer.its.own_gain;
  candidate.pitch = layer.its.drawn_pitch;
  candidate.step = layer.progress.step;
  candidate.position = layer.progress.position;
  candidate.level = level_of(layer);
  // Where the game gave no chance to ask in time, it begins late, and whole.
  candidate.starts = std::max(layer.progress.since, earliest(layer));
  layer.progress.since = candidate.starts;
  turned(layer);
  if (gone(layer)) return std::nullopt;
  freshen_claims();
  if (candidate.level.audible())
    claimed.verdict = verdict_on_due(start);
  else
    claimed.verdict.sound = start.sound, claimed.verdict.scope = start.scope;
  share(start.id, {&candidate, 1}, claimed.verdict);
  if (candidate.fate == Candidate::Fate::voice) {
    if (claimed.verdict.makes_room()) make_room(claimed.verdict);
    get_up(layer);
    give_voice(layer, candidate.claim, candidate.starts, candidate.starts, frames_of(start.sound->design->fade_in, layer));
    candidate.voice = layer.voice;
  }
  return claimed;
}

/// The first frame on which it can be heard if it is given a voice now. What plays from disk is given time to be read, so that it comes
/// on the same frame however fast the disk is.
ScopeFrame Voices::earliest(const LiveLayer& layer) const {
  return times().from(layer.start->scope, link_.base() + (layer.clip->streamed != nullptr ? frames_of(time_to_read) : 0));
}

void Voices::wake(LiveLayer& layer) {
  get_up(layer);
  const ScopeFrame first = std::max(earliest(layer), layer.progress.since);
  // A layer that a gauge has just raised from silence fades in as slowly as it follows that gauge.
  const bool lifted = layer.lifted_at == tended_.at;
  give_voice(layer, claim_of(layer), first, first,
             std::max<std::int64_t>(shortest_change(options_.rate.value), lifted ? way_to_next() : 0));
  notebook_.add(link_.now().at, WokeNote{layer.start->id, layer.start->sound->design, layer.design, layer.voice,
                                         times().mixed(layer.start->scope, layer.progress.since)});
}

}  // namespace tidewater
