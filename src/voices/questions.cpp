/// Answers questions of handles. Changes nothing.

#include "voices/voices.hpp"

namespace tidewater {

bool Voices::plays(const PlayedSound& sound, Emitter emitter) const {
  for (const LiveStart* start = sound.latest; start != nullptr; start = start->earlier)
    if (start->part != Part::beat && (!emitter || start->emitter == emitter.number) && !leaving(*start)) return true;
  return false;
}

PlaybackState Voices::state_of(const LiveStart& start) const {
  bool any = false, waits = false, dormant = false, leaves = false;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next) {
    if (layer->over() || gone(*layer)) continue;
    any = true;
    if (layer->stage == Stage::sounding) return PlaybackState::sounds;
    waits = waits || layer->waits();
    dormant = dormant || layer->stage == Stage::dormant || layer->stage == Stage::settling;
    leaves = leaves || layer->stage == Stage::leaving;
  }
  if (!any) return PlaybackState::over;
  if (start.paused() || times().held(start.scope)) return PlaybackState::held;
  if (leaves) return PlaybackState::sounds;
  return waits ? PlaybackState::waits : dormant ? PlaybackState::dormant : PlaybackState::sounds;
}

Seconds Voices::position_of(const LiveStart& start) const {
  const LiveLayer* first = nullptr;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over() && (first == nullptr || layer->design < first->design)) first = layer;
  if (first == nullptr) return {};
  ClipPosition position = position_at(*first, start.paused() ? start.paused_at : times().at(start.scope, link_.now().at));
  if (first->design->loop) position.fold(first->clip->loop_from, first->clip->frames);
  return seconds({std::min(position.whole, first->clip->frames)}, start.sound->bank->rate);
}

}  // namespace tidewater
