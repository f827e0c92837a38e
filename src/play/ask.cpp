#include <algorithm>
#include <type_traits>
#include <utility>

#include "base/fetch.hpp"
#include "choose/draws.hpp"
#include "play/control.hpp"
#include "request/texts.hpp"

namespace tidewater {
namespace {

template <class R, class... Any>
inline constexpr bool is_any_of = (std::is_same_v<R, Any> || ...);

/// These are done even if there is no room left to note them: a game relies on them.
template <class R>
inline constexpr bool must_be_done =
    is_any_of<R, asked::Load, asked::Reload, asked::Unload, asked::Unreadable, asked::ClipRead, asked::ClipDropped>;

}  // namespace

Outcome Control::ask(Request what, const Extras& extras) {
  return std::visit([&](auto& its) { return ask_one(its, extras, false); }, what);
}

Outcome Control::settle_and_ask(Request what, const Extras& extras) {
  return std::visit([&](auto& its) { return ask_one(its, extras, true); }, what);
}

Outcome Control::settle_and_ask(asked::Raise& what, const Extras& extras) {
  library.loaded.catalogue()->fetch(what.event);
  voices.fetch_next();
  return ask_one(what, extras, true);
}

/// Each kind of request by itself, so that a raise asks nothing that only others need.
template <class R>
Outcome Control::ask_one(R& what, const Extras& extras, bool settles) {
  if (const auto refused = refuse(what)) return *refused;
  if (settles) settle();
  return note_and_carry_out(what, extras);
}

template <class R>
std::optional<Outcome> Control::refuse(R& what) {
  noting.door.open();
  each_field(what, [&](const auto&, auto& value) {
    if constexpr (requires { noting.door.admit(value); }) noting.door.admit(value);
  });
  const PlaybackId* playback = playback_in(std::as_const(what));
  if (playback != nullptr && *playback == PlaybackId{}) return Outcome::already_ended;  // the handle of nothing
  if (noting.door.refusal())
    return noting.decide(Outcome::not_a_number, playback == nullptr ? PlaybackId{} : *playback, *noting.door.refusal());
  if constexpr (!must_be_done<R>)
    if (noting.notebook.open() && !noting.admits(bytes_of_texts(what))) return Outcome::no_room;
  return std::nullopt;
}

template <class R>
Outcome Control::note_and_carry_out(R& what, const Extras& extras) {
  if (noting.door.notice()) noting.tell(*noting.door.notice());
  noting.link.count_request();
  noting.updates.request(noting.link.now().at);
  noting.tell_if_not_updated();
  if constexpr (std::is_same_v<R, asked::Raise>) {
    what.id = ++noting.totals.raised;
    if (extras.number != nullptr) *extras.number = what.id;
  }
  if (noting.notebook.open()) {
    keep_texts(noting.notebook, what);  // so that what is decided can speak of them
    noting.notebook.add<AskedNote>(noting.link.now().at, [&](AskedNote& note) {
      note.lands = noting.link.now().lands;
      note.into = extras.into;
      note.meanwhile = update.open;
      note.request.emplace<R>(what);
    });
  }
  return carry_out(what, extras);
}

Outcome Starter::decide_unknown(Name event, PlaybackId id) {
  const std::string_view lost = library.loaded.catalogue()->lost_with(event);
  if (const BackgroundLoads::UnderWay* load = library.loads.that_brings(event))
    return noting.decide(
        Outcome::unknown_event, id,
        {.code = Reason::Code::event_on_its_way, .number = 100 * load->loading.progress(), .name = noting.notebook.keep(load->bank)});
  if (lost.empty()) return noting.decide(Outcome::unknown_event, id, {.code = Reason::Code::unknown_event, .name = event.text()});
  return noting.decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::event_unloaded, .name = noting.notebook.keep(lost)});
}

/// Tells of undeclared values of declared traits, once for each value.
void Control::tell_of_undeclared(const asked::Raise& raise) {
  for (const Trait& trait : raise.traits) {
    if (!library.loaded.catalogue()->is_undeclared(trait)) continue;
    const std::uint64_t key = Draws::hash_of(trait.name.hash(), trait.value.hash());
    std::vector<std::uint64_t>& told = library.undeclared;
    if (told.size() == Library::most_undeclared || std::find(told.begin(), told.end(), key) != told.end()) continue;
    told.push_back(key);
    noting.tell({.code = Reason::Code::undeclared, .name = trait.name.text(), .unit = raise.event.text(), .more = trait.value.text()});
  }
}

Outcome Control::carry_out(const asked::Raise& raise, const Extras& extras) {
  const PlaybackId id{raise.id, 0};
  const Catalogue::Event* known = library.loaded.catalogue()->find(raise.event);
  if (known == nullptr) return starter.decide_unknown(raise.event, id);
  fetch(known->design->responses.data(), sizeof(BankResponse));
  if (!raise.traits.empty() && library.loaded.catalogue()->declares_traits()) tell_of_undeclared(raise);
  std::optional<ScopeNumber> scope;
  if (!raise.scope.text().empty()) {
    const std::uint32_t number = scopes.names().find(raise.scope);
    if (number == Numbers::none)
      return noting.decide(Outcome::unknown_scope, id, {.code = Reason::Code::unknown_scope, .name = raise.scope.text()}, raise.event);
    scope = static_cast<ScopeNumber>(number);
  }
  std::optional<Whereabouts> at;
  if (raise.place) {
    set_place(at.emplace(), *raise.place);
    set_velocity(*at, raise.velocity);
    set_facing(*at, raise.facing);
    if (listening.has_room_for(raise.emitter)) {
      listening.keep_place(raise.emitter, *at);
      driving.keep(raise, *library.loaded.catalogue(), *known);
    }
  }
  const Happening happening{.event = Name(known->design->name, raise.event.hash()),
                            .traits = raise.traits,
                            .emitter = raise.emitter,
                            .gauges = raise.gauges,
                            .at = at,
                            .base = noting.link.base() + extras.into,
                            .scope = scope,
                            .delay = raise.delay,
                            .action = raise.action == 0 ? raise.id : raise.action,
                            .root = raise.id};
  if (extras.started != nullptr) return starter.respond_all(*known, id, happening, *extras.started);
  StartedSounds unasked;
  return starter.respond_all(*known, id, happening, unasked);
}

/// Acts on every layer of a playback that is not over.
template <class Act>
Outcome Control::change(PlaybackId id, const Extras& extras, Act act) {
  LiveStart* start = voices.find({extras.slot, id});
  if (start == nullptr) return noting.decide(Outcome::already_ended, id, {});
  starter.each_step(*start, [&](LiveStart& its) { Voices::each_layer(its, act); });
  Voices::each_layer(*start, act);
  return Outcome::done;
}

template <class Act>
Outcome Control::change(Name group, Act act) {
  const auto index = groups.names().find(group);
  if (index == Numbers::none) return noting.decide(Outcome::unknown_group, {}, {.code = Reason::Code::unknown_group, .name = group.text()});
  act(index);
  starter.send_groups();
  return Outcome::done;
}

Outcome Control::carry_out(const asked::Stop& stop, const Extras& extras) {
  return change(stop.playback, extras,
                [&](LiveLayer& layer) { voices.leave(layer, stop.fade.value_or(layer.start->sound->design->fade_out), Ending::stopped); });
}

Outcome Control::carry_out(const asked::SetGain& its, const Extras& extras) {
  if (const auto* group = std::get_if<Name>(&its.of))
    return change(*group, [&](std::uint32_t number) { groups.set_gain(number, its.gain, starter.way_for(its.time)); });
  const auto id = std::get<PlaybackId>(its.of);
  LiveStart* start = voices.find({extras.slot, id});
  if (start == nullptr) return noting.decide(Outcome::already_ended, id, {});
  starter.each_step(*start, [&](LiveStart& step) { starter.set_gain(step, its.gain, its.time); });
  starter.set_gain(*start, its.gain, its.time);
  return Outcome::done;
}

void Starter::set_gain(LiveStart& start, Decibels gain, Seconds time) {
  Voices::each_layer(start, [&](LiveLayer& layer) { voices.set_gain(layer, gain, time); });
  if (start.in_world) listening.earshot.change(start.ref(), Voices::own_level(start));
}

Outcome Control::carry_out(const asked::Bend& bend, const Extras& extras) {
  return change(bend.playback, extras, [&](LiveLayer& layer) { voices.bend(layer, bend.pitch, bend.time); });
}

Outcome Control::carry_out(const asked::SetPan& its, const Extras& extras) {
  return change(its.playback, extras, [&](LiveLayer& layer) { voices.set_pan(layer, its.pan, its.time); });
}

Outcome Control::carry_out(const asked::SetLowPass& its, const Extras& extras) {
  return filter(its.of, StateFilter::Kind::low_pass, its.frequency, its.time, extras);
}

Outcome Control::carry_out(const asked::SetHighPass& its, const Extras& extras) {
  return filter(its.of, StateFilter::Kind::high_pass, its.frequency, its.time, extras);
}

Outcome Control::filter(const Target& of, StateFilter::Kind kind, Hertz frequency, Seconds time, const Extras& extras) {
  if (const auto* group = std::get_if<Name>(&of))
    return change(*group, [&](std::uint32_t number) { groups.set_filter(number, kind, frequency, voices.frames_of(time)); });
  return change(std::get<PlaybackId>(of), extras, [&](LiveLayer& layer) { voices.set_filter(layer, kind, frequency, time); });
}

Outcome Control::carry_out(const asked::SetMute& its, const Extras&) {
  constexpr Seconds smooth{0.02};
  return change(its.group, [&](std::uint32_t number) { groups.set_mute(number, its.mute, starter.way_for(smooth)); });
}

Outcome Control::carry_out(const asked::StopAll& stop, const Extras&) {
  voices.stop_all(stop.fade, {noting.totals.raised, ~0U});
  agenda.remove_responses([](ScopeNumber, const PutOff&) { return true; });
  return Outcome::done;
}

/// What cannot be read any more is something that happened, like a request: a journal gives it again.
Outcome Control::carry_out(const asked::Unreadable& its, const Extras& extras) {
  if (LiveStart* start = voices.find({extras.slot, its.playback}))
    Voices::each_layer(*start, [&](LiveLayer& layer) {
      if (layer.clip->streamed != nullptr && layer.stage != Stage::leaving)
        voices.leave(layer, {}, Ending::unreadable, {.code = Reason::Code::text, .name = its.why});
    });
  return Outcome::done;
}

void Starter::send_groups() {
  for (const Command& change : groups.changes()) noting.link.send(change);
  groups.sent();
}

Outcome Control::carry_out(const asked::SetListener& its, const Extras&) {
  if (its.listener >= most_listeners) return listening.no_such_listener(its.listener);
  listening.listeners.set(static_cast<std::size_t>(its.listener), {its.place, its.facing, its.up, its.velocity, its.gain});
  return Outcome::done;
}

Outcome Control::carry_out(const asked::RemoveListener& its, const Extras&) {
  if (its.listener >= most_listeners) return listening.no_such_listener(its.listener);
  listening.listeners.remove(static_cast<std::size_t>(its.listener));
  return Outcome::done;
}

Outcome Control::carry_out(const asked::SetGauge& its, const Extras&) {
  const std::uint32_t gauge = driving.gauges.names().find(its.gauge);
  if (gauge == Numbers::none)
    return noting.decide(Outcome::unknown_gauge, {}, {.code = Reason::Code::unknown_gauge, .name = its.gauge.text()});
  driving.gauges.set(gauge, its.value);
  return Outcome::done;
}

void Control::fill_in(asked::Raise& raise, RaiseTraits& traits, Driving::Values& values) const {
  if (!listening.fill_in(raise, traits)) return;
  if (!listening.emitters.any_gauges()) return;
  const Catalogue& catalogue = *library.loaded.catalogue();
  if (const Catalogue::Event* event = catalogue.find(raise.event)) driving.fill_in(raise, catalogue, *event, values);
}

bool Control::is_known_or_alone(const std::string& action, const std::string& event) {
  const std::lock_guard lock(mutex);
  const Catalogue& catalogue = *library.loaded.catalogue();
  if (catalogue.find(Name(event)) != nullptr) return true;
  for (const char* stage : {".begun", ".completed", ".interrupted", ".called-off"})
    if (catalogue.find(Name(action + stage)) != nullptr) return false;
  return true;
}

Raised Control::handles_of(Outcome outcome, const StartedSounds& started) {
  Raised raised;
  raised.outcome = outcome;
  for (const StartRef& its : started) raised.playbacks[raised.count++] = Playback(handles.number(), its.slot, its.id);
  return raised;
}

}  // namespace tidewater
