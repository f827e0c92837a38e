#include <algorithm>
#include <type_traits>
#include <utility>

#include "base/fetch.hpp"
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

Outcome Control::ask(Request what, const Beside& beside) {
  return std::visit([&](auto& its) { return ask_one(its, beside, false); }, what);
}

Outcome Control::settle_and_ask(Request what, const Beside& beside) {
  return std::visit([&](auto& its) { return ask_one(its, beside, true); }, what);
}

Outcome Control::settle_and_ask(asked::Raise& what, const Beside& beside) {
  loaded.catalogue()->fetch(what.event);
  voices.fetch_next();
  return ask_one(what, beside, true);
}

/// Each kind of request by itself, so that a raise asks nothing that only others need.
template <class R>
Outcome Control::ask_one(R& what, const Beside& beside, bool settles) {
  if (const auto refused = refuse(what)) return *refused;
  if (settles) settle();
  return note_and_carry_out(what, beside);
}

template <class R>
std::optional<Outcome> Control::refuse(R& what) {
  door.open();
  each_field(what, [&](const auto&, auto& value) {
    if constexpr (requires { door.admit(value); }) door.admit(value);
  });
  const PlaybackId* playback = playback_in(std::as_const(what));
  if (playback != nullptr && *playback == PlaybackId{}) return Outcome::already_ended;  // the handle of nothing
  if (door.refusal()) return decide(Outcome::not_a_number, playback == nullptr ? PlaybackId{} : *playback, *door.refusal());
  if constexpr (!must_be_done<R>)
    if (notebook.open() && !admits(bytes_of_texts(what))) return Outcome::no_room;
  return std::nullopt;
}

template <class R>
Outcome Control::note_and_carry_out(R& what, const Beside& beside) {
  if (door.notice()) tell(*door.notice());
  claim_due();
  link.count_request();
  updates.request(link.now().at);
  tell_if_not_updated();
  if constexpr (std::is_same_v<R, asked::Raise>) what.id = ++totals.raised;
  if (notebook.open()) {
    keep_texts(notebook, what);  // so that what is decided can speak of them
    notebook.add<AskedNote>(link.now().at, [&](AskedNote& note) {
      note.lands = link.now().lands;
      note.into = beside.into;
      note.meanwhile = world.listening;
      note.request.emplace<R>(what);
    });
  }
  return carry_out(what, beside);
}

void Control::tell_if_not_updated() {
  if (const auto without = watch.goes_without_updates(link.now().at, options.rate))
    tell({.code = Reason::Code::unupdated, .number = without->value});
}

bool Control::admits(std::size_t text) {
  if (!notebook.open() || notebook.has_room(text)) return true;
  notebook.refuse();
  ++totals.refused;
  return false;
}

/// No bank has the event.
Outcome Control::decide_unknown(Name event, PlaybackId id) {
  const std::string_view lost = loaded.catalogue()->lost_with(event);
  for (const BackgroundLoads::UnderWay& its : loads.under_way)
    if (std::binary_search(its.events.begin(), its.events.end(), event.hash()))
      return decide(Outcome::unknown_event, id,
                    {.code = Reason::Code::event_on_its_way, .number = 100 * its.loading.progress(), .name = notebook.keep(its.bank)});
  if (lost.empty()) return decide(Outcome::unknown_event, id, {.code = Reason::Code::unknown_event, .name = event.text()});
  return decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::event_unloaded, .name = notebook.keep(lost)});
}

Outcome Control::carry_out(const asked::Raise& raise, const Beside& beside) {
  const PlaybackId id{raise.id, 0};
  const Catalogue::Event* known = loaded.catalogue()->find(raise.event);
  if (known == nullptr) return decide_unknown(raise.event, id);
  fetch(known->design->responses.data(), sizeof(BankResponse));
  std::optional<Whereabouts> at;
  if (raise.place) {
    set_place(at.emplace(), *raise.place);
    set_velocity(*at, raise.velocity);
    set_facing(*at, raise.facing);
    if (has_room_for(raise.emitter)) {
      keep_place(raise.emitter, *at);
      keep_gauges(raise, *known);
    }
  }
  const Happening happening{.event = Name(known->design->name, raise.event.hash()),
                            .traits = raise.traits,
                            .emitter = raise.emitter,
                            .gauges = raise.gauges,
                            .at = at,
                            .base = link.base() + beside.into};
  if (beside.raised != nullptr) return respond_all(*known, id, happening, *beside.raised);
  Raised unasked;
  return respond_all(*known, id, happening, unasked);
}

template <class Act>
void Control::each_started(const LiveStart& start, Act act) {
  const Cadence* cadence = start.part == Part::cadence ? drive.cadences.find(start.ref()) : nullptr;
  if (cadence == nullptr) return;
  for (const StartRef its : cadence->last)
    if (LiveStart* beat = voices.find(its)) act(*beat);
}

/// Acts on every layer of a playback that is not over.
template <class Act>
Outcome Control::change(PlaybackId id, const Beside& beside, Act act) {
  LiveStart* start = voices.find({beside.slot, id});
  if (start == nullptr) return decide(Outcome::already_ended, id, {});
  each_started(*start, [&](LiveStart& its) { Voices::each_layer(its, act); });
  Voices::each_layer(*start, act);
  return Outcome::done;
}

template <class Act>
Outcome Control::change(Name group, Act act) {
  const auto index = groups.names().find(group);
  if (index == Numbers::none) return decide(Outcome::unknown_group, {}, {.code = Reason::Code::unknown_group, .name = group.text()});
  act(index);
  send_groups();
  return Outcome::done;
}

Outcome Control::carry_out(const asked::Stop& stop, const Beside& beside) {
  return change(stop.playback, beside, [&](LiveLayer& layer) { voices.leave(layer, stop.fade, Ending::stopped); });
}

Outcome Control::carry_out(const asked::SetGain& its, const Beside& beside) {
  if (const auto* group = std::get_if<Name>(&its.of))
    return change(*group, [&](std::uint32_t number) { groups.set_gain(number, its.gain, way_for(its.time)); });
  const auto id = std::get<PlaybackId>(its.of);
  const Outcome outcome = change(id, beside, [&](LiveLayer& layer) { voices.set_gain(layer, its.gain, its.time); });
  if (const LiveStart* start = voices.find({beside.slot, id}); start != nullptr && start->in_world)
    world.earshot.change(start->ref(), Voices::own_level(*start));
  return outcome;
}

Outcome Control::carry_out(const asked::Bend& bend, const Beside& beside) {
  return change(bend.playback, beside, [&](LiveLayer& layer) { voices.bend(layer, bend.pitch, bend.time); });
}

Outcome Control::carry_out(const asked::SetPan& its, const Beside& beside) {
  return change(its.playback, beside, [&](LiveLayer& layer) { voices.set_pan(layer, its.pan, its.time); });
}

Outcome Control::carry_out(const asked::SetLowPass& its, const Beside& beside) {
  return filter(its.of, StateFilter::Kind::low_pass, its.frequency, its.time, beside);
}

Outcome Control::carry_out(const asked::SetHighPass& its, const Beside& beside) {
  return filter(its.of, StateFilter::Kind::high_pass, its.frequency, its.time, beside);
}

Outcome Control::filter(const Target& of, StateFilter::Kind kind, Hertz frequency, Seconds time, const Beside& beside) {
  if (const auto* group = std::get_if<Name>(&of))
    return change(*group, [&](std::uint32_t number) { groups.set_filter(number, kind, frequency, voices.frames_of(time)); });
  return change(std::get<PlaybackId>(of), beside, [&](LiveLayer& layer) { voices.set_filter(layer, kind, frequency, time); });
}

Outcome Control::carry_out(const asked::SetMute& its, const Beside&) {
  constexpr Seconds smooth{0.02};
  return change(its.group, [&](std::uint32_t number) { groups.set_mute(number, its.mute, way_for(smooth)); });
}

Outcome Control::carry_out(const asked::StopAll& stop, const Beside&) {
  voices.stop_all(stop.fade, {totals.raised, ~0U});
  return Outcome::done;
}

/// What cannot be read any more is something that happened, like a request: a journal gives it again.
Outcome Control::carry_out(const asked::Unreadable& its, const Beside& beside) {
  if (LiveStart* start = voices.find({beside.slot, its.playback}))
    Voices::each_layer(*start, [&](LiveLayer& layer) {
      if (layer.clip->streamed != nullptr && layer.stage != Stage::leaving)
        voices.leave(layer, {}, Ending::unreadable, {.code = Reason::Code::text, .name = its.why});
    });
  return Outcome::done;
}

void Control::send_groups() {
  for (const Command& change : groups.changes()) link.send(change);
  groups.sent();
}

}  // namespace tidewater
