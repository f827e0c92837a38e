/// Pauses and resumes of single playbacks.

#include <utility>

#include "voices/voices.hpp"

namespace tidewater {

void Voices::pause(LiveStart& start, Seconds fade, const Reason& why) {
  if (start.paused()) return;
  start.paused_at = times().at(start.scope, link_.changes_from());
  each_layer(start, [&](LiveLayer& layer) {
    if (layer.stage == Stage::dormant) {
      if (layer.waits()) stop_waiting(layer);
      wait_for(layer, ScopeFrame::never());
      return;
    }
    if (layer.stage != Stage::sounding && layer.stage != Stage::held) return;
    pool_.claim_nothing(layer.voice);
    const bool stands = layer.stage == Stage::held;  // it is silent, and its scope's time stands, so that a fade would not end
    --(stands ? count_.held : count_.sounding);
    layer.stage = Stage::settling;
    ++count_.dormant;
    link_.send(StopVoice{layer.voice, stands ? 0 : frames_of(fade, layer)});
    notebook_.add(link_.now().at,
                  FadingNote{start.id, start.sound->design, layer.design, Ending::dormant, layer.voice, fade, notebook_.keep(why)});
  });
}

void Voices::resume(LiveStart& start) {
  if (!start.paused()) return;
  const ScopeFrame stood_from = std::exchange(start.paused_at, ScopeFrame::never());
  const ScopeFrame now = base_of(start.scope);
  const std::int64_t stood = now - stood_from;
  if (start.heard > stood_from) start.heard += stood;
  const bool reading = waits_for_clips(start);
  each_layer(start, [&](LiveLayer& layer) {
    if (layer.stage != Stage::dormant || start.part == Part::cadence) return;
    stop_waiting(layer);
    if (layer.progress.since < stood_from) {
      layer.progress.position = position_at(layer, stood_from);
      layer.progress.since = stood_from;
    }
    layer.progress.since += stood;
    if (reading)
      wait_for(layer, ScopeFrame::never());
    else if (is_to_wait(start.scope, layer.progress.since))
      wait_for(layer, waits_until(start.scope, layer.progress.since));
    turned(layer);
  });
}

std::size_t Voices::stop_unheard(const std::function<bool(const LiveStart&)>& is, const Reason& why) {
  std::size_t count = 0;
  for (LiveStart& start : starts_.starts()) {
    if (start.alive == 0 || start.part != Part::whole || gone(start) || !is(start)) continue;
    bool any = false;
    each_layer(start, [&](LiveLayer& layer) {
      if (layer.stage == Stage::leaving || layer.progress.since <= times().at(start.scope, link_.changes_from())) return;
      any = true;
      leave(layer, {}, Ending::stopped, why);
    });
    count += any ? 1 : 0;
  }
  return count;
}

}  // namespace tidewater
