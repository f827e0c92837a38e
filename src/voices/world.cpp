/// What plays in the world: how it is heard as it moves, and who is near enough to wake.

#include <algorithm>
#include <cmath>

#include "voices/voices.hpp"

namespace tidewater {
namespace {

/// The way from one update to the next: what moves is on it for as long.
constexpr Seconds longest_way{0.1};
/// Cutoffs that are nearer to each other sound the same.
constexpr float same_cutoff = 0.01F;

bool differ(float a, float b) { return (a == 0) != (b == 0) || std::abs(a - b) > same_cutoff * b; }

}  // namespace

void Voices::list_voiced(std::vector<VoicedLayer>& voiced) const {
  voiced.clear();
  for (const LiveLayer* layer : pool_.owners())
    if (layer != nullptr)
      voiced.push_back({layer->start->slot, layer->start->sound, layer->start->in_world, layer->stage != Stage::sounding,
                        layer->level + levels_.heard[layer->start->sound->group]});
}

LiveStart* Voices::start_in(std::uint32_t slot, PlaybackId id) {
  LiveStart& start = starts_.in_slot(slot);
  return start.alive > 0 && start.id == id && !gone(start) ? &start : nullptr;
}

LiveStart* Voices::start_at(std::uint32_t slot) {
  LiveStart& start = starts_.in_slot(slot);
  return start.alive > 0 && !gone(start) ? &start : nullptr;
}

Level Voices::own_level(const LiveStart& start) {
  Level loudest;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over()) loudest = std::max(loudest, layer->level);
  return loudest;
}

void Voices::hear(LiveStart& start, const HeardFrom& from) {
  const HeardFrom before = start.from;
  start.from = from;
  const std::int64_t ramp = std::clamp<std::int64_t>(tended_.since_before, 1, frames_of(longest_way));
  each_layer(start, [&](LiveLayer& layer) {
    if (layer.stage == Stage::dormant) return;
    turned(layer);
    if (before.channels != from.channels) link_.send(SetVoiceChannels{layer.voice, from.channels, ramp});
    if (before.speed != from.speed) set_step(layer, ramp);
    if (differ(before.low_pass, from.low_pass))
      link_.send(SetFilter{layer.voice, false, StateFilter::Kind::low_pass, low_pass_of(layer), ramp});
  });
}

void Voices::bring_near(std::span<const HeardStart> starts) {
  if (tended_.to_sweep > 0) return;
  for (const OverStart& its : near_)
    if (LiveStart* start = start_in(its.slot, its.id))
      each_layer(*start, [&](LiveLayer& layer) {
        if (layer.stage == Stage::dormant) sleepers_.send_away(layer);
      });
  near_.clear();
  for (const HeardStart& its : starts) {
    LiveStart* start = start_in(its.slot, its.id);
    if (start == nullptr) continue;
    near_.push_back({its.slot, its.id});
    bool any_voice = false;
    for (const LiveLayer* layer = start->layers; layer != nullptr; layer = layer->next)
      any_voice = any_voice || layer->stage == Stage::sounding;
    if (!any_voice) start->from = *its.from;
    each_layer(*start, [&](LiveLayer& layer) {
      if (layer.stage != Stage::dormant || layer.waits()) return;
      // It goes on where it would be, at the speed that it has there.
      layer.progress.position = position_at(layer, std::max(layer.progress.since, link_.now().lands));
      layer.progress.since = std::max(layer.progress.since, link_.now().lands);
      layer.progress.step = step_of(layer);
      turned(layer);
      sleepers_.bring_near(layer, claim_of(layer));
    });
  }
}

void Voices::hush(const std::function<Reason(const LiveStart&)>& why) {
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage == Stage::sounding && layer->start->in_world && !layer->start->from.level.audible())
      put_to_sleep(*layer, why(*layer->start));
}

void Voices::leave_behind(LiveStart& start) {
  const WhenGone when = start.sound->design->world.when_gone;
  each_layer(start, [&](LiveLayer& layer) {
    const bool leaves = when == WhenGone::stop || (when == WhenGone::by_kind && layer.design->loop);
    if (leaves && layer.stage != Stage::leaving)
      leave(layer, start.sound->design->fade_out, Ending::stopped, {.code = Reason::Code::emitter_given_up});
  });
}

}  // namespace tidewater
