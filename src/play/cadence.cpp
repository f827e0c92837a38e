/// What starts again and again: the playback that was raised sleeps, and at each of its beats another start of its sound is heard.

#include <algorithm>
#include <array>
#include <utility>

#include "base/few.hpp"
#include "choose/shape.hpp"
#include "choose/traits.hpp"
#include "play/starter.hpp"

namespace tidewater {
namespace {

/// Steps are decided so far ahead, so that a frame of the game that takes as long delays none. A stop, or a gauge that holds steps back,
/// takes back what was decided and is not heard yet.
constexpr Seconds ahead{0.25};

/// Returns whether the traits of the cadence have changed.
bool keep_traits(Cadence& cadence, const LiveSound& sound, std::span<const Trait> traits) {
  std::array<KeptTrait, Cadence::most_traits> kept{};
  std::size_t count = 0;
  for (const Trait& trait : traits)
    if (count < kept.size() && goes_by(*sound.design, trait.name)) kept[count++] = {trait.name.hash(), trait.value.hash()};
  const bool changes = std::exchange(cadence.traits, kept) != kept || cadence.trait_count != count;
  cadence.trait_count = count;
  return changes;
}

}  // namespace

/// The loudest layer stands for all: by it the place in the world is found. There must be room for one.
Outcome Starter::begin_cadence(LiveSound& sound, const NewStart& as, Decibels gain, const Happening& happening, Layers& layers,
                               Followers::Follower* follower, const Verdict& verdict, StartedSounds& started) {
  std::iter_swap(layers.begin(),
                 std::max_element(layers.begin(), layers.end(), [](const Candidate& a, const Candidate& b) { return a.level < b.level; }));
  layers.resize_down(1);
  Candidate& its = layers.front();
  its.fate = Candidate::Fate::unheard;
  std::optional<Following::By> held;
  if (follower != nullptr) held = sound.following->held_by(Followers::aimed(*follower, driving.gauges, listening.ready_values(as.from)));
  const bool heard = its.level.audible() && !held;
  const Reason because =
      held    ? Reason{.code = Reason::Code::held_by_gauge, .number = held->value, .name = held->gauge, .sound = sound.design}
      : heard ? Reason{.code = Reason::Code::begins_cadence, .sound = sound.design}
              : why(sound, its, as.from, verdict);
  LiveStart& start = voices.begin(sound, as, layers, verdict);
  start.drawn = static_cast<std::uint32_t>(sound.memory->asked);
  Cadence cadence;
  cadence.start = start.ref();
  cadence.in_world = start.in_world;
  cadence.event = happening.event.hash();
  cadence.gain = gain;
  cadence.action = as.action;
  cadence.pan = as.pan;
  cadence.low_pass = as.low_pass;
  cadence.at = as.heard;
  cadence.looked_at = listening.updates;
  cadence.held = held.has_value();
  keep_traits(cadence, sound, happening.traits);
  driving.cadences.add(cadence);
  join(sound, start, happening, follower, started);
  ++noting.totals.started;
  const Outcome outcome = heard ? Outcome::started : Outcome::silent;
  noting.notebook.add(noting.link.now().at, DecidedNote{.outcome = outcome,
                                                        .playback = as.id,
                                                        .raise = as.id.raise,
                                                        .event = happening.event.text(),
                                                        .sound = sound.design,
                                                        .why = noting.notebook.keep(because)});
  // The first start of a cadence that is heard comes with the raise, like any other sound.
  if (Cadence* its_cadence = heard && !voices.times().held(start.scope) ? driving.cadences.find(start.ref()) : nullptr)
    start_again(*its_cadence, start, {follower, happening.gauges, happening.at, happening.stays, as.from}, nullptr);
  return outcome;
}

/// Gives the cadences of a sound that play already the traits of a new raise, such as the floor that somebody walks on. Returns whether
/// any of them has changed.
bool Starter::change_traits(const LiveSound& sound, const Happening& happening) {
  bool any = false;
  if (sound.design->limit_each_emitter) {
    voices.each_of_emitter(sound, happening.emitter.number, [&](const LiveStart& start) {
      if (Cadence* its = driving.cadences.find(start.ref())) any = keep_traits(*its, sound, happening.traits) || any;
    });
    return any;
  }
  driving.cadences.each([&](Cadence& its) {
    const LiveStart* start = voices.find(its.start);
    if (start != nullptr && start->sound == &sound) any = keep_traits(its, sound, happening.traits) || any;
  });
  return any;
}

PlaybackState Starter::state_of(const LiveStart& start) {
  const PlaybackState its = voices.state_of(start);
  bool sounds = false;
  each_step(start, [&](const LiveStart& step) { sounds = sounds || voices.state_of(step) == PlaybackState::sounds; });
  return sounds ? PlaybackState::sounds : its;
}

void Starter::start_again(UpdateUnderWay& update) {
  driving.cadences.make_room();
  const auto go_on = [&](Cadence& cadence) {
    const LiveStart* its = voices.find(cadence.start);
    if (its == nullptr || its->paused() || voices.times().held(its->scope)) return;
    OfCadence by;
    by.follower = driving.followers.find(its->ref());
    if (its->in_world) {
      by.at = listening.earshot.where(its->slot);
      by.stays = !listening.earshot.on_emitter(its->slot);
      by.from = its->from;
    }
    start_again(cadence, *its, by, &update.missed);
  };
  update.missed = {};
  for (const HeardStart& near : update.near)
    if (Cadence* its = driving.cadences.find(near.start)) go_on(*its);
  // Those on the screen in the order in which they were raised: where they lie goes by when others were forgotten, which an update that
  // is not noted does, too.
  std::vector<Cadence*>& on_screen = update.on_screen;
  on_screen.clear();
  driving.cadences.each([&](Cadence& its) {
    if (!its.in_world) on_screen.push_back(&its);
  });
  std::sort(on_screen.begin(), on_screen.end(), [](const Cadence* a, const Cadence* b) { return a->start.id < b->start.id; });
  for (Cadence* its : on_screen) go_on(*its);
  if (update.missed.steps > 0)
    noting.tell({.code = Reason::Code::steps_left_out,
                 .number = static_cast<double>(update.missed.steps),
                 .other = voices.since_before().value,
                 .sound = update.missed.first});
}

/// Steps that were decided and are not heard yet are taken back.
void Starter::hold_steps_back(const Cadence& cadence, const Following::By& by) {
  for (const StartRef its : cadence.last) {
    LiveStart* beat = voices.find(its);
    if (beat == nullptr || beat->heard <= voices.times().at(beat->scope, noting.link.changes_from())) continue;
    Voices::each_layer(*beat, [&](LiveLayer& layer) {
      if (layer.stage != Stage::leaving)
        voices.leave(layer, {}, Ending::stopped,
                     {.code = Reason::Code::held_by_gauge, .number = by.value, .name = by.gauge, .sound = beat->sound->design});
    });
  }
}

void Starter::go_by_cadence(const Cadence& cadence, NewStart& beat) {
  const LiveStart* start = voices.find(cadence.start);
  if (start == nullptr) return;
  const Turned& turned = start->layers->its;
  beat.own_gain = turned.own_gain;
  beat.own_pitch = turned.own_pitch;
  beat.high_pass = turned.high_pass;
  if (turned.pan != cadence.pan) beat.pan = turned.pan;
  if (turned.low_pass != cadence.low_pass) beat.low_pass = turned.low_pass;
}

void Starter::start_again(Cadence& cadence, const LiveStart& its, const OfCadence& by, MissedSteps* missed) {
  LiveSound& sound = *its.sound->loaded;
  const BankSound& design = *sound.design;
  double times = 1;
  if (by.follower != nullptr) {
    const Following::Values values = Followers::now(*by.follower, driving.gauges, listening.ready_values(by.from));
    times = std::min(sound.following->times_as_often(values), design.cadence.low.value / shortest_cadence.value);
    // A gauge at 0 means no further step, however slowly the gauge is followed.
    const auto held = sound.following->held_by(Followers::aimed(*by.follower, driving.gauges, listening.ready_values(by.from)));
    if (held) times = 0;
    if (held && !cadence.held) hold_steps_back(cadence, *held);
    cadence.held = held.has_value();
  }
  const Catalogue::Event* event = library.loaded.catalogue()->find(cadence.event);
  Few<Trait, Cadence::most_traits> traits;
  for (std::size_t i = 0; i < cadence.trait_count; ++i)
    traits.emplace_back(trait_of(design, cadence.traits[i].name, cadence.traits[i].value));
  Happening happening{.event = event == nullptr ? Name("", cadence.event) : Name(event->design->name, cadence.event),
                      .traits = std::span<const Trait>(traits.begin(), traits.size()),
                      .emitter = {its.emitter},
                      .gauges = by.gauges,
                      .at = by.at,
                      .beat_of = &cadence,
                      .scope = its.scope,
                      .action = cadence.action,
                      .stays = by.stays};
  const ScopeFrame now = voices.times().from(its.scope, noting.link.base()), until = now + voices.frames_of(ahead);
  const Seconds mean{std::max(shortest_cadence.value, (design.cadence.low.value + design.cadence.high.value) / 2)};
  const bool heard_before = cadence.heard(listening.updates);
  if (const std::uint64_t steps = Cadences::go_on(cadence, now, times, mean, options.rate);
      steps > 0 && heard_before && missed != nullptr) {
    if (missed->steps == 0) missed->first = &design;
    missed->steps += steps;
  }
  cadence.looked_at = listening.updates;
  while (const auto frame = Cadences::next(cadence, until, times, options.rate)) {
    happening.step = *frame;
    const PlaybackId id{cadence.start.id.raise, cadence.start.id.response, cadence.count + 1};
    StartedSounds unasked;
    start(*sound.home->loaded, sound, {{}, cadence.gain}, id, happening, unasked);
    if (const LiveStart* beat = sound.latest; beat != nullptr && beat->id == id)
      cadence.last[cadence.count % cadence.last.size()] = beat->ref();
    const Seconds interval = std::max(shortest_cadence, draw_cadence(design, Draws(sound.key, sound.memory->asked)));
    Cadences::started(cadence, *frame, interval, times, options.rate);
  }
}

}  // namespace tidewater
