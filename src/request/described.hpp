#pragma once
/// The description of each request: its name, its keys in a journal in order, and the member for each key.
/// The door, the notebook, writer and reader of journals, and replay go by this; docs/journal.md is compared with it.

#include <string_view>
#include <tuple>
#include <type_traits>
#include <utility>
#include <variant>

#include "tidewater/request.hpp"

namespace tidewater {

/// The values of keys that a request leaves out: the defaults of its members.
enum class Use {
  needed,   ///< none may leave it out
  usual,    ///< whoever writes by hand may; a manager never does
  unusual,  ///< it is not written where it says what holds without it
};

template <class Owner, class Value>
struct Field {
  const char* key;  ///< of a target: "playback" or "group", whichever it is
  Value Owner::*member;
  Use use;
};

template <class Owner, class Value>
constexpr Field<Owner, Value> field(const char* key, Value Owner::*member, Use use = Use::needed) {
  return {key, member, use};
}

template <class... Fields>
struct Description {
  std::string_view name;
  std::tuple<Fields...> fields;
};

template <class... Fields>
constexpr Description<Fields...> describe(std::string_view name, Fields... fields) {
  return {name, {fields...}};
}

inline constexpr const char* target = "";

template <class R>
inline constexpr int description_of = 0;

template <>
inline constexpr auto description_of<asked::Load> = describe("load", field("bank", &asked::Load::bank),
                                                             field("content", &asked::Load::content, Use::unusual),
                                                             field("preload", &asked::Load::preload, Use::unusual),
                                                             field("language", &asked::Load::language, Use::unusual));
template <>
inline constexpr auto description_of<asked::Reload> = describe("reload", field("bank", &asked::Reload::bank),
                                                               field("content", &asked::Reload::content, Use::unusual),
                                                               field("preload", &asked::Reload::preload, Use::unusual),
                                                               field("language", &asked::Reload::language, Use::unusual));
template <>
inline constexpr auto description_of<asked::Unload> = describe("unload", field("bank", &asked::Unload::bank),
                                                               field("what-plays", &asked::Unload::what_plays, Use::unusual));
template <>
inline constexpr auto description_of<asked::Raise> =
    describe("raise", field("id", &asked::Raise::id, Use::usual), field("event", &asked::Raise::event),
             field("emitter", &asked::Raise::emitter, Use::unusual), field("place", &asked::Raise::place, Use::unusual),
             field("velocity", &asked::Raise::velocity, Use::unusual), field("facing", &asked::Raise::facing, Use::unusual),
             field("gauges", &asked::Raise::gauges, Use::unusual), field("traits", &asked::Raise::traits, Use::unusual),
             field("scope", &asked::Raise::scope, Use::unusual), field("delay", &asked::Raise::delay, Use::unusual),
             field("action", &asked::Raise::action, Use::unusual));
template <>
inline constexpr auto description_of<asked::Stop> = describe("stop", field("playback", &asked::Stop::playback),
                                                             field("fade", &asked::Stop::fade, Use::unusual));
template <>
inline constexpr auto description_of<asked::SetGain> = describe("gain", field(target, &asked::SetGain::of),
                                                                field("gain", &asked::SetGain::gain),
                                                                field("time", &asked::SetGain::time, Use::usual));
template <>
inline constexpr auto description_of<asked::Bend> = describe("bend", field("playback", &asked::Bend::playback),
                                                             field("pitch", &asked::Bend::pitch),
                                                             field("time", &asked::Bend::time, Use::usual));
template <>
inline constexpr auto description_of<asked::SetPan> = describe("pan", field("playback", &asked::SetPan::playback),
                                                               field("pan", &asked::SetPan::pan),
                                                               field("time", &asked::SetPan::time, Use::usual));
template <>
inline constexpr auto description_of<asked::SetLowPass> = describe("low-pass", field(target, &asked::SetLowPass::of),
                                                                   field("frequency", &asked::SetLowPass::frequency),
                                                                   field("time", &asked::SetLowPass::time, Use::usual));
template <>
inline constexpr auto description_of<asked::SetHighPass> = describe("high-pass", field(target, &asked::SetHighPass::of),
                                                                    field("frequency", &asked::SetHighPass::frequency),
                                                                    field("time", &asked::SetHighPass::time, Use::usual));
template <>
inline constexpr auto description_of<asked::SetMute> = describe("mute", field("group", &asked::SetMute::group),
                                                                field("mute", &asked::SetMute::mute));
template <>
inline constexpr auto description_of<asked::StopAll> = describe("stop-all", field("fade", &asked::StopAll::fade, Use::usual));
template <>
inline constexpr auto description_of<asked::Unreadable> = describe("unreadable", field("playback", &asked::Unreadable::playback),
                                                                   field("why", &asked::Unreadable::why));

template <>
inline constexpr auto description_of<asked::Prefetch> = describe("prefetch", field("event", &asked::Prefetch::event));
template <>
inline constexpr auto description_of<asked::ClipRead> = describe("clip-read", field("bank", &asked::ClipRead::bank),
                                                                 field("clip", &asked::ClipRead::clip),
                                                                 field("number", &asked::ClipRead::number, Use::usual),
                                                                 field("load", &asked::ClipRead::load, Use::usual),
                                                                 field("why", &asked::ClipRead::why, Use::unusual));
template <>
inline constexpr auto description_of<asked::ClipDropped> = describe("clip-dropped", field("bank", &asked::ClipDropped::bank),
                                                                    field("clip", &asked::ClipDropped::clip),
                                                                    field("number", &asked::ClipDropped::number, Use::usual),
                                                                    field("load", &asked::ClipDropped::load, Use::usual));

template <>
inline constexpr auto description_of<asked::SetListener> =
    describe("listener", field("listener", &asked::SetListener::listener, Use::usual), field("place", &asked::SetListener::place),
             field("facing", &asked::SetListener::facing, Use::usual), field("up", &asked::SetListener::up, Use::usual),
             field("velocity", &asked::SetListener::velocity, Use::unusual), field("gain", &asked::SetListener::gain, Use::unusual));
template <>
inline constexpr auto description_of<asked::RemoveListener> = describe("no-listener",
                                                                       field("listener", &asked::RemoveListener::listener, Use::usual));

template <>
inline constexpr auto description_of<asked::SetGauge> = describe("gauge", field("gauge", &asked::SetGauge::gauge),
                                                                 field("value", &asked::SetGauge::value));

template <>
inline constexpr auto description_of<asked::BeginScope> = describe("scope-begin", field("scope", &asked::BeginScope::scope));
template <>
inline constexpr auto description_of<asked::EndScope> = describe("scope-end", field("scope", &asked::EndScope::scope),
                                                                 field("fade", &asked::EndScope::fade, Use::unusual));
template <>
inline constexpr auto description_of<asked::PauseScope> = describe("scope-pause", field("scope", &asked::PauseScope::scope));
template <>
inline constexpr auto description_of<asked::ResumeScope> = describe("scope-resume", field("scope", &asked::ResumeScope::scope));
template <>
inline constexpr auto description_of<asked::SetTimeScale> = describe("scope-time", field("scope", &asked::SetTimeScale::scope),
                                                                     field("scale", &asked::SetTimeScale::scale),
                                                                     field("time", &asked::SetTimeScale::time, Use::usual));

template <>
inline constexpr auto description_of<asked::Play> = describe("play", field("track", &asked::Play::track));
template <>
inline constexpr auto description_of<asked::Leave> = describe("leave", field("stand", &asked::Leave::stand),
                                                              field("on", &asked::Leave::on, Use::unusual),
                                                              field("fade", &asked::Leave::fade, Use::unusual));

template <>
inline constexpr auto description_of<asked::SetMood> = describe("mood", field("mood", &asked::SetMood::mood),
                                                                field("on", &asked::SetMood::on));
template <>
inline constexpr auto description_of<asked::SetPlayerLevel> = describe("player-level", field("group", &asked::SetPlayerLevel::group),
                                                                       field("level", &asked::SetPlayerLevel::level));
template <>
inline constexpr auto description_of<asked::SetPlayerSwitch> = describe("player-switch", field("group", &asked::SetPlayerSwitch::group),
                                                                        field("on", &asked::SetPlayerSwitch::on));

template <>
inline constexpr auto description_of<asked::Turn> = describe("turn", field("bank", &asked::Turn::bank), field("sound", &asked::Turn::sound),
                                                             field("design", &asked::Turn::design));

template <class R>
concept Described = !std::is_same_v<decltype(description_of<std::remove_const_t<R>>), const int>;

/// Calls `take(field, value)` for all that a request carries.
template <Described R, class Take>
void each_field(R& request, Take&& take) {
  std::apply([&](const auto&... fields) { (take(fields, request.*fields.member), ...); }, description_of<std::remove_const_t<R>>.fields);
}

template <class Take>
void each_field(Request& request, Take&& take) {
  std::visit([&](auto& its) { each_field(its, take); }, request);
}
template <class Take>
void each_field(const Request& request, Take&& take) {
  std::visit([&](const auto& its) { each_field(its, take); }, request);
}

template <Described R>
constexpr std::string_view name_of(const R&) {
  return description_of<R>.name;
}
inline std::string_view name_of(const Request& request) {
  return std::visit([](const auto& its) { return name_of(its); }, request);
}

/// The playback that a request is about; null where it is about none.
template <class R>
auto playback_in(R& request) {
  constexpr bool constant = std::is_const_v<R>;
  std::conditional_t<constant, const PlaybackId*, PlaybackId*> found = nullptr;
  each_field(request, [&](const auto&, auto& value) {
    using Value = std::remove_cvref_t<decltype(value)>;
    if constexpr (std::is_same_v<Value, PlaybackId>) found = &value;
    if constexpr (std::is_same_v<Value, Target>) found = std::get_if<PlaybackId>(&value);
  });
  return found;
}

/// Calls `take(R{})` for every kind that there is.
template <class Take, std::size_t... kinds>
void each_kind(Take&& take, std::index_sequence<kinds...>) {
  (take(std::variant_alternative_t<kinds, Request>{}), ...);
}
template <class Take>
void each_kind(Take&& take) {
  each_kind(take, std::make_index_sequence<std::variant_size_v<Request>>());
}

}  // namespace tidewater
