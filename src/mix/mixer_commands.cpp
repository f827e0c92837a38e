/// Carries out the commands of the control side.

#include <algorithm>

#include "mix/mixer.hpp"

namespace tidewater {

void Mixer::carry_out(const Command& command) noexcept {
  // Changes of a voice whose scope is on hold take effect at once.
  const auto change = [this](std::uint32_t number, auto act) {
    if (number >= voices_.size() || !voices_[number].active()) return;
    Voice& voice = voices_[number];
    act(voice, now_of(voice.scope()));
    if (clocks_[voice.scope()].holds_at <= rendered_) voice.finish_changes(channels_[number]);
  };
  if (const auto* start = std::get_if<StartVoice>(&command)) {
    Voice& voice = voices_[start->voice];
    voice.start(*start, now_of(start->scope), options_.rate);
    if (clocks_[start->scope].law.holds()) voice.hold(0, now_of(start->scope));
    if (start->in_world) channels_[start->voice].begin(start->channels);
    sounding_ = true;
  } else if (const auto* stop = std::get_if<StopVoice>(&command)) {
    change(stop->voice, [&](Voice& voice, ScopeFrame now) {
      voice.stop(*stop, now);
      if (clocks_[voice.scope()].holds_at > rendered_ || !voice.leaves()) return;
      voice.give_up();  // it is not heard
      count_report(finished_.try_enqueue(VoiceFinished{stop->voice, rendered_, voice.position(), call_ends_}));
    });
  } else if (const auto* gain = std::get_if<SetVoiceGain>(&command)) {
    change(gain->voice, [&](Voice& voice, ScopeFrame now) { voice.set_gain(gain->gain, gain->ramp, now); });
  } else if (const auto* lift = std::get_if<SetVoiceLift>(&command)) {
    change(lift->voice, [&](Voice& voice, ScopeFrame now) { voice.set_lift(*lift, now); });
  } else if (const auto* step = std::get_if<SetVoiceStep>(&command)) {
    change(step->voice, [&](Voice& voice, ScopeFrame now) { voice.set_step(step->step, step->ramp, now); });
  } else if (const auto* side = std::get_if<SetVoiceSide>(&command)) {
    change(side->voice, [&](Voice& voice, ScopeFrame now) { voice.set_side(side->side, side->ramp, now); });
  } else if (const auto* spread = std::get_if<SetVoiceChannels>(&command)) {
    change(spread->voice,
           [&](Voice& voice, ScopeFrame now) { voice.set_channels(channels_[spread->voice], spread->channels, spread->ramp, now); });
  } else if (const auto* filter = std::get_if<SetFilter>(&command)) {
    if (filter->group) return set_filter(*filter);
    change(filter->index,
           [&](Voice& voice, ScopeFrame now) { voice.set_filter(filter->kind, filter->hertz, options_.rate, filter->ramp, now); });
  } else if (const auto* scope = std::get_if<SetScope>(&command)) {
    set_scope(*scope);
  } else if (const auto* define = std::get_if<DefineGroup>(&command)) {
    groups_[define->group].parent = define->parent;
    groups_[define->group].gain = Smooth::at(static_cast<double>(define->gain));
    groups_[define->group].used = true;
    order_is_old_ = true;
  } else if (const auto* group = std::get_if<SetGroupGain>(&command)) {
    Smooth& its = group->of_moods ? groups_[group->group].mood : groups_[group->group].gain;
    if (sounding_ || group->ramp > 0)
      its.go(static_cast<double>(group->gain), group->ramp, shortest_change(options_.rate));
    else
      its = Smooth::at(static_cast<double>(group->gain));
  } else if (const auto* duck = std::get_if<SetDuck>(&command)) {
    groups_[duck->group].ducks[duck->number].set(duck->law, quantum / options_.rate);
    order_is_old_ = true;
  }
}

void Mixer::set_scope(const SetScope& command) noexcept {
  Clock& clock = clocks_[command.scope];
  if (!clock.used) {
    if (command.law == ScopeLaw{}) return;
    clock.time = rendered_.value << scale_bits;
    clock.used = true;
    clocks_used_ = std::max(clocks_used_, command.scope + 1);
  }
  const bool held = clock.law.holds(), holds = command.law.holds();
  clock.law = command.law;
  const std::int64_t shortest = Smooth::on_grid(shortest_change(options_.rate));
  // A pause that comes late still takes the shortest change, and a further command does not cut its fade short.
  const std::int64_t fade = holds && !held ? std::max(shortest, command.law.holds_at - rendered_) : command.fade;
  if (holds && held)
    clock.holds_at = std::max(clock.holds_at, command.law.holds_at);
  else
    clock.holds_at = holds ? rendered_ + fade : MixFrame::never();
  if (held == holds) return;
  for (Voice& voice : voices_) {
    if (!voice.active() || voice.scope() != command.scope) continue;
    if (holds)
      voice.hold(fade, clock.now());
    else
      voice.resume(fade, clock.now());
  }
}

/// Of a group.
void Mixer::set_filter(const SetFilter& command) noexcept {
  for (Filters& filters : groups_[command.index].filters) {
    StateFilter& its = command.kind == StateFilter::Kind::low_pass ? filters.low_pass : filters.high_pass;
    if (sounding_)
      its.tune(static_cast<double>(command.hertz), options_.rate, command.ramp);
    else
      its.begin(static_cast<double>(command.hertz), options_.rate);
  }
}

}  // namespace tidewater
