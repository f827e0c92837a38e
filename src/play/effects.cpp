/// The effects of the verbs.

#include "play/effects.hpp"

#include <array>
#include <utility>

namespace tidewater {
namespace {

/// Fade of a playback before a pause.
constexpr Seconds pause_fade{0.01};
/// Time of a mute, as in SoundManager::set_mute.
constexpr Seconds mute_time{0.02};

/// The playbacks that a response is for.
class Meant {
 public:
  Meant(const Starter& starter, const Act& act)
      : whom_(act.how.whom.value_or(act.happening.emitter ? Whom::emitter : Whom::all)),
        emitter_(act.happening.emitter.number),
        action_(act.happening.action) {
    if (whom_ != Whom::scope) return;
    const ScopeNumber own = act.response.acts_on_sound() ? act.bank.sounds[act.response.target].scope : ScopeNumber{0};
    scopes_ = starter.scopes.below(act.happening.scope.value_or(own));
  }

  bool all() const { return whom_ == Whom::all; }
  bool has(std::uint64_t emitter, ScopeNumber scope, std::uint64_t action) const {
    switch (whom_) {
      case Whom::emitter: return emitter == emitter_;
      case Whom::scope: return (bit_of(scope) & scopes_) != 0;
      case Whom::action: return action == action_;
      case Whom::all: break;
    }
    return true;
  }
  bool has(const LiveStart& start) const { return has(start.emitter, start.scope, start.action); }

 private:
  Whom whom_;
  std::uint64_t emitter_, action_;
  ScopeMask scopes_ = 0;
};

/// Says what a response did: "mute 'music'", "level 'music' to -6 dB".
Reason what_was_done(const Act& act, std::string_view target) {
  const VerbRow& row = row_of(act.how.verb);
  return {.code = row.value.empty() ? Reason::Code::did : Reason::Code::set_to,
          .number = act.how.value,
          .name = target,
          .unit = row.target == TargetKind::gauge ? std::string_view() : std::string_view("dB"),
          .more = word_of(act.how.verb)};
}

/// Notes a response that acted on a sound. A stop needs no words: each fading layer has a line of its own.
Outcome done(Starter& starter, const Act& act, const BankSound& sound) {
  Notebook& notebook = starter.noting.notebook;
  const Reason* why = act.how.verb == Verb::stop ? nullptr : notebook.keep(what_was_done(act, sound.name));
  notebook.add(starter.noting.link.now().at,
               DecidedNote{.raise = act.id.raise, .event = act.happening.event.text(), .sound = &sound, .why = why});
  return Outcome::done;
}

/// Notes a response that acted on a gauge, group or event.
Outcome done(Starter& starter, const Act& act) {
  return starter.noting.decide(Outcome::done, act.id, what_was_done(act, act.response.name.text), act.happening.event);
}

Outcome not_playing(Starter& starter, const Act& act, const BankSound& sound) {
  return starter.noting.decide(Outcome::nothing_to_stop, act.id, {.code = Reason::Code::not_playing, .sound = &sound}, act.happening.event);
}

/// Calls `change(start)` for each playback that the response is for. `change` returns whether it changed anything.
template <class Change>
Outcome change_each(Starter& starter, const Act& act, Change change) {
  LiveSound& sound = act.bank.sounds[act.response.target];
  const Meant meant(starter, act);
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    starter.voices.each_start(*version, [&](LiveStart& start) {
      if (meant.has(start)) any = change(start) || any;
    });
  if (any) return done(starter, act, *sound.design);
  return not_playing(starter, act, *sound.design);
}

Outcome start_target(Starter& starter, const Act& act) {
  LiveSound& sound = act.bank.sounds[act.response.target];
  const Starter::Added added{act.delay, act.happening.gain + act.how.level()};
  if (!act.how.on) return starter.start(act.bank, sound, added, act.id, act.happening, act.started);
  return starter.start_on_beat(act.bank, sound, added, *act.how.on, act.id, act.happening, act.started);
}

Outcome stop_target(Starter& starter, const Act& act) {
  LiveSound& sound = act.bank.sounds[act.response.target];
  // Dormant playbacks can be stopped by one number, but only as long as this raise has the highest number.
  const bool newest = act.happening.depth == 0 && act.before.raise == starter.noting.totals.raised;
  if (!newest || !Meant(starter, act).all())
    return change_each(starter, act, [&](LiveStart& start) {
      bool any = false;
      Voices::each_layer(start, [&](LiveLayer& layer) {
        if (layer.stage == Stage::leaving) return;
        any = true;
        starter.voices.leave(layer, act.how.time, Ending::stopped);
      });
      return any;
    });
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    any = starter.voices.stop(*version, act.how.time, act.before) || any;
  if (any) return done(starter, act, *sound.design);
  return not_playing(starter, act, *sound.design);
}

Outcome fade_target(Starter& starter, const Act& act) {
  return change_each(starter, act, [&](LiveStart& start) {
    starter.set_gain(start, act.how.level(), act.how.time);
    return true;
  });
}

Outcome pause_target(Starter& starter, const Act& act) {
  return change_each(starter, act, [&](LiveStart& start) {
    if (start.paused()) return false;
    starter.voices.pause(start, pause_fade, {.code = Reason::Code::paused_by, .name = act.happening.event.text()});
    return true;
  });
}

Outcome resume_target(Starter& starter, const Act& act) {
  return change_each(starter, act, [&](LiveStart& start) {
    if (!start.paused()) return false;
    starter.voices.resume(start);
    return true;
  });
}

Outcome set_gauge(Starter& starter, const Act& act) {
  const Name name(act.response.name.text, act.response.name.hash);
  const std::uint32_t gauge = starter.driving.gauges.names().find(name);
  if (gauge == Numbers::none)
    return starter.noting.decide(Outcome::unknown_gauge, act.id, {.code = Reason::Code::unknown_gauge, .name = name.text()},
                                 act.happening.event);
  const Emitter emitter = act.happening.emitter;
  if (act.how.whom.value_or(emitter ? Whom::emitter : Whom::all) == Whom::all)
    starter.driving.gauges.set(gauge, act.how.value);
  else if (starter.listening.has_room_for(emitter))
    starter.driving.set_of_emitter(emitter, gauge, act.how.value);
  return done(starter, act);
}

/// Calls `change(number)` for the group that the response names.
template <class Change>
Outcome change_group(Starter& starter, const Act& act, Change change) {
  const Name name(act.response.name.text, act.response.name.hash);
  const std::uint32_t group = starter.groups.names().find(name);
  if (group == Numbers::none)
    return starter.noting.decide(Outcome::unknown_group, act.id, {.code = Reason::Code::unknown_group, .name = name.text()},
                                 act.happening.event);
  change(group);
  starter.send_groups();
  return done(starter, act);
}

Outcome set_level(Starter& starter, const Act& act) {
  return change_group(starter, act,
                      [&](std::uint32_t group) { starter.groups.set_gain(group, act.how.level(), starter.way_for(act.how.time)); });
}

Outcome mute(Starter& starter, const Act& act) {
  return change_group(starter, act, [&](std::uint32_t group) { starter.groups.set_mute(group, true, starter.way_for(mute_time)); });
}

Outcome unmute(Starter& starter, const Act& act) {
  return change_group(starter, act, [&](std::uint32_t group) { starter.groups.set_mute(group, false, starter.way_for(mute_time)); });
}

/// Raises another event, under a number of its own, with the traits, the emitter and the scope of this one.
Outcome raise_target(Starter& starter, const Act& act) {
  const Happening& by = act.happening;
  if (by.depth == most_depth || starter.noting.totals.raised - by.root >= most_raised)
    return starter.noting.decide(Outcome::chain_too_long, act.id,
                                 {.code = Reason::Code::chain_too_long,
                                  .number = static_cast<double>(by.depth == most_depth ? most_depth : most_raised),
                                  .other = by.depth == most_depth ? 0.0 : 1.0,
                                  .name = act.response.name.text},
                                 by.event);
  const PlaybackId id{++starter.noting.totals.raised, 0};
  starter.noting.decide(Outcome::done, act.id,
                        {.code = Reason::Code::raises, .number = static_cast<double>(id.raise), .name = act.response.name.text}, by.event);
  const Name name(act.response.name.text, act.response.name.hash);
  const Catalogue::Event* event = starter.library.loaded.catalogue()->find(name);
  if (event == nullptr) return starter.decide_unknown(name, id);
  const std::optional<Whereabouts> nowhere;
  const bool alone = act.how.whom == Whom::all;
  return starter.respond_all(*event, id,
                             {.event = Name(event->design->name, name.hash()),
                              .traits = by.traits,
                              .emitter = alone ? Emitter{} : by.emitter,
                              .gauges = alone ? std::span<const GaugeValue>() : by.gauges,
                              .at = alone ? nowhere : by.at,
                              .base = by.base,
                              .scope = by.scope,
                              .gain = by.gain + act.how.level(),
                              .action = by.action,
                              .root = by.root,
                              .depth = by.depth + 1,
                              .ahead = by.ahead},
                             act.started);
}

/// Removes the delayed responses and starts of an event.
Outcome call_off(Starter& starter, const Act& act) {
  const Meant meant(starter, act);
  const std::uint64_t event = act.response.name.hash;
  const std::size_t responses = starter.agenda.remove_responses(
      [&](ScopeNumber scope, const PutOff& its) { return its.event == event && meant.has(its.emitter, scope, its.action); });
  const std::size_t starts = starter.voices.stop_unheard([&](const LiveStart& its) { return its.event == event && meant.has(its); },
                                                         {.code = Reason::Code::called_off, .name = act.happening.event.text()});
  if (responses + starts > 0)
    return starter.noting.decide(Outcome::done, act.id,
                                 {.code = Reason::Code::calls_off,
                                  .number = static_cast<double>(responses),
                                  .other = static_cast<double>(starts),
                                  .name = act.response.name.text},
                                 act.happening.event);
  return starter.noting.decide(Outcome::nothing_to_stop, act.id, {.code = Reason::Code::nothing_waits, .name = act.response.name.text},
                               act.happening.event);
}

Outcome play_target(Starter& starter, const Act& act) {
  return starter.play(act.bank.sounds[act.response.target], act.id, act.happening.event);
}

Outcome leave_target(Starter& starter, const Act& act) {
  const auto fade = act.how.time == Seconds{} ? std::nullopt : std::optional(act.how.time);
  return starter.leave(Name(act.response.name.text, act.response.name.hash), act.how.on, fade, act.id, act.happening.event);
}

Outcome change_mood(Starter& starter, const Act& act, bool on) {
  const Name name(act.response.name.text, act.response.name.hash);
  const std::uint32_t mood = starter.groups.moods().names().find(name);
  if (mood == Numbers::none)
    return starter.noting.decide(Outcome::unknown_mood, act.id, {.code = Reason::Code::unknown_mood, .name = name.text()},
                                 act.happening.event);
  starter.set_mood(mood, on);
  return done(starter, act);
}

Outcome begin_mood(Starter& starter, const Act& act) { return change_mood(starter, act, true); }

Outcome end_mood(Starter& starter, const Act& act) { return change_mood(starter, act, false); }

constexpr std::array<Effect, verb_words.size()> effects = {start_target, stop_target, fade_target,  pause_target, resume_target,
                                                           set_gauge,    set_level,   mute,         unmute,       raise_target,
                                                           call_off,     play_target, leave_target, begin_mood,   end_mood};  // by verb

}  // namespace

Effect effect_of(Verb verb) { return effects[static_cast<std::size_t>(verb)]; }

}  // namespace tidewater
