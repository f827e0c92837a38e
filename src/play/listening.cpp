#include "play/listening.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace tidewater {
namespace {

HeardKind kind_of(const LiveSound& sound) {
  HeardKind kind;
  kind.hearing = sound.hearing.get();
  kind.rank = sound.design->rank;
  kind.limit = sound.design->cadence.high > Seconds{} ? 0 : sound.design->limit;  // each step of a cadence asks for itself
  kind.limit_each = sound.design->limit_each_emitter;
  kind.volume_group = sound.group;
  if (sound.following != nullptr) kind.most_bent = sound.following->loudest();
  return kind;
}

}  // namespace

Listening::Listening(const ManagerOptions& given, Noting& noting)
    : options(given), emitters(given.emitters), earshot(given.playbacks, given.layout), noting_(noting) {}

Outcome Listening::no_such_listener(std::uint64_t number) {
  return noting_.decide(Outcome::no_room, {},
                        {.code = Reason::Code::too_many_listeners, .number = static_cast<double>(number), .other = most_listeners});
}

void Listening::tell_once(bool Told::*whether, const Reason& why) {
  if (!std::exchange(told_.*whether, true)) noting_.tell(why);
}

void Listening::tell_what_was_counted() {
  if (const std::uint64_t count = stale.exchange(0); count > 0)
    tell_once(&Told::stale, {.code = Reason::Code::stale_emitters, .number = static_cast<double>(count)});
  if (without_room.exchange(0) > 0)
    tell_once(&Told::without_room, {.code = Reason::Code::no_emitters, .number = static_cast<double>(options.emitters)});
}

std::optional<HeardFrom> Listening::heard_in_world(const LiveSound& sound, const Happening& happening) {
  if (sound.heard_kind == 0) return std::nullopt;
  const Reason about{.name = happening.event.text(), .sound = sound.design};
  const auto because = [&](Reason::Code code) {
    Reason why = about;
    why.code = code;
    return why;
  };
  if (!happening.at) {
    tell_once(&Told::no_place, because(Reason::Code::no_place));
    return std::nullopt;
  }
  if (listeners.ears().empty()) tell_once(&Told::no_listener, because(Reason::Code::no_listener));
  return heard_from(*sound.hearing, *happening.at, listeners.ears(), options.layout);
}

Reason Listening::why_out_of_range(const PlayedSound& sound, const HeardFrom& from) {
  return {.code = Reason::Code::out_of_range,
          .number = static_cast<double>(from.metres),
          .other = sound.loaded->hearing->curve.silent_from(),
          .sound = sound.design};
}

std::array<double, ready_gauges> Listening::ready_values(const HeardFrom* from) const {
  std::array<double, ready_gauges> ready{};
  if (from != nullptr) {
    std::copy(from->gauges.begin(), from->gauges.end(), ready.begin());
  } else if (const auto ears = listeners.ears(); !ears.empty()) {
    const Whereabouts& at = ears.front().at;
    const Vector v = velocity_of(at);
    const auto square = [](float part) { return static_cast<double>(part) * static_cast<double>(part); };
    ready[static_cast<std::size_t>(ReadyGauge::speed)] = std::sqrt(square(v.x) + square(v.y) + square(v.z));
    ready[static_cast<std::size_t>(ReadyGauge::height)] = place_of(at).y;
  }
  return ready;
}

bool Listening::fill_in(asked::Raise& raise, RaiseTraits& traits) const {
  const std::optional<Whereabouts> at = emitters.whereabouts(raise.emitter);
  if (!at) return false;
  raise.place = place_of(*at);
  raise.velocity = velocity_of(*at);
  raise.facing = facing_of(*at);
  if (raise.scope.text().empty())
    if (const std::string_view scope = emitters.scope(raise.emitter); !scope.empty()) raise.scope = Name(scope);
  if (raise.traits.size() >= RaiseTraits::capacity) return true;
  for (const Trait& trait : raise.traits) traits.emplace_back(trait);
  emitters.add_traits(raise.emitter, traits);
  if (traits.size() > raise.traits.size()) raise.traits = std::span<const Trait>(traits.begin(), traits.size());
  return true;
}

void Listening::keep_place(Emitter emitter, const Whereabouts& at) {
  if (adopts) emitters.adopt(emitter, at);
  earshot.keep(emitter, at);
}

void Listening::open(UpdateUnderWay& update, const Voices& voices, const Groups& groups) {
  earshot.open(listeners.ears(), emitters.slots(), voices.times().held(), groups.limits());
  voices.list_voiced(update.voiced);
  update.voiced_starts.clear();
  for (VoicedLayer& layer : update.voiced) {
    if (!layer.in_world) continue;
    if (update.voiced_starts.empty() || update.voiced_starts.back().id != layer.start.id)  // layers of one mostly lie side by side
      update.voiced_starts.push_back(layer.start);
    layer.heard = static_cast<std::uint32_t>(update.voiced_starts.size() - 1);
  }
  for (HeardKind& kind : earshot.kinds())
    if (kind.count > 0) kind.group = groups.levels().heard[kind.volume_group];
  update.voices_free = options.voices - std::min(options.voices, voices.count().sounding);
  update.open = true;
}

const HeardFrom* Listening::heard_now(const VoicedLayer& layer) const {
  if (layer.heard == VoicedLayer::not_heard) return nullptr;
  const auto& heard = earshot.heard_now()[layer.heard];
  return heard ? &*heard : nullptr;
}

/// How loud each kind has to be to get a voice, by what has one.
void Listening::need_from_voices(UpdateUnderWay& update) {
  Standing weakest{10, {}};  // above all ranks: nobody has a voice
  for (VoicedLayer& layer : update.voiced) {
    if (const auto* heard = heard_now(layer)) layer.level = heard_level(layer.level, Level(Decibels{}), heard->level);
    if (layer.leaving) continue;
    if (!layer.level.audible())
      ++update.voices_free;  // it will be, or anybody may take it
    else
      weakest = std::min(weakest, Standing{layer.rank, layer.level});
  }
  for (HeardKind& kind : earshot.kinds()) {
    if (kind.count == 0) continue;
    kind.heard = 0;
    kind.needed_for_another = needed_against(weakest, kind.rank);
    kind.needed = update.voices_free > 0 ? Level() : kind.needed_for_another;
  }
  need_from_limits(update);
  need_from_groups(update);
}

namespace {

/// The level of the loudest layer of a layer's start.
Level loudest_of(const UpdateUnderWay& update, const VoicedLayer& layer) {
  Level loudest = layer.level;
  for (const VoicedLayer& other : update.voiced)
    if (other.start == layer.start && !other.leaving) loudest = std::max(loudest, other.level);
  return loudest;
}

}  // namespace

/// If as many of a sound are heard as may be, the weakest of those has to be outdone. Steps of a cadence are asked for all the same: each
/// has an outcome of its own.
void Listening::need_from_limits(const UpdateUnderWay& update) {
  for (const VoicedLayer& layer : update.voiced) {
    const BankSound& design = *layer.sound->design;
    if (!layer.in_world || !layer.counts || design.limit == 0 || design.limit_each_emitter || design.cadence.high > Seconds{}) continue;
    std::uint32_t heard = 0;
    Level least = loudest_of(update, layer);
    for (const VoicedLayer& other : update.voiced)
      if (other.counts && other.family == layer.family) {
        ++heard;
        least = std::min(least, loudest_of(update, other));
      }
    HeardKind& kind = earshot.kinds()[earshot.kind_of(layer.start.slot)];
    kind.heard = heard;
    if (heard < design.limit || !least.audible()) continue;
    kind.needed = std::max(kind.needed, least + clearly);
    kind.needed_for_another = std::max(kind.needed_for_another, kind.needed);
  }
}

/// If as many starts of a group are heard as its limit allows, a sleeper has to be stronger than the weakest of them.
void Listening::need_from_groups(const UpdateUnderWay& update) {
  const GroupLimits& limits = earshot.limits();
  for (std::uint32_t limited = 0; limits.any && limited < limits.groups.size(); ++limited) {
    if (limits.groups[limited].limit == 0) continue;
    std::uint32_t heard = 0;
    Standing weakest{10, Level::out_of_reach()};  // above all ranks: nothing in the world is heard
    for (const VoicedLayer& layer : update.voiced) {
      if (!layer.counts || !limits.holds_for(limited, layer.group)) continue;
      ++heard;
      if (layer.in_world) weakest = std::min(weakest, Standing{layer.rank, loudest_of(update, layer)});
    }
    if (heard < limits.groups[limited].limit || !weakest.level.audible()) continue;
    for (HeardKind& kind : earshot.kinds()) {
      if (kind.count == 0 || !limits.holds_for(limited, kind.volume_group)) continue;
      kind.needed = std::max(kind.needed, needed_against(weakest, kind.rank));
      kind.needed_for_another = std::max(kind.needed_for_another, kind.needed);
    }
  }
}

void Listening::adopt(UpdateUnderWay& update, const KeptLists& to_come) {
  for (const KeptState& its : to_come.emitters)
    if (!its.gone) {
      emitters.adopt(its.emitter, its.at);
      earshot.know(its.emitter, its.at);
      update.kept.push_back(its);
    }
  for (const KeptGauge& its : to_come.gauges) emitters.adopt_gauge(its.gauge, its.emitter, its.value);
}

void Listening::listen(UpdateUnderWay& update, const Earshot::BentByEmitter& bent_by_emitter) {
  emitters.bring_children_along();
  earshot.hear(update.voiced_starts, emitters);
  need_from_voices(update);
  update.contenders =
      earshot.search(emitters, 2 * static_cast<std::size_t>(options.voices), unfilled ? Earshot::all : update.voices_free, bent_by_emitter);
}

void Listening::close(UpdateUnderWay& update) {
  for (const Earshot::Kept& its : noting_.notebook.open() ? earshot.kept() : std::span<const Earshot::Kept>())
    update.kept.push_back({its.emitter, false, its.at});
  noting_.notebook.keep(noting_.link.now().at, updates, {update.kept, update.kept_gauges});
  earshot.close();
  update.open = false;
}

void Listening::put(const LiveSound& sound) {
  earshot.put_kind(sound.heard_kind, kind_of(sound));
  know_following(sound);
}

void Listening::change(const LiveSound& sound) {
  earshot.change_kind(sound.heard_kind, kind_of(sound));
  know_following(sound);
}

void Listening::know_following(const LiveSound& sound) {
  if (sound.heard_kind >= following.size()) following.resize(sound.heard_kind + std::size_t{1});
  following[sound.heard_kind] = sound.following.get();
}

void Listening::join(LiveBank& bank) {
  for (LiveSound* sound : bank.in_world) {
    sound->heard_kind = earshot.add_kind(kind_of(*sound));
    know_following(*sound);
  }
}

void Listening::leave(const std::list<LiveBank>& banks) {
  for (const LiveBank& bank : banks)
    for (const LiveSound* sound : bank.in_world)
      if (sound->heard_kind != 0) {
        earshot.remove_kind(sound->heard_kind);
        following[sound->heard_kind] = nullptr;
      }
}

}  // namespace tidewater
