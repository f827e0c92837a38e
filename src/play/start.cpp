/// A sound starts. All of it is drawn, picked and judged before anything is done, so that a start that is refused silences nobody.

#include <algorithm>
#include <array>
#include <limits>
#include <optional>
#include <span>
#include <string>

#include "base/fetch.hpp"
#include "base/few.hpp"
#include "choose/pick.hpp"
#include "choose/shape.hpp"
#include "choose/traits.hpp"
#include "play/starter.hpp"
#include "terms/emitters.hpp"

namespace tidewater {
namespace {

/// One start while it is decided. `run` has the order of the steps; each step uses what the steps before it have found.
class Starting {
 public:
  Starting(Starter& starter, LiveBank& bank, LiveSound& sound, const Starter::Added& added, PlaybackId id, const Happening& happening,
           const HeardFrom* from)
      : starter_(starter),
        added_(added),
        bank_(bank),
        sound_(sound),
        happening_(happening),
        id_(id),
        from_(from),
        draws_(sound.key, ++sound.memory->asked),  // a start that is held back has numbers of its own, too
        shape_(draw_shape(*sound.design, draws_)),
        scope_(happening.scope.value_or(sound.scope)),
        base_(happening.beat_of != nullptr ? happening.step
              : happening.exact != nullptr ? happening.exact->frame
                                           : starter.voices.times().from(scope_, happening.base)) {
    if (design_.cadence.high > Seconds{}) part_ = happening.beat_of != nullptr ? Part::beat : Part::cadence;
  }

  Outcome run(StartedSounds& started);

 private:
  /// The chosen clip of a layer: the part that voices do not need.
  struct Chosen {
    std::size_t list = 0;  ///< number of the list of clips, among all lists of the sound
    const BankClipUse* use = nullptr;
    Picked picked;
  };

  LiveStart* left_over() const;
  Outcome go_on_with(LiveStart& before, StartedSounds& started);
  void draw_layers();
  bool choose_clip(Candidate& candidate);
  bool shape_layer(Candidate& candidate, Decibels trim);
  Level heard_there(Level own) const;
  void go_by_gauges();
  bool any_clip_away() const;
  bool is_track() const { return happening_.exact != nullptr && happening_.exact->is_track; }
  NewStart as_drawn();
  bool is_short() const;
  bool nobody_would_hear() const;
  Reason why_held() const;
  MixFrame starts_on(const Candidate& candidate) const;
  Outcome begin(const NewStart& as, StartedSounds& started);
  void note_layers(const NewStart& as);
  void note_layer(const Candidate& candidate, const NewStart& as, bool further);

  Outcome refuse(Outcome outcome, const Reason& why) { return starter_.noting.decide(outcome, id_, why, happening_.event); }
  Outcome refuse_held(const Gated& gated, StartedSounds& started);
  Outcome refuse_empty(const std::string& unreadable);
  Outcome refuse_without_room() {
    return refuse(Outcome::no_room, {.code = Reason::Code::no_playbacks, .number = static_cast<double>(starter_.options.playbacks)});
  }
  Followers::Follower* follower() { return follower_ ? &*follower_ : nullptr; }

  Starter& starter_;
  const Starter::Added added_;
  LiveBank& bank_;
  LiveSound& sound_;
  const BankSound& design_ = *sound_.design;
  const Happening& happening_;
  PlaybackId id_;
  Part part_ = Part::whole;
  const HeardFrom* from_;  ///< null on the screen
  Draws draws_;
  StartShape shape_;
  ScopeNumber scope_;
  ScopeFrame base_;  ///< the frame that delays count from, in the scope's time
  Layers layers_;
  Few<Chosen, most_layers> chosen_;              ///< by the layer's number
  ScopeFrame heard_ = ScopeFrame::never();       ///< the frame on which the first layer begins
  std::optional<Followers::Follower> follower_;  ///< of a sound that follows gauges
  Verdict* verdict_ = nullptr;

  // Why a layer was left out.
  const BankClip* past_end_ = nullptr;  ///< the layer was to begin beyond the end of this clip
  const BankLayer* without_clip_ = nullptr;
};

Outcome Starting::run(StartedSounds& started) {
  if (starter_.scopes[scope_].state == Scopes::State::ended) return refuse(Outcome::scope_ended, starter_.scopes.why_ended(scope_));
  if (part_ != Part::beat && !is_track())
    if (LiveStart* before = left_over()) return go_on_with(*before, started);
  draw_layers();
  Gated gated = starter_.voices.gate(sound_, sound_.memory->heard, {happening_.emitter.number, scope_, heard_}, from_, part_);
  if (gated.held()) return refuse_held(gated, started);
  if (!starter_.voices.has_room(1)) return refuse_without_room();  // before anything is drawn: there may be a million
  verdict_ = &gated.verdict;
  verdict_->at_once = is_track();
  layers_.erase_if([&](Candidate& candidate) { return !choose_clip(candidate); });
  if (sound_.following != nullptr) go_by_gauges();
  std::string unreadable;
  const bool waits = any_clip_away() && starter_.library.wait_for_clips(bank_, layers_, unreadable);
  if (layers_.empty()) return refuse_empty(unreadable);
  if (starter_.voices.times().held(scope_) && part_ != Part::cadence && is_short()) return refuse(Outcome::paused, why_held());

  const NewStart as = as_drawn();
  if (part_ == Part::cadence) return starter_.begin_cadence(sound_, as, added_.gain, happening_, layers_, follower(), *verdict_, started);
  if (nobody_would_hear()) return refuse(Outcome::out_of_range, Listening::why_out_of_range(sound_, *from_));
  if (waits)
    for (Candidate& candidate : layers_) candidate.fate = Candidate::Fate::reading;
  else
    starter_.voices.share(id_, layers_, *verdict_);
  if (!layers_.any([](const Candidate& its) { return its.begins(); }))
    return refuse(Outcome::pool_full, starter_.why(sound_, layers_.front(), from_, *verdict_));
  if (!starter_.voices.has_room(layers_.size())) return refuse_without_room();
  return begin(as, started);
}

/// Returns a playback of the sound at the same emitter or place that plays on after a restart of the scope. Null if there is none.
LiveStart* Starting::left_over() const {
  return starter_.voices.left_over(sound_, scope_, happening_.emitter.number, [&](const LiveStart& start) {
    if (!start.in_world || happening_.emitter) return true;
    return happening_.at && starter_.listening.earshot.has(start.ref()) &&
           place_of(starter_.listening.earshot.where(start.slot)) == place_of(*happening_.at);
  });
}

Outcome Starting::go_on_with(LiveStart& before, StartedSounds& started) {
  before.renewed = id_.raise;
  if (part_ == Part::cadence) starter_.change_traits(sound_, happening_);
  add(started, before.ref());
  return refuse(Outcome::went_on, {.code = Reason::Code::went_on,
                                   .number = static_cast<double>(before.id.raise),
                                   .other = static_cast<double>(before.id.response),
                                   .name = starter_.scopes.names().name(scope_)});
}

/// Which layers there are, and on which frames they begin. They are drawn first because a delay decides what is too soon.
void Starting::draw_layers() {
  const bool cadence = part_ == Part::cadence;
  std::size_t number = 0, list = 0;
  for (const BankLayer& layer : design_.layers) {
    chosen_.emplace_back().list = list;
    if (cadence || draw_there(layer, number, draws_)) {
      const Seconds own = cadence ? Seconds{} : draw_delay(shape_, layer, number, draws_);  // each step has a delay of its own
      Candidate& candidate = layers_.emplace_back();
      candidate.layer = &layer;
      candidate.number = number;
      candidate.starts = base_ + starter_.voices.frames_of(added_.delay + own);
      heard_ = std::min(heard_, candidate.starts);
    }
    ++number;
    list += layer.choices.size();
  }
}

/// False if the layer has no clip for the traits, or would begin past its clip's end.
bool Starting::choose_clip(Candidate& candidate) {
  const BankLayer& layer = *candidate.layer;
  Chosen& chosen = chosen_[candidate.number];
  const BankChoice* choice = choice_for(layer, sound_.choice_keys.data() + chosen.list, happening_.traits);
  if (choice == nullptr || choice->clips.empty()) {
    if (without_clip_ == nullptr) without_clip_ = &layer;
    return false;
  }
  if (went_otherwise(layer, choice)) starter_.note_otherwise(sound_, layer, happening_);
  chosen.list += static_cast<std::size_t>(choice - layer.choices.data());
  if (design_.each_emitter) chosen.list = chosen.list * emitters_apart + slot_of(happening_.emitter.number);
  chosen.picked = pick(layer.pick, *choice, sound_.memory->picks[chosen.list], Draws::hash_of(~sound_.key, chosen.list));
  chosen.use = &choice->clips[chosen.picked.clip];
  candidate.clip = &sound_.bank->clips[chosen.use->clip];
  candidate.live = &bank_.clips[chosen.use->clip];
  fetch(*candidate.clip);
  fetch(*candidate.live);
  return shape_layer(candidate, chosen.use->trim);
}

bool Starting::shape_layer(Candidate& candidate, Decibels trim) {
  const BankLayer& layer = *candidate.layer;
  const BankClip& clip = *candidate.clip;
  const LayerShape shape = draw_layer(shape_, layer, candidate.number, draws_);
  const Frames start_at = frames(shape.start_at, sound_.bank->rate);
  if (!layer.loop && start_at.value >= clip.frames) {
    past_end_ = &clip;
    return false;
  }
  candidate.gain = shape.gain + trim + added_.gain;
  candidate.pitch = shape.pitch;
  candidate.step = starter_.voices.step_of(sound_, candidate.pitch);
  candidate.position.whole =
      layer.start_anywhere ? static_cast<std::int64_t>(shape.anywhere * static_cast<double>(clip.frames - 1)) : start_at.value;
  if (is_track()) candidate.position = happening_.exact->source;
  if (layer.loop && !clip.streamed) candidate.position.fold(clip.loop_from, clip.frames);
  candidate.own = Level(clip.level + candidate.gain);
  candidate.level = heard_there(candidate.own);
  return true;
}

/// The level at which something is heard through its group and from its place.
Level Starting::heard_there(Level own) const {
  const Level group = starter_.groups.levels().heard[sound_.group];
  return from_ == nullptr ? heard_level(own, group) : heard_level(own, group, from_->level);
}

void Starting::go_by_gauges() {
  const bool in_world = from_ != nullptr;
  follower_ = starter_.driving.follower_of(sound_, id_, happening_, in_world);
  const Following::Values values = Followers::now(*follower_, starter_.driving.gauges, starter_.listening.ready_values(from_));
  if (sound_.following->waits()) Followers::begin_waiting(*follower_, values);
  for (Candidate& candidate : layers_) {
    candidate.bent = sound_.following->bend(candidate.number, values, in_world);
    candidate.step = starter_.voices.step_of(sound_, candidate.pitch + candidate.bent.pitch);
    const Level lift(candidate.bent.gain);
    candidate.level = candidate.level + lift;
    if (lift.audible()) continue;
    if (const auto by = sound_.following->quietened_by(candidate.number, values))
      candidate.silent_by = by->gauge, candidate.gauge_at = by->value;
  }
}

bool Starting::any_clip_away() const {
  return layers_.any([](const Candidate& its) { return !its.live->there || !its.live->data.there(); });
}

/// Returns the values that all layers share. A step of a cadence takes over the levels and filters that the game has set for the cadence.
NewStart Starting::as_drawn() {
  NewStart as{.id = id_,
              .emitter = happening_.emitter.number,
              .scope = scope_,
              .base = base_,
              .heard = heard_,
              .pan = shape_.pan,
              .low_pass = shape_.low_pass,
              .high_pass = design_.high_pass,
              .from = from_,
              .follows = sound_.following != nullptr,
              .part = part_,
              .event = happening_.event.hash(),
              .action = happening_.action};
  if (is_track()) as.track = happening_.exact;
  if (part_ == Part::beat) {
    as.renewed = starter_.noting.totals.raised;
    starter_.go_by_cadence(*happening_.beat_of, as);
    for (Candidate& candidate : layers_) {
      candidate.own = Level(candidate.clip->level + candidate.gain + as.own_gain);
      candidate.level = heard_there(candidate.own + Level(candidate.bent.gain));
    }
  }
  return as;
}

bool Starting::is_short() const {
  return !layers_.any([&](const Candidate& its) { return starter_.voices.worth_waiting(its); });
}

Reason Starting::why_held() const {
  Reason why = starter_.scopes.why_held(scope_);
  why.sound = &design_;
  return why;
}

/// Returns the frame of the mixer on which a layer is expected to be heard. For a scope on hold, as if it resumed at once.
MixFrame Starting::starts_on(const Candidate& candidate) const {
  const MixFrame known = starter_.voices.times().mixed(scope_, candidate.starts);
  return known == MixFrame::never() ? happening_.base + (candidate.starts - base_) : known;
}

/// It is too far to be heard, and too short to come near before it ends.
bool Starting::nobody_would_hear() const { return from_ != nullptr && !from_->level.audible() && is_short(); }

Outcome Starting::begin(const NewStart& as, StartedSounds& started) {
  LiveStart& start = starter_.voices.begin(sound_, as, layers_, *verdict_);
  start.drawn = static_cast<std::uint32_t>(sound_.memory->asked);
  starter_.join(sound_, start, happening_, follower(), started);
  Outcome outcome = Outcome::pool_full;
  for (const Candidate& candidate : layers_) {
    if (!candidate.begins()) continue;
    const Chosen& chosen = chosen_[candidate.number];
    sound_.memory->picks[chosen.list] = chosen.picked.after;
    if (!plays(outcome) || outcome_of(candidate.fate) < outcome) outcome = outcome_of(candidate.fate);
  }
  if (starter_.noting.notebook.open()) note_layers(as);
  ++starter_.noting.totals.started;
  sound_.memory->heard.add(happening_.emitter.number, scope_, heard_);
  return outcome;
}

/// The first line is the decision, with the outcome of the whole start. Every further layer has a line of its own, also if it found no
/// voice.
void Starting::note_layers(const NewStart& as) {
  const auto leads = std::min_element(layers_.begin(), layers_.end(), [](const auto& a, const auto& b) { return a.fate < b.fate; });
  note_layer(*leads, as, false);
  for (auto layer = layers_.begin(); layer != layers_.end(); ++layer)
    if (layer != leads) note_layer(*layer, as, true);
}

void Starting::note_layer(const Candidate& candidate, const NewStart& as, bool further) {
  const bool explained = candidate.fate != Candidate::Fate::voice && candidate.fate != Candidate::Fate::later;
  const Reason* reason = explained ? starter_.noting.notebook.keep(starter_.why(sound_, candidate, from_, *verdict_)) : nullptr;
  if (candidate.fate == Candidate::Fate::later && starter_.voices.times().held(scope_)) {
    Reason why = why_held();
    why.code = Reason::Code::waits_for_scope;
    reason = starter_.noting.notebook.keep(why);
  }
  starter_.noting.notebook.add<BegunNote>(starter_.noting.link.now().at, [&](BegunNote& note) {
    note.further = further;
    note.outcome = outcome_of(candidate.fate);
    note.playback = id_;
    note.event = happening_.event.text();
    note.group = starter_.groups.names().name(sound_.group);
    note.sound = &design_;
    note.layer = candidate.layer;
    note.clip = candidate.clip;
    note.gain = candidate.gain - chosen_[candidate.number].use->trim;
    note.pitch = candidate.pitch;
    note.pan = as.pan;
    note.low_pass = as.low_pass;
    if (from_ != nullptr) note.metres = from_->metres;
    note.clip_start = {static_cast<double>(candidate.position.whole) / sound_.bank->rate.value};
    note.starts = starts_on(candidate);
    note.voice = candidate.voice;
    note.why = reason;
  });
}

Outcome Starting::refuse_held(const Gated& gated, StartedSounds& started) {
  const bool changes = part_ == Part::cadence && starter_.change_traits(sound_, happening_);
  if (gated.outcome == Outcome::already_playing)
    if (const LiveStart* plays = starter_.voices.what_plays(gated.verdict)) add(started, plays->ref());
  if (changes) return refuse(Outcome::went_on, {.code = Reason::Code::goes_on_by_traits, .sound = &design_, .traits = happening_.traits});
  return refuse(gated.outcome, Voices::why_held(gated));
}

/// No layer is left.
Outcome Starting::refuse_empty(const std::string& unreadable) {
  using Code = Reason::Code;
  if (!unreadable.empty())
    return refuse(Outcome::unreadable, {.code = Code::unreadable, .name = starter_.noting.notebook.keep(unreadable), .sound = &design_});
  if (past_end_ != nullptr)
    return refuse(Outcome::past_end, {.code = Code::past_end,
                                      .number = seconds({past_end_->frames}, sound_.bank->rate).value,
                                      .name = past_end_->name,
                                      .sound = &design_});
  if (without_clip_ != nullptr)
    return refuse(Outcome::no_clip, {.code = Code::no_clip, .sound = &design_, .layer = without_clip_, .traits = happening_.traits});
  return refuse(Outcome::left_out, {.code = Code::left_out, .sound = &design_});
}

}  // namespace

Outcome Starter::start(LiveBank& bank, LiveSound& sound, const Added& added, PlaybackId id, const Happening& happening,
                       StartedSounds& started) {
  fetch(*sound.memory);
  fetch(sound.choice_keys.data(), sound.choice_keys.size() * sizeof(std::uint64_t));
  for (const BankLayer& layer : sound.design->layers) fetch(layer);
  std::optional<HeardFrom> from;
  if (sound.heard_kind != 0) {
    if (!happening.at && happening.emitter)
      return noting.decide(
          Outcome::emitter_gone, id,
          {.code = Reason::Code::emitter_gone, .number = static_cast<double>(happening.emitter.number), .sound = sound.design},
          happening.event);
    from = listening.heard_in_world(sound, happening);
  }
  voices.freshen_claims();
  return Starting(*this, bank, sound, added, id, happening, from ? &*from : nullptr).run(started);
}

void Starter::join(LiveSound& sound, const LiveStart& start, const Happening& happening, Followers::Follower* follower,
                   StartedSounds& started) {
  if (follower != nullptr) {
    follower->start = start.ref();
    driving.followers.add(*follower);
  }
  if (start.in_world)
    listening.earshot.add(start.ref(), sound.heard_kind, Voices::own_level(start), follower != nullptr && sound.following->bends_levels(),
                          start.scope, !happening.stays && listening.has_room_for(happening.emitter) ? happening.emitter : Emitter{},
                          *happening.at);
  add(started, start.ref());
}

}  // namespace tidewater
