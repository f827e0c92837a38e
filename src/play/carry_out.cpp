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
  std::array<Candidate, most_layers> candidates;
  std::size_t count = 0;
  const BankClip* past_end = nullptr;  ///< a clip that was to begin beyond its end
  const BankLayer* without_clip = nullptr;
  for (std::size_t l = 0; l < design.layers.size(); ++l) {
    const BankLayer& layer = design.layers[l];
    const LayerDraws& its_draws = drawn[l];
    const BankChoice* choice = choice_for(layer, happening.traits);
    if (choice == nullptr || choice->clips.empty()) {
      if (its_draws.there && without_clip == nullptr) without_clip = &layer;
      continue;
    }
    if (its_draws.there && went_otherwise(layer, choice)) note_otherwise(sound, layer, happening);
    const auto number = static_cast<std::size_t>(choice - layer.choices.data());
    const BankClipUse& use = choice->clips[sound.pickers[l][number * apart + emitter].next(sound.random)];
    if (!its_draws.there) continue;
    const BankClip& clip = sound.bank->clips[use.clip];
    const Frames start_at = frames(within(layer.start_at, its_draws.start), sound.bank->rate);
    if (!layer.loop && start_at.value >= clip.frames) {
      past_end = &clip;
      continue;
    }
    Candidate& candidate = candidates[count++];
    candidate.layer = &layer;
    candidate.use = &use;
    candidate.clip = &clip;
    candidate.gain = within(design.gain, draws.of(Draw::gain)) + within(layer.gain, its_draws.gain) + use.trim;
    candidate.pitch = within(design.pitch, draws.of(Draw::pitch)) + within(layer.pitch, its_draws.pitch);
    candidate.step = step_of(sound, candidate.pitch);
    candidate.position = layer.start_anywhere ? std::floor(its_draws.start * static_cast<double>(clip.frames - 1))
                         : clip.streamed      ? static_cast<double>(start_at.value)
                                              : static_cast<double>(clip.view().folded(start_at.value));
    candidate.starts = its_draws.starts;
    candidate.level = Level(clip.level + candidate.gain) + groups[sound.group].heard;
  }
  const std::span<Candidate> wanted(candidates.data(), count);
  if (count == 0) {
    if (past_end != nullptr)
      return decide(Outcome::past_end, id,
                    fmt::format("'{}' was to begin beyond the end of '{}', which has {:.3f} s; see its start-at", design.name,
                                past_end->name, seconds({past_end->frames}, sound.bank->rate).value));
    if (without_clip != nullptr)
      return decide(Outcome::no_clip, id, why_otherwise(design, *without_clip, happening.traits, ", and none otherwise"));
    return decide(Outcome::left_out, id, fmt::format("'{}' is there by chance, and was not this time", design.name));
  }
  share_voices(sound, id, wanted);
  if (std::none_of(wanted.begin(), wanted.end(), [](const Candidate& c) { return c.fate != Candidate::Fate::too_late; }))
    return decide(Outcome::pool_full, id, why(sound, wanted.front()));

  make_room(sound);
  LivePlayback* first = nullptr;
  Outcome outcome = Outcome::pool_full;
  for (Candidate& candidate : wanted) {
    if (candidate.fate == Candidate::Fate::too_late) continue;
    LivePlayback& playback = begin(sound, candidate, id, first);
    playback.pan = within(design.pan, draws.of(Draw::pan));
    playback.low_pass = within(design.low_pass, draws.of(Draw::low_pass));
    playback.high_pass = design.high_pass;
    if (first == nullptr) {
      first = &playback;
      first->emitter = happening.emitter;
      first->heard = heard;
    }
    if (candidate.fate == Candidate::Fate::voice)
      give_voice(playback, candidate.voice = take_voice(), happening.base, candidate.starts, frames_of(design.fade_in));
    else
      fall_asleep(playback, candidate.position, candidate.starts);
    if (!plays(outcome) || outcome_of(candidate.fate) < outcome) outcome = outcome_of(candidate.fate);
  }
  if (options.journal) note_starts(sound, wanted, *first, happening.event);
  ++stats.started;
  sound.last_starts[design.limit_each_emitter ? slot_of(happening.emitter) : 0].add(design.limit_each_emitter ? happening.emitter : 0,
                                                                                    heard);
  if (raised.count < Raised::most_handles) raised.playbacks[raised.count++] = Playback(this, first->index, id);
  return outcome;
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

/// A layer of a start, the first of which leads the others.
LivePlayback& ManagerState::begin(LiveSound& sound, const Candidate& candidate, PlaybackId id, LivePlayback* first) {
  LivePlayback& playback = take_slot();
  playback.sound = &sound;
  playback.layer = candidate.layer;
  playback.clip = candidate.clip;
  playback.id = id;
  playback.drawn_gain = candidate.gain;
  playback.drawn_pitch = candidate.pitch;
  playback.level = Level(candidate.clip->level + candidate.gain);
  playback.step = candidate.step;
  playback.position = candidate.position;
  playback.since = candidate.starts;
  if (first == nullptr) {
    first = &playback;
    playback.among = sound.starts.size();
    sound.starts.push_back(first);
    ++sound.home->playing;
  } else {
    playback.next = first->next;
    first->next = &playback;
  }
  playback.first = first;
  ++first->alive;
  return playback;
}

/// In words, why a layer is not heard; nothing where it is.
std::string ManagerState::why(const LiveSound& sound, const Candidate& candidate) const {
  using Fate = Candidate::Fate;
  switch (candidate.fate) {
    case Fate::voice: return {};
    case Fate::waits: return why_no_voice(candidate) + "; it keeps its place";
    case Fate::too_late: return why_no_voice(candidate) + ", and it is too short to wait";
    case Fate::unheard: break;
  }
  const Groups::Group& group = groups[sound.group];
  if (!group.heard.audible()) {
    std::string why = groups.why_silent(sound.group);
    return why.empty() ? fmt::format("group '{}' and those above it come to less than -120 dB", group.name) : why;
  }
  if (candidate.gain == silence) return "its level was drawn at silence";
  return candidate.clip->level == silence ? "its clip is silent" : "it would be quieter than -120 dB";
}

std::string ManagerState::why_no_voice(const Candidate& candidate) const {
  if (candidate.all_fade) return "there is room for it, but every voice still fades what was told to go";
  return fmt::format("all {} voices are taken by sounds that are louder or outrank it", options.voices);
}

/// One line is the decision, as the whole came out; every further layer has one of its own, also where it found no voice.
void ManagerState::note_starts(const LiveSound& sound, std::span<const Candidate> layers, const LivePlayback& first, Name event) {
  const auto leads = std::min_element(layers.begin(), layers.end(), [](const auto& a, const auto& b) { return a.fate < b.fate; });
  const auto note_one = [&](const Candidate& candidate, Kind kind) {
    JournalEntry& entry = note(kind);
    entry.outcome = outcome_of(candidate.fate);
    entry.why = why(sound, candidate);
    entry.raise = first.id.raise;
    entry.playback = first.id;
    entry.event = event.text();
    entry.sound = sound.design->name;
    entry.layer = candidate.layer->name;
    entry.clip = candidate.clip->name;
    entry.group = groups[sound.group].name;
    entry.gain = candidate.gain - candidate.use->trim;
    entry.pitch = candidate.pitch;
    entry.pan = first.pan;
    entry.voice = candidate.voice;
    entry.clip_start = {candidate.position / sound.bank->rate.value};
    entry.frequency = first.low_pass;
    entry.starts = {candidate.starts};
    entry.fade_in = sound.design->fade_in;
    entry.loop = candidate.layer->loop;
  };
  note_one(*leads, Kind::decision);
  for (auto layer = layers.begin(); layer != layers.end(); ++layer)
    if (layer != leads) note_one(*layer, Kind::layer);
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

std::uint64_t ManagerState::step_of(const LiveSound& sound, Semitones pitch) const {
  return step_for(ratio(pitch) * sound.bank->rate.value / options.rate.value);
}

}  // namespace tidewater
