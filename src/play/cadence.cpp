/// What starts again and again: the playback that was raised sleeps, and at each of its beats another start of its sound is heard.

#include <algorithm>
#include <array>
#include <utility>

#include "choose/shape.hpp"
#include "choose/traits.hpp"
#include "play/control.hpp"

namespace tidewater {
namespace {

/// What comes before the next update has to be decided in this one, and a game may be late with that.
constexpr Seconds least_ahead{0.05}, most_ahead{0.25};

void keep_traits(Cadence& cadence, const LiveSound& sound, std::span<const Trait> traits) {
  cadence.trait_count = 0;
  for (const Trait& trait : traits)
    if (cadence.trait_count < cadence.traits.size() && goes_by(*sound.design, trait.name))
      cadence.traits[cadence.trait_count++] = {trait.name.hash(), trait.value.hash()};
}

}  // namespace

/// Of its layers the loudest stands for it: by that its place is looked for in the world.
Outcome Control::begin_cadence(LiveSound& sound, const NewStart& as, const Happening& happening, Followers::Follower* follower,
                               Raised& raised) {
  std::iter_swap(candidates.begin(), std::max_element(candidates.begin(), candidates.end(),
                                                      [](const Candidate& a, const Candidate& b) { return a.level < b.level; }));
  candidates.resize(1);
  Candidate& its = candidates.front();
  if (!voices.has_room(1))
    return decide(Outcome::no_room, as.id, {.code = Reason::Code::no_playbacks, .number = static_cast<double>(options.playbacks)},
                  happening.event);
  its.fate = Candidate::Fate::unheard;
  const bool heard = its.level.audible();
  const Reason because = heard ? Reason{.code = Reason::Code::begins_cadence, .sound = sound.design} : why(sound, its, as.from);
  const LiveStart& start = voices.begin(sound, as, candidates);
  Cadence cadence;
  cadence.start = start.slot;
  cadence.id = start.id;
  cadence.in_world = start.in_world;
  cadence.event = happening.event.hash();
  cadence.pan = as.pan;
  cadence.low_pass = as.low_pass;
  cadence.at = as.heard;
  cadence.looked_at = world.updates;
  keep_traits(cadence, sound, happening.traits);
  drive.cadences.add(cadence);
  join(sound, start, happening, follower, raised);
  ++totals.started;
  const Outcome outcome = heard ? Outcome::started : Outcome::silent;
  notebook.add(link.now().at, DecidedNote{.outcome = outcome,
                                          .playback = as.id,
                                          .raise = as.id.raise,
                                          .event = happening.event.text(),
                                          .sound = sound.design,
                                          .why = notebook.keep(because)});
  return outcome;
}

/// What is asked for while it goes on goes on by the new traits: the floor that somebody walks on.
void Control::change_traits(const LiveSound& sound, const Happening& happening) {
  if (sound.design->limit_each_emitter)
    return voices.each_of_emitter(sound, happening.emitter.number, [&](const LiveStart& start) {
      if (Cadence* its = drive.cadences.find(start.slot, start.id)) keep_traits(*its, sound, happening.traits);
    });
  drive.cadences.each([&](Cadence& its) {
    const LiveStart* start = voices.start_in(its.start, its.id);
    if (start != nullptr && start->sound == &sound) keep_traits(its, sound, happening.traits);
  });
}

void Control::start_again() {
  drive.cadences.make_room();
  for (const HeardStart& near : world.near)
    if (Cadence* its = drive.cadences.find(near.slot, near.id)) start_again(*its);
  drive.cadences.each([&](Cadence& its) {
    if (!its.in_world) start_again(its);
  });
}

void Control::go_by_cadence(const Cadence& cadence, NewStart& beat) {
  const LiveStart* start = voices.start_in(cadence.start, cadence.id);
  if (start == nullptr) return;
  const Turned& turned = start->layers->its;
  beat.own_gain = turned.own_gain;
  beat.own_pitch = turned.own_pitch;
  beat.high_pass = turned.high_pass;
  if (turned.pan != cadence.pan) beat.pan = turned.pan;
  if (turned.low_pass != cadence.low_pass) beat.low_pass = turned.low_pass;
}

void Control::start_again(Cadence& cadence) {
  const LiveStart* its = voices.start_in(cadence.start, cadence.id);
  if (its == nullptr) return;
  auto& sound = static_cast<LiveSound&>(*its->sound);
  const BankSound& design = *sound.design;
  double times = 1;
  if (const Followers::Follower* follower = drive.followers.find(its->slot, its->id))
    times = std::min(
        sound.following->times_as_often(Followers::now(*follower, drive.gauges, ready_values(its->in_world ? &its->from : nullptr))),
        design.cadence.low.value / shortest_cadence.value);
  const Catalogue::Event* event = loaded.catalogue()->find(Name(std::string_view(StrippedName(Name("", cadence.event))), cadence.event));
  world.traits.clear();
  for (std::size_t i = 0; i < cadence.trait_count; ++i)
    world.traits.push_back(trait_of(design, cadence.traits[i].name, cadence.traits[i].value));
  std::optional<Whereabouts> at;
  if (its->in_world) at = world.earshot.where(its->slot);
  Happening happening{.event = event == nullptr ? Name("", cadence.event) : Name(event->design->name, cadence.event),
                      .traits = world.traits,
                      .emitter = {its->emitter},
                      .gauges = {},
                      .at = at,
                      .of = &cadence,
                      .stays = its->in_world && !world.earshot.on_emitter(its->slot)};
  const std::int64_t now = link.base(),
                     until = now + voices.frames_of(std::clamp(Seconds{2 * voices.since_before().value}, least_ahead, most_ahead));
  const Seconds mean{std::max(shortest_cadence.value, (design.cadence.low.value + design.cadence.high.value) / 2)};
  while (const auto frame = Cadences::next(cadence, now, until, times, mean, options.rate, world.updates)) {
    happening.base = *frame;
    const PlaybackId id{cadence.id.raise, cadence.id.response, cadence.count + 1};
    Raised unasked;
    start(static_cast<LiveBank&>(*sound.home), sound, {}, id, happening, unasked);
    if (const LiveStart* beat = sound.latest; beat != nullptr && beat->id == id)
      cadence.last[cadence.count % cadence.last.size()] = {beat->slot, beat->id};
    const Seconds interval = std::max(shortest_cadence, draw_cadence(design, Draws(sound.key, sound.memory->asked)));
    Cadences::started(cadence, *frame, interval, times, options.rate);
  }
}

}  // namespace tidewater
