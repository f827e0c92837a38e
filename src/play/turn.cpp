#include "play/turn.hpp"

#include <algorithm>
#include <mutex>
#include <utility>

#include "choose/shape.hpp"
#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {
namespace {

constexpr Seconds moves_within{0.02};

#ifdef TIDEWATER_NO_DESK
constexpr bool turns_here = false;
#else
constexpr bool turns_here = true;
#endif

Turning make_ready(Control& control, std::string_view bank, Name sound, std::string_view text) {
  Turning turning;
  turning.bank = control.library.loaded.bank_called(bank);
  if (turning.bank == nullptr) return turning;
  for (LiveSound& its : turning.bank->sounds)
    if (same_name(sound, its.design->name)) turning.sound = &its;
  if (turning.sound == nullptr) return turning;
  const BankData& data = *turning.bank->data;
  Read<BankSound> design = read_turned_design(text, data, *turning.sound->design);
  if (!design.value) {
    turning.problem = std::move(design.problem);
    return turning;
  }
  turning.turned = std::make_unique<const TurnedSound>(TurnedSound{*std::move(design.value), std::string(text)});
  turning.hearing = hearing_of(turning.turned->design);
  turning.following = control.driving.following_of(turning.turned->design, data);
  return turning;
}

/// The clip's own trim in its list.
Decibels trim_of(const BankLayer& layer, const LiveLayer& live) {
  const auto clip = static_cast<std::uint32_t>(live.clip - live.start->sound->bank->clips.data());
  for (const BankChoice& choice : layer.choices)
    for (const BankClipUse& use : choice.clips)
      if (use.clip == clip) return use.trim;
  return {};
}

/// A level that goes by what was drawn, where that is another now. What was added to it stays.
Decibels moved(Decibels level, Decibels was, Decibels now, const BankLayer& layer, const LiveLayer& live) {
  if (now == silence) return silence;
  return was == silence ? now + trim_of(layer, live) : Decibels{level.value + (now.value - was.value)};
}

/// Draws everything again from the same numbers, and moves what plays by the difference. A pan or a filter that the game has set stays.
void draw_again(Voices& voices, LiveStart& start, const LiveSound& sound, const BankSound& before, const BankSound& now) {
  const Draws draws(sound.key, start.drawn);
  const StartShape was = draw_shape(before, draws), is = draw_shape(now, draws);
  Voices::each_layer(start, [&](LiveLayer& layer) {
    const auto number = static_cast<std::size_t>(layer.design - before.layers.data());
    const LayerShape layer_was = draw_layer(was, before.layers[number], number, draws);
    const LayerShape layer_is = draw_layer(is, now.layers[number], number, draws);
    layer.design = &now.layers[number];
    if (layer.stage == Stage::leaving) return;
    if (layer_was.gain != layer_is.gain) {
      layer.its.drawn_gain = moved(layer.its.drawn_gain, layer_was.gain, layer_is.gain, *layer.design, layer);
      voices.set_gain(layer, layer.its.own_gain, moves_within);
    }
    if (layer_was.pitch != layer_is.pitch) {
      layer.its.drawn_pitch = layer.its.drawn_pitch + Semitones{layer_is.pitch.value - layer_was.pitch.value};
      voices.bend(layer, layer.its.own_pitch, moves_within);
    }
    if (was.pan != is.pan && layer.its.pan == was.pan) voices.set_pan(layer, is.pan, moves_within);
    if (was.low_pass != is.low_pass && layer.its.low_pass == was.low_pass)
      voices.set_filter(layer, StateFilter::Kind::low_pass, is.low_pass, moves_within);
    if (before.high_pass != now.high_pass && layer.its.high_pass == before.high_pass)
      voices.set_filter(layer, StateFilter::Kind::high_pass, now.high_pass, moves_within);
  });
}

}  // namespace

Outcome Control::carry_out(const asked::Turn& turn, const Extras& extras) {
  using Code = Reason::Code;
  if (!turns_here) return noting.decide(Outcome::not_here, {}, {.code = Code::no_turning});
  Turning& its = *extras.loading->turning;
  if (its.bank == nullptr) return noting.decide(Outcome::bank_not_loaded, {}, {.code = Code::no_such_bank, .name = turn.bank});
  if (its.sound == nullptr)
    return noting.decide(Outcome::needs_reload, {}, {.code = Code::no_such_sound, .name = turn.sound.text(), .more = turn.bank});
  if (!its.problem.empty())
    return noting.decide(Outcome::needs_reload, {}, {.code = Code::text, .name = noting.notebook.keep(its.problem)});
  LiveSound& sound = *its.sound;
  const BankSound &before = *sound.design, &now = its.turned->design;
  for (LiveStart* start = sound.latest; start != nullptr; start = start->earlier) {
    if (Cadence* cadence = driving.cadences.find(start->ref())) {
      const Draws draws(sound.key, start->drawn);
      const StartShape was = draw_shape(before, draws), is = draw_shape(now, draws);
      if (start->layers->its.pan == cadence->pan) cadence->pan = was.pan == cadence->pan ? is.pan : cadence->pan;
      if (start->layers->its.low_pass == cadence->low_pass)
        cadence->low_pass = was.low_pass == cadence->low_pass ? is.low_pass : cadence->low_pass;
    }
    draw_again(voices, *start, sound, before, now);
    if (start->in_world) listening.earshot.change(start->ref(), Voices::own_level(*start));
  }
  std::unique_ptr<const TurnedSound> old = its.bank->turn(sound, std::move(its.turned));
  if (old != nullptr) (now.as_track() != nullptr ? its.bank->before : library.retired).push_back(std::move(old));
  std::swap(sound.hearing, its.hearing);
  std::swap(sound.following, its.following);
  for (LiveStart* start = sound.latest; start != nullptr; start = start->earlier)
    if (Followers::Follower* follower = driving.followers.find(start->ref())) Followers::follow(*follower, sound.following.get());
  if (sound.heard_kind != 0) listening.change(sound);
  sound.memory->fit(now);
  return Outcome::done;
}

Outcome turn_now(Control& control, std::string_view bank, Name sound, std::string_view design) {
  const std::lock_guard no_update(control.updating);  // what listens holds designs
  const std::lock_guard one_at_a_time(control.library.loaded.loading());
  Turning turning = make_ready(control, bank, sound, design);
  Loading loading;
  loading.turning = &turning;
  const Asking asking(control);
  return control.settle_and_ask(asked::Turn{bank, sound, design}, {.loading = &loading});
}

}  // namespace tidewater
