/// What plays in the world: how it is heard as it moves, and who is near enough to wake.

#include <algorithm>
#include <cmath>
#include <utility>

#include "voices/voices.hpp"

namespace tidewater {
namespace {

/// The way from one update to the next: what moves is on it for as long.
constexpr Seconds longest_way{0.1};
/// Cutoffs that are nearer to each other sound the same.
constexpr float same_cutoff = 0.01F;

bool differ(float a, float b) { return (a == 0) != (b == 0) || std::abs(a - b) > same_cutoff * b; }

/// By more than a 30th of a decibel of what is heard of it.
bool differ(const Amplitudes& a, const Amplitudes& b) {
  constexpr float same_level = 0.004F;
  const float loudest = *std::max_element(b.begin(), b.end());
  for (std::size_t c = 0; c < a.size(); ++c)
    if (std::abs(a[c] - b[c]) > same_level * loudest || (b[c] == 0 && a[c] != 0)) return true;
  return false;
}

}  // namespace

void Voices::list_voiced(std::vector<VoicedLayer>& voiced) const {
  voiced.clear();
  for (std::uint32_t voice = 0; voice < pool_.on().size(); ++voice) {
    const OnVoice& on = pool_.on()[voice];
    if (on.sound == nullptr) continue;
    VoicedLayer& its = voiced.emplace_back();
    its.voice = voice;
    its.start = on.start;
    its.sound = on.sound;
    its.in_world = on.in_world;
    its.leaving = !on.sounding;
    its.rank = on.rank;
    its.level = heard_level(on.own, levels_.heard[on.group]);
    its.group = on.group;
    if (on.sound->design->limit == 0 && limits_.own(on.group) == GroupLimits::none) continue;
    its.counts = counts_for_start(*pool_.owners()[voice]);
    its.family = &newest_version(*on.sound);
  }
}

LiveStart* Voices::start_at(std::uint32_t slot) {
  LiveStart& start = starts_.in_slot(slot);
  return start.alive > 0 && !gone(start) ? &start : nullptr;
}

bool Voices::any_asleep(const LiveStart& start) {
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (layer->stage == Stage::dormant) return true;
  return false;
}

Level Voices::own_level(const LiveStart& start) {
  Level loudest;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over()) loudest = std::max(loudest, layer->level);
  return loudest;
}

LiveLayer* Voices::layer_on(const VoicedLayer& voiced) {
  const OnVoice& on = pool_.on()[voiced.voice];
  return on.sound != nullptr && on.start == voiced.start ? pool_.owners()[voiced.voice] : nullptr;
}

void Voices::bend_to(LiveLayer& layer, const Bent& bent) {
  const Bent before = std::exchange(layer.bent, bent);
  if (bent == before) return;
  const std::int64_t ramp = way_to_next();
  if (!Level(before.gain).audible()) layer.lifted_at = tended_.at;
  if (bent.gain != before.gain) {
    layer.lift = Level(bent.gain);
    turned(layer);
    send(layer, SetVoiceLift{layer.voice, static_cast<float>(amplitude(bent.gain)), ramp});
  }
  if (bent.pitch != before.pitch) set_step(layer, ramp);
  const auto filter = [&](StateFilter::Kind kind, float hertz) { send(layer, SetFilter{layer.voice, false, kind, hertz, ramp}); };
  if (bent.low_pass != before.low_pass) filter(StateFilter::Kind::low_pass, low_pass_of(layer));
  if (bent.high_pass != before.high_pass) filter(StateFilter::Kind::high_pass, high_pass_of(layer));
}

void Voices::lift_on(LiveLayer& layer, const Bent& bent, ScopeFrame frame, std::int64_t ramp) {
  const Bent before = std::exchange(layer.bent, bent);
  if (bent.gain == before.gain) return;
  layer.lift = Level(bent.gain);
  if (layer.stage == Stage::dormant && !layer.waits() && frame > layer.progress.since) {
    // It wakes on that frame, in its place.
    layer.progress.position = position_at(layer, frame);
    layer.progress.since = frame;
  }
  turned(layer);
  send(layer, SetVoiceLift{layer.voice, static_cast<float>(amplitude(bent.gain)),
                           times().lasting(layer.start->scope, ramp, link_.changes_from()), frame});
}

/// As long as the longest of the last few updates took: where they come at odd times, what moves rests nowhere on its way.
std::int64_t Voices::way_to_next() const {
  const std::int64_t longest = *std::max_element(tended_.recent.begin(), tended_.recent.end());
  return std::clamp<std::int64_t>(longest, 1, frames_of(longest_way));
}

void Voices::hear(LiveStart& start, const HeardFrom& from) {
  *start.from = from;
  each_layer(start, [&](LiveLayer& layer) {
    if (layer.stage == Stage::dormant)
      turned(layer);
    else
      hear_on(layer.voice, from);
  });
}

void Voices::hear(const VoicedLayer& voiced, const HeardFrom& from) {
  const OnVoice& on = pool_.on()[voiced.voice];
  if (on.sound != nullptr && on.start == voiced.start) hear_on(voiced.voice, from);
}

/// Tells the mixer of what has changed to be heard.
void Voices::hear_on(std::uint32_t voice, const HeardFrom& from) {
  OnVoice& on = pool_.on()[voice];
  on.from = from;
  if (on.sounding) pool_.claim(voice, Claim(on.rank, heard_level(on.own, levels_.heard[on.group], from.level), on.start.id.raise));
  const std::int64_t ramp = way_to_next();
  if (differ(on.sent.channels, from.channels)) {
    on.sent.channels = from.channels;
    link_.send(SetVoiceChannels{voice, from.channels, ramp});
  }
  if (on.sent.speed != from.speed) {
    on.sent.speed = from.speed;
    set_step(*pool_.owners()[voice], ramp);
  }
  if (differ(on.sent.low_pass, from.low_pass)) {
    on.sent.low_pass = from.low_pass;
    link_.send(SetFilter{voice, false, StateFilter::Kind::low_pass, low_pass_of(*pool_.owners()[voice]), ramp});
  }
}

void Voices::bring_near(std::span<const HeardStart> starts) {
  if (tended_.to_sweep > 0) return;
  for (const StartRef its : sleepers_.brought_near())
    if (LiveStart* start = find(its))
      each_layer(*start, [&](LiveLayer& layer) {
        if (layer.stage == Stage::dormant) sleepers_.send_away(layer);
      });
  sleepers_.brought_near().clear();
  for (const HeardStart& its : starts) {
    LiveStart* start = find(its.start);
    if (start == nullptr) continue;
    sleepers_.brought_near().push_back(its.start);
    *start->from = *its.from;
    for (const LiveLayer* layer = start->layers; layer != nullptr; layer = layer->next)
      if (layer->stage == Stage::sounding) *start->from = from_of(*layer);
    each_layer(*start, [&](LiveLayer& layer) {
      if (layer.stage != Stage::dormant || layer.waits()) return;
      // It goes on where it would be, at the speed that it has there.
      const ScopeFrame from = std::max(layer.progress.since, times().at(start->scope, link_.now().lands));
      layer.progress.position = position_at(layer, from);
      layer.progress.since = from;
      layer.progress.step = step_of(layer);
      turned(layer);
      sleepers_.bring_near(layer, claim_of(layer));
    });
  }
}

void Voices::hush(const std::function<Reason(const LiveLayer&, const HeardFrom&)>& why) {
  for (std::uint32_t voice = 0; voice < pool_.on().size(); ++voice) {
    const OnVoice& on = pool_.on()[voice];
    if (on.sound == nullptr || !on.sounding || !on.in_world || pool_.claim_on(voice).audible()) continue;
    LiveLayer& layer = *pool_.owners()[voice];
    if (!on.from.level.audible() || !layer.lift.audible()) put_to_sleep(layer, why(layer, on.from));
  }
}

void Voices::leave_behind(LiveStart& start) {
  const WhenGone when = start.sound->design->world.when_gone;
  each_layer(start, [&](LiveLayer& layer) {
    const bool leaves = when == WhenGone::stop || (when == WhenGone::by_kind && (layer.design->loop || start.part == Part::cadence));
    if (leaves && layer.stage != Stage::leaving)
      leave(layer, start.sound->design->fade_out, Ending::stopped, {.code = Reason::Code::emitter_removed});
  });
}

}  // namespace tidewater
