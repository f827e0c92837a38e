#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "dsp/resample.hpp"
#include "play/choose.hpp"
#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

namespace {

/// The numbers of one start, each from 0 to 1.
struct Draws {
  std::array<double, draw_count> at{};
  double of(Draw draw) const { return at[static_cast<std::size_t>(draw)]; }
};

/// The numbers of one layer, each from 0 to 1, and the frame on which that lets it start.
struct LayerDraws {
  bool there = false;
  double gain = 0, pitch = 0, delay = 0, start = 0;
  std::int64_t starts = 0;
};

double draw_one(const BankSound& design, Random& random) {
  // The mean of two is more often near the middle: a triangle.
  return design.towards_middle ? (random.unit() + random.unit()) / 2 : random.unit();
}

Draws draw_all(const BankSound& design, Random& random) {
  Draws draws;
  const double shared = draw_one(design, random);
  for (std::size_t i = 0; i < draw_count; ++i) draws.at[i] = design.together[i] ? shared : draw_one(design, random);
  return draws;
}

template <class T>
T within(const Range<T>& range, double at) {
  return T{range.low.value + (range.high.value - range.low.value) * at};
}

/// Evenly in decibels. Silence has none: a range that begins there is drawn evenly in how loud it sounds.
Decibels within(const Range<Decibels>& range, double at) {
  if (range.low == range.high) return range.low;
  if (range.low == silence) return from_loudness_fraction(loudness_fraction(range.high) * at);
  return {range.low.value + (range.high.value - range.low.value) * at};
}

/// Evenly in octaves.
Hertz within(const Range<Hertz>& range, double at) {
  if (range.low.value <= 0 || range.low == range.high) return range.low;
  return {range.low.value * std::exp2(std::log2(range.high.value / range.low.value) * at)};
}

}  // namespace

std::size_t slot_of(std::uint64_t emitter) { return static_cast<std::size_t>(Random(emitter).bits() % emitters_apart); }

std::vector<std::vector<Picker>> pickers_of(const BankSound& design) {
  std::vector<std::vector<Picker>> pickers;
  const std::size_t apart = design.each_emitter ? emitters_apart : 1;
  for (const auto& layer : design.layers) {
    auto& of_layer = pickers.emplace_back();
    for (const auto& choice : layer.choices) of_layer.insert(of_layer.end(), apart, Picker(layer.pick, choice));
  }
  return pickers;
}

Outcome ManagerState::carry_out(const BankResponse& response, LiveBank& bank, PlaybackId id, const Happening& happening, Raised& raised) {
  LiveSound& sound = bank.sounds[response.sound];
  return response.kind == BankResponse::Kind::start ? start(sound, response, id, happening, raised)
                                                    : stop_sound(sound, response.fade, id, happening.event);
}

Outcome ManagerState::start(LiveSound& sound, const BankResponse& response, PlaybackId id, const Happening& happening, Raised& raised) {
  const BankSound& design = *sound.design;
  // All is drawn first, since a delay decides what is too soon; what is held back leaves the numbers as they were. What is
  // refused later does not: then one refusal does not change every later draw.
  Random random = sound.random;
  const Draws draws = draw_all(design, random);
  const Seconds delay = response.delay + within(design.delay, draws.of(Draw::delay));
  std::array<LayerDraws, most_layers> drawn;
  std::int64_t heard = std::numeric_limits<std::int64_t>::max();
  for (std::size_t l = 0; l < design.layers.size(); ++l) {
    const BankLayer& layer = design.layers[l];
    const bool there = layer.chance >= 1 || random.unit() < layer.chance;
    drawn[l] = {there, random.unit(), random.unit(), random.unit(), random.unit()};
    drawn[l].starts = happening.base + frames_of(delay + within(layer.delay, drawn[l].delay));
    if (there) heard = std::min(heard, drawn[l].starts);
  }
  if (const auto held = hold_back(sound, id, happening.emitter, heard)) return *held;
  sound.random = random;

  const std::size_t emitter = design.each_emitter ? slot_of(happening.emitter) : 0;
  const std::size_t apart = design.each_emitter ? emitters_apart : 1;
  LivePlayback* first = nullptr;
  const BankClip* past_end = nullptr;  ///< a clip that was to begin beyond its end
  const BankLayer* without_clip = nullptr;
  Outcome outcome = Outcome::left_out;
  for (std::size_t l = 0; l < design.layers.size(); ++l) {
    const BankLayer& layer = design.layers[l];
    const LayerDraws& its_draws = drawn[l];
    const BankChoice* choice = choice_for(layer, happening.traits);
    if (choice == nullptr || choice->clips.empty()) {
      if (its_draws.there && first == nullptr) {
        outcome = Outcome::no_clip;
        without_clip = &layer;
      }
      continue;
    }
    if (its_draws.there && went_otherwise(layer, choice)) note_otherwise(sound, layer, happening);
    const auto number = static_cast<std::size_t>(choice - layer.choices.data());
    const BankClipUse& use = choice->clips[sound.pickers[l][number * apart + emitter].next(sound.random)];
    if (!its_draws.there) continue;
    const BankClip& clip = sound.bank->clips[use.clip];
    const Frames start_at = frames(within(layer.start_at, its_draws.start), sound.bank->rate);
    if (!layer.loop && start_at.value >= clip.frames) {
      if (!plays(outcome)) outcome = Outcome::past_end;
      past_end = &clip;
      continue;
    }

    LivePlayback& playback = prepare(sound, layer, use, id);
    playback.emitter = happening.emitter;
    playback.heard = heard;
    playback.drawn_gain = within(design.gain, draws.of(Draw::gain)) + within(layer.gain, its_draws.gain) + use.trim;
    playback.drawn_pitch = within(design.pitch, draws.of(Draw::pitch)) + within(layer.pitch, its_draws.pitch);
    playback.pan = within(design.pan, draws.of(Draw::pan));
    playback.low_pass = within(design.low_pass, draws.of(Draw::low_pass));
    playback.high_pass = design.high_pass;
    playback.amplitude = amplitude(playback.clip->level + playback.drawn_gain);
    playback.step = step_of(playback, {});
    playback.position = layer.start_anywhere ? std::floor(its_draws.start * static_cast<double>(clip.frames - 1))
                        : clip.streamed      ? static_cast<double>(start_at.value)
                                             : static_cast<double>(clip.view().folded(start_at.value));
    playback.since = its_draws.starts;

    const Outcome its = begin(playback, design.fade_in, happening.base, first);
    if (plays(its)) {
      if (options.journal) note_start(playback, its, happening.event, use);
      if (!plays(outcome) || its == Outcome::started) outcome = its;
    } else if (!plays(outcome)) {
      outcome = its;
    }
  }
  if (first != nullptr) {
    ++stats.started;
    sound.last_starts[design.limit_each_emitter ? slot_of(happening.emitter) : 0].add(design.limit_each_emitter ? happening.emitter : 0,
                                                                                      heard);
    if (raised.count < Raised::most_handles) raised.playbacks[raised.count++] = Playback(this, first->index, id);
    return outcome;
  }
  if (outcome == Outcome::past_end)
    return decide(outcome, id,
                  fmt::format("'{}' was to begin beyond the end of '{}', which has {:.3f} s; see its start-at", design.name, past_end->name,
                              seconds({past_end->frames}, sound.bank->rate).value));
  if (outcome == Outcome::no_clip)
    return decide(outcome, id, why_otherwise(design, *without_clip, happening.traits, ", and none otherwise"));
  if (outcome == Outcome::left_out) return decide(outcome, id, fmt::format("'{}' is there by chance, and was not this time", design.name));
  return decide(outcome, id, fmt::format("all {} voices are taken by sounds that are louder or outrank it", options.voices));
}

/// Once for each value, so that a step a second does not fill the journal.
void ManagerState::note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening) {
  if (!options.journal || sound.told_count == sound.told.size()) return;
  const std::uint64_t key = otherwise_key(layer, happening.traits);
  const auto end = sound.told.begin() + static_cast<std::ptrdiff_t>(sound.told_count);
  if (std::find(sound.told.begin(), end, key) != end) return;
  sound.told[sound.told_count++] = key;
  note(Kind::notice).why = fmt::format("{}: {}", happening.event.text(),
                                       why_otherwise(*sound.design, layer, happening.traits, ", and plays what it has otherwise"));
}

LivePlayback& ManagerState::prepare(LiveSound& sound, const BankLayer& layer, const BankClipUse& use, PlaybackId id) {
  LivePlayback& playback = take_slot();
  playback.sound = &sound;
  playback.layer = &layer;
  playback.clip = &sound.bank->clips[use.clip];
  playback.id = id;
  return playback;
}

/// Gives it a voice, lets it wait for one, or gives it up. The first layer of a start that plays leads the others.
Outcome ManagerState::begin(LivePlayback& playback, Seconds fade_in, std::int64_t base, LivePlayback*& first) {
  const std::uint32_t voice = take_voice(playback);
  if (voice == no_voice && !can_sleep(playback)) {
    playback.sound = nullptr;
    free_slots.push_back(playback.index);
    return Outcome::pool_full;
  }
  if (first == nullptr) {
    first = &playback;
    playback.among = playback.sound->starts.size();
    playback.sound->starts.push_back(first);
    ++playback.sound->home->playing;
  }
  playback.first = first;
  if (&playback != first) {
    playback.next = first->next;
    first->next = &playback;
  }
  ++first->alive;
  if (voice == no_voice) {
    fall_asleep(playback, playback.position, playback.since);
    return Outcome::dormant;
  }
  give_voice(playback, voice, base, playback.since, frames_of(fade_in));
  return level_of(playback) > 0 ? Outcome::started : Outcome::silent;
}

std::string ManagerState::why_silent(const LivePlayback& playback) const {
  if (groups[playback.sound->group].heard <= 0) return groups.why_silent(playback.sound->group);
  return playback.drawn_gain == silence ? "its level was drawn at silence" : "its clip is silent";
}

void ManagerState::note_start(const LivePlayback& playback, Outcome outcome, Name event, const BankClipUse& use) {
  const BankSound& design = *playback.sound->design;
  JournalEntry& entry = note(&playback == playback.first ? Kind::decision : Kind::layer);
  entry.outcome = outcome;
  if (outcome == Outcome::dormant)
    entry.why = fmt::format("all {} voices are taken by sounds that are louder or outrank it; it keeps its place", options.voices);
  else if (outcome == Outcome::silent)
    entry.why = why_silent(playback);
  entry.raise = playback.id.raise;
  entry.playback = playback.id;
  entry.event = event.text();
  entry.sound = design.name;
  entry.layer = playback.layer->name;
  entry.clip = playback.clip->name;
  entry.group = groups[playback.sound->group].name;
  entry.gain = playback.drawn_gain - use.trim;
  entry.pitch = playback.drawn_pitch;
  entry.pan = playback.pan;
  entry.voice = outcome == Outcome::dormant ? no_voice : playback.voice;
  entry.clip_start = {playback.position / rate_of(playback).value};
  entry.frequency = playback.low_pass;
  entry.starts = {playback.since};
  entry.fade_in = design.fade_in;
  entry.loop = playback.layer->loop;
}

Outcome ManagerState::stop_sound(LiveSound& sound, Seconds fade, PlaybackId id, Name event) {
  list_starts(sound, std::nullopt);
  for (LivePlayback* first : in_order) leave_start(*first, fade, "stopped");
  const std::string& name = sound.design->name;
  if (in_order.empty()) return decide(Outcome::nothing_to_stop, id, fmt::format("'{}' was not playing", name));
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
