#pragma once
/// The stored fields of each design, each described once: the key that a book has for it, the member that holds it, its place in the
/// record and how it is stored. The writer and the reader of banks, the content hash, the comparison of two banks and the tables of
/// docs/bank-format.md go by these descriptions.
///
///     describe(Of<BankGroup>{}, visit) calls visit(key, member, place in the record, how it is stored) for each field, in the record's
///     order, with a fifth argument where a field is kept only if the design says so.
///
/// A new key needs a member of the design, a member at the end of the record (bank_records.hpp) and a line here. An older bank has 0 in
/// the new place, so 0 must mean what holds without the key.

#include <cmath>
#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"

namespace tidewater::bank_file {

// How a field is stored, and what a reader accepts.

/// Quantities, plain numbers and ranges of them, from `low` to `high`.
struct Number {
  double low = 0, high = 0;
};
/// Decibels: silence, or a number.
struct Gain {};
/// 1 for true.
struct Flag {};
/// A whole number.
struct Whole {
  double low = 0, high = 0;
};
/// The number of one of these words, from 0. For an optional value from 1, with 0 for none.
struct Word {
  std::span<const std::string_view> words;
  std::string_view further = {};  ///< one more value, which books do not write as a word
  bool grows = false;             ///< newer versions have more words
};
/// A bit for each word, the lowest first.
struct Bits {
  std::span<const std::string_view> words;
};
/// A text of the design's own.
struct Words {};
/// The name of a gauge.
struct GaugeName {};
/// The number of another record of the bank.
struct NumberOf {
  Kind kind;
};
/// The hash of what the design says, which is no part of it.
struct Sum {};
/// Records of another section.
struct List {
  std::size_t least = 0, most = ~std::size_t{0};
};

// Far beyond what a book can say, and harmless.
inline constexpr double most_decibels = 300, most_semitones = 120, most_seconds = 1e6, most_hertz = 1e6, most_metres = 1e6;
inline constexpr double most_of_a_gauge = 1e9;
inline constexpr double most_beats_of_a_bar = 64, most_bars = 10'000, most_frames = 2e9;
inline constexpr std::size_t most_points = 64;
inline constexpr std::string_view along_points = "points";
inline constexpr Number pitches{-most_semitones, most_semitones}, times{0, most_seconds}, cutoffs{0, most_hertz}, lengths{0, most_metres};
inline constexpr Number tempi{0, 1000}, duck_levels{-120, 0};
inline constexpr Number shares{0, 1}, amounts{0, 10}, angles{0, 360}, weights{0, 1e9}, of_a_gauge{-most_of_a_gauge, most_of_a_gauge};

/// Stands for a type.
template <class T>
struct Of {};

/// A record and the section that it lies in.
template <class Its, Kind its_kind>
struct RecordIn {
  using Record = Its;
  static constexpr Kind kind = its_kind;
};
template <class Design>
struct StoredAs;
template <>
struct StoredAs<BankGroup> : RecordIn<Group, Kind::groups> {};
template <>
struct StoredAs<DuckDesign> : RecordIn<Duck, Kind::ducks> {};
template <>
struct StoredAs<BankMood> : RecordIn<Mood, Kind::moods> {};
template <>
struct StoredAs<MoodGroupDesign> : RecordIn<MoodGroup, Kind::mood_groups> {};
template <>
struct StoredAs<BankGauge> : RecordIn<Gauge, Kind::gauges> {};
template <>
struct StoredAs<BankScope> : RecordIn<Scope, Kind::scopes> {};
template <>
struct StoredAs<BankSound> : RecordIn<Sound, Kind::sounds> {};
template <>
struct StoredAs<BankLayer> : RecordIn<Layer, Kind::layers> {};
template <>
struct StoredAs<BankChoice> : RecordIn<Choice, Kind::choices> {};
template <>
struct StoredAs<BankClipUse> : RecordIn<Use, Kind::uses> {};
template <>
struct StoredAs<HashedText> : RecordIn<Value, Kind::values> {};
template <>
struct StoredAs<tidewater::FalloffPoint> : RecordIn<FalloffPoint, Kind::falloffs> {};
template <>
struct StoredAs<FollowDesign> : RecordIn<Follow, Kind::follows> {};
template <>
struct StoredAs<CurveDesign> : RecordIn<Curve, Kind::curves> {};
template <>
struct StoredAs<tidewater::CurvePoint> : RecordIn<CurvePoint, Kind::curve_points> {};
template <>
struct StoredAs<BankEvent> : RecordIn<Event, Kind::events> {};
template <>
struct StoredAs<BankResponse> : RecordIn<Response, Kind::responses> {};
template <>
struct StoredAs<BankCondition> : RecordIn<Condition, Kind::conditions> {};
template <>
struct StoredAs<BankTrait> : RecordIn<Trait, Kind::traits> {};
template <>
struct StoredAs<BankTrack> : RecordIn<Track, Kind::tracks> {};
template <>
struct StoredAs<PartDesign> : RecordIn<TrackPart, Kind::parts> {};
template <>
struct StoredAs<ChangeDesign> : RecordIn<Change, Kind::changes> {};
template <class Design>
using RecordOf = typename StoredAs<Design>::Record;

template <class Visit>
void describe(Of<BankGroup>, Visit visit) {
  using R = Group;
  visit("name", &BankGroup::name, &R::name, Words{});
  visit("parent", &BankGroup::parent, &R::parent, NumberOf{Kind::groups});
  visit("mute", &BankGroup::muted, &R::muted, Flag{});
  visit("gain", &BankGroup::gain, &R::gain, Gain{});
  visit("low-pass", &BankGroup::low_pass, &R::low_pass, cutoffs);
  visit("high-pass", &BankGroup::high_pass, &R::high_pass, cutoffs);
  visit("limit", &BankGroup::limit, &R::limit, Whole{0, 0xffffffff});
  visit("when-full", &BankGroup::when_full, &R::when_full, Word{when_full_words});
  visit("duck", &BankGroup::ducks, &R::ducks, List{0, most_ducks});
  visit("player", &BankGroup::player, &R::player, Flag{});
}

template <class Visit>
void describe(Of<BankMood>, Visit visit) {
  using R = Mood;
  visit("name", &BankMood::name, &R::name, Words{});
  visit("rank", &BankMood::rank, &R::rank, Whole{0, 9});
  visit("fade-in", &BankMood::fade_in, &R::fade_in, times);
  visit("fade-out", &BankMood::fade_out, &R::fade_out, times);
  visit("groups", &BankMood::groups, &R::groups, List{});
}

template <class Visit>
void describe(Of<MoodGroupDesign>, Visit visit) {
  using R = MoodGroup;
  visit("group", &MoodGroupDesign::group, &R::group, Words{});
  visit("changes the gain", &MoodGroupDesign::sets_gain, &R::sets_gain, Flag{});
  visit("gain", &MoodGroupDesign::gain, &R::gain, Gain{});
  visit("low-pass", &MoodGroupDesign::low_pass, &R::low_pass, cutoffs);
  visit("high-pass", &MoodGroupDesign::high_pass, &R::high_pass, cutoffs);
}

template <class Visit>
void describe(Of<DuckDesign>, Visit visit) {
  using R = Duck;
  visit("for", &DuckDesign::key, &R::key, Words{});
  visit("by", &DuckDesign::by, &R::by, duck_levels);
  visit("from", &DuckDesign::from, &R::from, duck_levels);
  visit("attack", &DuckDesign::attack, &R::attack, times);
  visit("hold", &DuckDesign::hold, &R::hold, times);
  visit("release", &DuckDesign::release, &R::release, times);
}

template <class Visit>
void describe(Of<BankGauge>, Visit visit) {
  using R = Gauge;
  visit("name", &BankGauge::name, &R::name, Words{});
  visit("from", &BankGauge::from, &R::from, of_a_gauge);
  visit("to", &BankGauge::to, &R::to, of_a_gauge);
  visit("default", &BankGauge::initial, &R::initial, of_a_gauge);
  visit("smoothing", &BankGauge::smoothing, &R::smoothing, times);
}

template <class Visit>
void describe(Of<BankScope>, Visit visit) {
  using R = Scope;
  visit("name", &BankScope::name, &R::name, Words{});
  visit("parent", &BankScope::parent, &R::parent, NumberOf{Kind::scopes});
  visit("fade-out", &BankScope::fade_out, &R::fade_out, times);
  visit("pause-fade", &BankScope::pause_fade, &R::pause_fade, times);
  visit("grace", &BankScope::grace, &R::grace, times);
  visit("mood", &BankScope::mood, &R::mood, Words{});
}

template <class T>
auto of_world(T WorldDesign::*member) {
  return [member](auto& sound) -> auto& { return sound.world.*member; };
}
template <class T>
auto of_cone(T ConeDesign::*member) {
  return [member](auto& sound) -> auto& { return sound.world.cone.*member; };
}

template <class Visit>
void describe(Of<BankSound>, Visit visit) {
  using R = Sound;
  visit("name", &BankSound::name, &R::name, Words{});
  visit("group", &BankSound::group, &R::group, NumberOf{Kind::groups});
  visit("spread", &BankSound::towards_middle, &R::towards_middle, Flag{});
  visit("together", &BankSound::together, &R::together, Bits{draw_words});
  visit("pick-for", &BankSound::each_emitter, &R::each_emitter, Flag{});
  visit("retrigger", &BankSound::retrigger, &R::retrigger, Word{retrigger_words});
  visit("limit", &BankSound::limit, &R::limit, Whole{0, 0xffffffff});
  visit("when-full", &BankSound::when_full, &R::when_full, Word{when_full_words});
  visit("limit-for", &BankSound::limit_each_emitter, &R::limit_each_emitter, Flag{});
  visit("rank", &BankSound::rank, &R::rank, Whole{0, 9});
  visit("quality", &BankSound::quality, &R::quality, Word{quality_words});
  visit("gain", &BankSound::gain, &R::gain, Gain{});
  visit("pitch", &BankSound::pitch, &R::pitch, pitches);
  visit("pan", &BankSound::pan, &R::pan, Number{-1, 1});
  visit("delay", &BankSound::delay, &R::delay, times);
  visit("low-pass", &BankSound::low_pass, &R::low_pass, cutoffs);
  visit("high-pass", &BankSound::high_pass, &R::high_pass, cutoffs);
  visit("spacing", &BankSound::spacing, &R::spacing, times);
  visit("fade-in", &BankSound::fade_in, &R::fade_in, times);
  visit("fade-out", &BankSound::fade_out, &R::fade_out, times);
  visit("content", &BankSound::content, &R::content, Sum{});
  visit("place", of_world(&WorldDesign::place), &R::in_world, Word{where_words});
  const auto in_world = [](const BankSound& sound) { return sound.world.place == Where::world; };
  visit("distance", of_world(&WorldDesign::falloff), &R::falloff, Word{falloff_words, along_points}, in_world);
  visit("distance", of_world(&WorldDesign::points), &R::points, List{0, most_points}, in_world);
  visit("when-gone", of_world(&WorldDesign::when_gone), &R::when_gone, Word{when_gone_words}, in_world);
  visit("near", of_world(&WorldDesign::full_within), &R::full_within, lengths, in_world);
  visit("far", of_world(&WorldDesign::silent_from), &R::silent_from, lengths, in_world);
  visit("radius", of_world(&WorldDesign::radius), &R::radius, lengths, in_world);
  visit("rolloff", of_world(&WorldDesign::rolloff), &R::rolloff, amounts, in_world);
  visit("doppler", of_world(&WorldDesign::doppler), &R::doppler, amounts, in_world);
  visit("air", of_world(&WorldDesign::air), &R::air, amounts, in_world);
  visit("cone inner", of_cone(&ConeDesign::inner), &R::cone_inner, angles, in_world);
  visit("cone outer", of_cone(&ConeDesign::outer), &R::cone_outer, angles, in_world);
  visit("cone outside", of_cone(&ConeDesign::outside), &R::cone_outside, Gain{}, in_world);
  visit("follow", &BankSound::follow, &R::follows, List{0, most_followed});
  visit("cadence", &BankSound::cadence, &R::cadence, times);
  visit("scope", &BankSound::scope, &R::scope, NumberOf{Kind::scopes});
  visit("layers", &BankSound::layers, &R::layers, List{1, most_layers});  // behind the sound's own follows, which come first
  visit("track", &BankSound::track, &R::track, List{0, 1});
}

template <class Visit>
void describe(Of<BankTrack>, Visit visit) {
  using R = Track;
  visit("stand", &BankTrack::stand, &R::stand, Words{});
  visit("tempo", &BankTrack::tempo, &R::tempo, tempi);
  visit("metre", &BankTrack::metre, &R::metre, Whole{1, most_beats_of_a_bar});
  visit("metre unit", &BankTrack::unit, &R::unit, Whole{1, most_beats_of_a_bar});
  visit("first-beat", &BankTrack::first_beat, &R::first_beat, times);
  visit("parts", &BankTrack::parts, &R::parts, List{0, most_parts_of_a_track});
  visit("again", &BankTrack::goes_on, &R::goes_on, Flag{});
  visit("stop-after bars", &BankTrack::stop_after_bars, &R::stop_after_bars, Whole{0, most_bars});
  visit("stop-after", &BankTrack::stop_after, &R::stop_after, times);
  visit("ending", &BankTrack::ending, &R::ending, Words{});
  visit("changes", &BankTrack::changes, &R::changes, List{0, most_changes});
  visit("rate", &BankTrack::rate, &R::rate, Number{1, most_hertz});
  visit("frames", &BankTrack::frames, &R::frames, Whole{1, most_frames});
  visit("loop from", &BankTrack::loop_from, &R::loop_from, Whole{0, most_frames});
  visit("loops", &BankTrack::loops, &R::loops, Flag{});
  visit("beats before", &BankTrack::beats_before, &R::beats_before, Whole{0, 1e9});
  visit("offset", &BankTrack::offset, &R::offset, Whole{-most_frames * most_hertz, most_frames * most_hertz});
  visit("to", &BankTrack::to, &R::to, Whole{1, most_frames});
  visit("per", &BankTrack::per, &R::per, Whole{1, most_frames});
  visit("pause", &BankTrack::pause, &R::pause, times);
  visit("list", &BankTrack::list, &R::list, List{0, most_listed});
}

template <class Visit>
void describe(Of<PartDesign>, Visit visit) {
  visit("name", &PartDesign::name, &TrackPart::name, Words{});
  visit("bars", &PartDesign::bars, &TrackPart::bars, Whole{1, most_bars});
  visit("loop", &PartDesign::loop, &TrackPart::loop, Flag{});
}

template <class Visit>
void describe(Of<ChangeDesign>, Visit visit) {
  using R = Change;
  visit("from", &ChangeDesign::from, &R::from, Words{});
  visit("on", &ChangeDesign::on, &R::on, Word{on_words});
  visit("by", &ChangeDesign::by, &R::by, Word{by_words});
  visit("over", &ChangeDesign::over, &R::over, times);
  visit("bridge", &ChangeDesign::bridge, &R::bridge, Words{});
}

template <class Visit>
void describe(Of<BankLayer>, Visit visit) {
  using R = Layer;
  visit("name", &BankLayer::name, &R::name, Words{});
  visit("by", &BankLayer::by, &R::by, List{});
  visit("loop", &BankLayer::loop, &R::loop, Flag{});
  visit("pick", &BankLayer::pick, &R::pick, Word{pick_words});
  visit("start-at anywhere", &BankLayer::start_anywhere, &R::start_anywhere, Flag{});
  visit("chance", &BankLayer::chance, &R::chance, shares);
  visit("gain", &BankLayer::gain, &R::gain, Gain{});
  visit("pitch", &BankLayer::pitch, &R::pitch, pitches);
  visit("delay", &BankLayer::delay, &R::delay, times);
  visit("start-at", &BankLayer::start_at, &R::start_at, times);
  visit("follow", &BankLayer::follow, &R::follows, List{0, most_followed});
  visit("clips", &BankLayer::choices, &R::choices, List{});
}

template <class Visit>
void describe(Of<BankChoice>, Visit visit) {
  using R = Choice;
  visit("values", &BankChoice::values, &R::values, List{});
  visit("clips", &BankChoice::clips, &R::uses, List{});
  visit("weighted", &BankChoice::weighted, &R::weighted, Flag{});
  visit("heavy", &BankChoice::heavy, &R::heavy, Whole{-1, 0x7fffffff});
  visit("again", &BankChoice::again, &R::again, shares);
}

template <class Visit>
void describe(Of<BankClipUse>, Visit visit) {
  using R = Use;
  visit("clip", &BankClipUse::clip, &R::clip, NumberOf{Kind::clips});
  visit("share", &BankClipUse::share, &R::share, weights);
  visit("weight", &BankClipUse::weight, &R::weight, weights);
  visit("gain", &BankClipUse::trim, &R::trim, Gain{});
}

template <class Visit>
void describe(Of<HashedText>, Visit visit) {
  visit(
      "text", [](auto& its) -> auto& { return its; }, &Value::text, Words{});
}

template <class Visit>
void describe(Of<tidewater::FalloffPoint>, Visit visit) {
  visit("at", &tidewater::FalloffPoint::at, &FalloffPoint::metres, lengths);
  visit("level", &tidewater::FalloffPoint::level, &FalloffPoint::level, Gain{});
}

template <class Visit>
void describe(Of<FollowDesign>, Visit visit) {
  using R = Follow;
  visit("gauge", &FollowDesign::gauge, &R::gauge, GaugeName{});
  visit("curves", &FollowDesign::curves, &R::curves, List{});
  visit("between", &FollowDesign::between, &R::between, Word{between_words});
  visit("on", &FollowDesign::on, &R::on, Word{on_words});
}

template <class Visit>
void describe(Of<CurveDesign>, Visit visit) {
  visit("bends", &CurveDesign::bends, &Curve::bends, Word{bends_words});
  visit("points", &CurveDesign::points, &Curve::points, List{1, most_points});
}

template <class Visit>
void describe(Of<tidewater::CurvePoint>, Visit visit) {
  visit("gauge", &tidewater::CurvePoint::gauge, &CurvePoint::gauge, of_a_gauge);
  visit("value", &tidewater::CurvePoint::value, &CurvePoint::value, Number{-HUGE_VAL, most_hertz});
}

template <class Visit>
void describe(Of<BankResponse>, Visit visit) {
  using R = Response;
  visit("verb", &BankResponse::verb, &R::verb, Word{.words = verb_words, .grows = true});
  const auto on_sound = [](const BankResponse& its) { return its.acts_on_sound(); };
  const auto by_name = [](const BankResponse& its) { return !its.acts_on_sound(); };
  visit("target", &BankResponse::target, &R::target, NumberOf{Kind::sounds}, on_sound);
  visit(
      "delay", [](auto& its) -> auto& { return its.delay.low; }, &R::delay, times);
  visit("time", &BankResponse::time, &R::time, times);
  visit("for", &BankResponse::whom, &R::whom, Word{whom_words});
  visit("gain, to", &BankResponse::value, &R::value, Number{-HUGE_VAL, most_of_a_gauge});
  visit("chance", &BankResponse::left_out, &R::left_out, shares);
  visit(
      "longest delay", [](auto& its) -> auto& { return its.delay.high; }, &R::delay_to, times);
  visit("name", &BankResponse::name, &R::name, Words{}, by_name);
  visit("when", &BankResponse::when, &R::when, List{});
  visit("on", &BankResponse::on, &R::on, Word{on_words});
}

template <class Visit>
void describe(Of<BankCondition>, Visit visit) {
  visit("trait", &BankCondition::trait, &Condition::trait, Words{});
  visit("value", &BankCondition::value, &Condition::value, Words{});
}

template <class Visit>
void describe(Of<BankTrait>, Visit visit) {
  visit("name", &BankTrait::name, &Trait::name, Words{});
  visit("values", &BankTrait::values, &Trait::values, List{1});
}

template <class Visit>
void describe(Of<BankEvent>, Visit visit) {
  visit("name", &BankEvent::name, &Event::name, Words{});
  visit("responses", &BankEvent::responses, &Event::responses, List{});
}

/// Calls `act(key, member, place, how)` for each field that the design keeps, in order, until one returns false. Returns whether none did.
/// `design` may be changed on the way: whether a field is kept is asked when its turn comes.
template <class Design, class Act>
bool each_field(const Design& design, Act act) {
  bool ok = true;
  describe(Of<Design>{}, [&](std::string_view key, auto member, auto place, auto how, auto... only_if) {
    if (ok && (std::invoke(only_if, design) && ...)) ok = act(key, member, place, how);
  });
  return ok;
}

}  // namespace tidewater::bank_file
