/// The world: where what is raised is heard from, and what changes as things and listeners move.

#include <algorithm>
#include <utility>

#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {

Outcome Control::no_such_listener(std::uint64_t number) {
  return decide(Outcome::no_room, {},
                {.code = Reason::Code::too_many_listeners, .number = static_cast<double>(number), .other = most_listeners});
}

Outcome Control::carry_out(const asked::SetListener& its, const Beside&) {
  if (its.listener >= most_listeners) return no_such_listener(its.listener);
  world.listeners.set(static_cast<std::size_t>(its.listener), {its.place, its.facing, its.up, its.velocity, its.gain});
  return Outcome::done;
}

Outcome Control::carry_out(const asked::RemoveListener& its, const Beside&) {
  if (its.listener >= most_listeners) return no_such_listener(its.listener);
  world.listeners.remove(static_cast<std::size_t>(its.listener));
  return Outcome::done;
}

void Control::tell_once(bool WorldSide::Told::*whether, const Reason& why) {
  if (std::exchange(world.told.*whether, true)) return;
  tell(why);
}

std::optional<HeardFrom> Control::heard_in_world(const LiveSound& sound, const Happening& happening) {
  if (sound.heard_kind == 0) return std::nullopt;
  const Reason about{.name = happening.event.text(), .sound = sound.design};
  const auto because = [&](Reason::Code code) {
    Reason why = about;
    why.code = code;
    return why;
  };
  if (!happening.at) {
    tell_once(&WorldSide::Told::no_place, because(Reason::Code::no_place));
    return std::nullopt;
  }
  if (world.listeners.ears().empty()) tell_once(&WorldSide::Told::no_listener, because(Reason::Code::no_listener));
  return heard_from(*sound.hearing, *happening.at, world.listeners.ears(), options.layout);
}

Reason Control::why_out_of_range(const PlayedSound& sound, const HeardFrom& from) const {
  return {.code = Reason::Code::out_of_range,
          .number = static_cast<double>(from.metres),
          .other = sound.loaded->hearing->curve.silent_from(),
          .sound = sound.design};
}

Reason Control::why_silent_by_gauge(const LiveLayer& layer) {
  Reason why{.code = Reason::Code::silent_by_gauge};
  const LiveStart& start = *layer.start;
  const Followers::Follower* its = drive.followers.find(start.ref());
  if (its == nullptr) return why;
  const auto which = static_cast<std::size_t>(layer.design - start.sound->design->layers.data());
  const Following::Values values = Followers::now(*its, drive.gauges, ready_values(start.in_world ? &start.from : nullptr));
  if (const auto by = its->following->quietened_by(which, values)) why.name = by->gauge, why.number = by->value;
  return why;
}

void Control::fill_in(asked::Raise& raise) {
  const std::optional<Whereabouts> at = world.emitters.whereabouts(raise.emitter);
  if (!at) return;
  raise.place = place_of(*at);
  raise.velocity = velocity_of(*at);
  raise.facing = facing_of(*at);
  fill_in_gauges(raise);
  if (raise.traits.size() >= world.traits.capacity()) return;
  world.traits.assign(raise.traits.begin(), raise.traits.end());
  world.emitters.add_traits(raise.emitter, world.traits);
  if (world.traits.size() > raise.traits.size()) raise.traits = world.traits;
}

void Control::keep_place(Emitter emitter, const Whereabouts& at) {
  if (world.adopts) world.emitters.adopt(emitter, at);
  world.earshot.keep(emitter, at);
}

/// Emitters that were given up: what plays from them ends, or stays where it was.
void Control::leave_emitters_behind() {
  for (const KeptState& its : world.to_come.emitters)
    if (its.gone) world.emitters.give_up(its.emitter);
  world.emitters.take_gone(world.gone);
  world.kept.clear();
  for (const Emitter emitter : world.gone) {
    if (world.earshot.forget(emitter)) world.kept.push_back({emitter, true, {}});
    world.earshot.each_from(emitter, [&](std::uint32_t slot) {
      world.earshot.detach(slot);
      if (LiveStart* start = voices.start_at(slot)) voices.leave_behind(*start);
    });
  }
}

/// What is over is not looked for any more.
void Control::forget_over() {
  for (const StartRef over : voices.over()) {
    world.earshot.remove(over);
    drive.followers.remove(over);
    drive.cadences.remove(over);
  }
  voices.over().clear();
}

void Control::open_update() {
  const Mixer::Moment now = link.now();
  const bool anew = updates.update(now.at, now.lands - now.at, [this](const noted::Updates& run) { notebook.add(run.first.value, run); });
  groups.settle(now.at);
  if (!anew) return;
  watch.updates(now.at);
  ++world.updates;
  link.count_request();
  claim_due();
  forget_over();
  leave_emitters_behind();
  forget_over();
  world.earshot.open(world.listeners.ears(), world.emitters.slots());
  voices.list_voiced(world.voiced);
  world.voiced_starts.clear();
  for (VoicedLayer& layer : world.voiced) {
    if (!layer.in_world) continue;
    if (world.voiced_starts.empty() || world.voiced_starts.back().id != layer.start.id)  // layers of one mostly lie side by side
      world.voiced_starts.push_back(layer.start);
    layer.heard = static_cast<std::uint32_t>(world.voiced_starts.size() - 1);
  }
  for (HeardKind& kind : world.earshot.kinds())
    if (kind.count > 0) kind.group = groups.levels().heard[kind.volume_group];
  open_gauges();
  world.voices_free = options.voices - std::min(options.voices, voices.count().sounding);
  world.listening = true;
}

/// What the update that goes on has heard of it; null where that is nothing, and on the screen.
const HeardFrom* Control::heard_now(const VoicedLayer& layer) const {
  if (layer.heard == VoicedLayer::not_heard) return nullptr;
  const auto& heard = world.earshot.heard_now()[layer.heard];
  return heard ? &*heard : nullptr;
}

/// How loud each kind has to be to get a voice, by what has one.
void Control::need_from_voices() {
  Standing weakest{10, {}};  // above all ranks: nobody has a voice
  for (VoicedLayer& layer : world.voiced) {
    if (const auto* heard = heard_now(layer)) layer.level = layer.level + heard->level;
    if (layer.leaving) continue;
    if (!layer.level.audible())
      ++world.voices_free;  // it will be, or anybody may take it
    else
      weakest = std::min(weakest, Standing{layer.rank, layer.level});
  }
  for (HeardKind& kind : world.earshot.kinds()) {
    if (kind.count == 0) continue;
    kind.heard = 0;
    kind.needed_for_another = needed_against(weakest, kind.rank);
    kind.needed = world.voices_free > 0 ? Level() : kind.needed_for_another;
  }
  // If as many of a sound are heard as may be, the weakest of those has to be outdone. Steps of a cadence are asked for all the same: each
  // has an outcome of its own.
  const auto loudest_of = [this](const VoicedLayer& layer) {
    Level loudest = layer.level;
    for (const VoicedLayer& other : world.voiced)
      if (other.start == layer.start && !other.leaving) loudest = std::max(loudest, other.level);
    return loudest;
  };
  for (const VoicedLayer& layer : world.voiced) {
    const BankSound& design = *layer.sound->design;
    if (!layer.in_world || !layer.counts || design.limit_each_emitter || design.cadence.high > Seconds{}) continue;
    std::uint32_t heard = 0;
    Level least = loudest_of(layer);
    for (const VoicedLayer& other : world.voiced)
      if (other.counts && other.family == layer.family) {
        ++heard;
        least = std::min(least, loudest_of(other));
      }
    HeardKind& kind = world.earshot.kinds()[world.earshot.kind_of(layer.start.slot)];
    kind.heard = heard;
    if (heard < design.limit || !least.audible()) continue;
    kind.needed = std::max(kind.needed, least + clearly);
    kind.needed_for_another = std::max(kind.needed_for_another, kind.needed);
  }
}

void Control::listen() {
  if (!world.listening) return;
  const KeptLists to_come = std::exchange(world.to_come, {});
  for (const KeptState& its : to_come.emitters)
    if (!its.gone) {
      world.emitters.adopt(its.emitter, its.at);
      world.earshot.know(its.emitter, its.at);
      world.kept.push_back(its);
    }
  for (const KeptGauge& its : to_come.gauges) world.emitters.adopt_gauge(its.gauge, its.emitter, its.value);
  read_gauges();
  world.emitters.bring_children_along();
  world.earshot.hear(world.voiced_starts, world.emitters);
  need_from_voices();
  world.contenders =
      world.earshot.search(world.emitters, 2 * static_cast<std::size_t>(options.voices), world.unfilled ? Earshot::all : world.voices_free,
                           [this](StartRef start) { return louder_by_emitter(start); });
  // Who may wake begins where its gauges are.
  for (const Contender& its : world.contenders)
    if (Followers::Follower* follower = drive.followers.find(its.start)) read_gauges_of(*follower);
}

/// Layers that sleep while others of their start are heard may wake as any other does.
void Control::add_halves() {
  for (const VoicedLayer& layer : world.voiced) {
    const HeardFrom* heard = heard_now(layer);
    if (heard == nullptr || !heard->level.audible() || layer.sound->design->layers.size() == 1) continue;
    if (!world.near.empty() && world.near.back().start == layer.start) continue;
    const LiveStart* start = voices.find(layer.start);
    if (start != nullptr && Voices::any_asleep(*start)) world.near.push_back({layer.start, heard});
  }
}

/// What listening has found, as far as it still holds.
void Control::take_what_is_heard() {
  link.count_request();
  voices.begin_tending();
  for (const VoicedLayer& layer : world.voiced)
    if (const auto* heard = heard_now(layer)) voices.hear(layer, *heard);
  voices.hush([this](const LiveLayer& layer, const HeardFrom& from) {
    return from.level.audible() ? why_silent_by_gauge(layer) : why_out_of_range(*layer.start->sound, from);
  });
  world.near.clear();
  for (const Contender& contender : world.contenders) world.near.push_back({contender.start, &contender.heard});
  follow_on();
  add_halves();
  voices.bring_near(world.near);
  for (const Earshot::Kept& its : notebook.open() ? world.earshot.kept() : std::span<const Earshot::Kept>())
    world.kept.push_back({its.emitter, false, its.at});
  notebook.keep(link.now().at, world.updates, {world.kept, drive.kept});
  world.earshot.close();
  world.listening = false;
}

void Control::close_update(Seconds elapsed) {
  const Mixer::Moment now = link.now();
  if (world.listening) {  // else the clock stood still, or whoever asked meanwhile has moved it on
    take_what_is_heard();
    start_again();
    voices.tend();
    world.unfilled = world.voices_free > 0 && voices.count().sounding < options.voices;
    forget_over();
  }
  if (const std::uint64_t stale = world.stale.exchange(0); stale > 0)
    tell_once(&WorldSide::Told::stale, {.code = Reason::Code::stale_emitters, .number = static_cast<double>(stale)});
  if (world.without_room.exchange(0) > 0)
    tell_once(&WorldSide::Told::without_room, {.code = Reason::Code::no_emitters, .number = static_cast<double>(options.emitters)});
  const std::uint32_t broken = link.mixer().take_broken_group();
  if (broken != Mixer::no_group && watch.is_first_broken())
    tell({.code = Reason::Code::broken_samples, .name = groups.names().name(broken)});
  voices.watch_streams([this](PlaybackId id, std::string_view trouble) {
    if (!replaying) ask(asked::Unreadable{id, trouble});
  });
  take_read_clips();
  keep_to_budget();
  if (watch.stands_still(now.at, elapsed, voices.count().sounding > 0)) tell({.code = Reason::Code::unrendered});
  if (const auto fast = watch.runs_fast(now.at, elapsed, options.rate))
    tell({.code = Reason::Code::fast_game, .number = fast->game.value, .other = fast->rendered.value});
}

void Control::begin_update() {
  {
    const Asking asking(*this);
    open_update();
  }
  hold_up(HoldUp::update_listens);
  listen();
}

std::list<LiveBank> Control::end_update(Seconds elapsed, std::vector<ClipData>& done_with) {
  const Asking asking = Asking::going_on(*this);
  close_update(elapsed);
  forget_over();  // before the banks go that they were of
  std::list<LiveBank> silent = loaded.take_silent();
  leave_world(silent);
  done_with.swap(dropped);
  voices.hand_out_ended();
  loads.hand_out();
  return silent;
}

void Control::join_world(LiveBank& bank) {
  for (LiveSound& sound : bank.sounds)
    if (sound.hearing != nullptr) {
      sound.heard_kind = world.earshot.add_kind(kind_of(sound));
      world.know_following(sound);
    }
}

void Control::leave_world(const std::list<LiveBank>& banks) {
  for (const LiveBank& bank : banks)
    for (const LiveSound& sound : bank.sounds)
      if (sound.heard_kind != 0) {
        world.earshot.remove_kind(sound.heard_kind);
        world.following[sound.heard_kind] = nullptr;
      }
}

}  // namespace tidewater
