/// Playbacks of scopes that pause, end and restart.

#include <algorithm>

#include "voices/voices.hpp"

namespace tidewater {

void Voices::hold_scopes(ScopeMask scopes) {
  for (LiveLayer* layer : pool_.owners()) {
    if (layer == nullptr || layer->stage != Stage::sounding || (bit_of(layer->start->scope) & scopes) == 0) continue;
    pool_.claim_nothing(layer->voice);
    layer->stage = Stage::held;
    --count_.sounding;
    ++count_.held;
  }
  spare_voices();
}

void Voices::resume_scopes(ScopeMask scopes) {
  for (LiveLayer* layer : pool_.owners()) {
    if (layer == nullptr || layer->stage != Stage::held || (bit_of(layer->start->scope) & scopes) == 0) continue;
    layer->stage = Stage::sounding;
    --count_.held;
    ++count_.sounding;
    pool_.on()[layer->voice].sounding = true;
    turned(*layer);
  }
  freshen_claims();
  while (count_.sounding > options_.voices) {
    const std::uint32_t weakest = pool_.weakest_but([&](const LiveLayer& layer) { return (bit_of(layer.start->scope) & scopes) == 0; });
    put_to_sleep(*pool_.owners()[weakest], {.code = Reason::Code::waits, .number = static_cast<double>(options_.voices)});
  }
  count_.most_sounding = std::max(count_.most_sounding, count_.sounding);
}

/// Keeps as many of the mixer's voices free as may still begin to sound: puts the weakest held layers to sleep.
void Voices::spare_voices() {
  std::size_t coming = 0;  // voices of held scopes that were told to stop, and are free soon
  for (const LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage == Stage::settling && times().held(layer->start->scope)) ++coming;
  while (count_.held > 0 && pool_.free() + coming + count_.sounding < options_.voices) {
    LiveLayer* weakest = nullptr;
    for (LiveLayer* layer : pool_.owners())
      if (layer != nullptr && layer->stage == Stage::held && (weakest == nullptr || claim_of(*layer) < claim_of(*weakest))) weakest = layer;
    put_to_sleep(*weakest, {.code = Reason::Code::held_gave_way});
    ++coming;
  }
}

/// Stops each layer in the scopes that has a voice and for whose start `is(start)` holds. A later sweep ends the sleeping layers.
template <class Is>
void Voices::stop_in(ScopeMask scopes, const FadeOf& fade_of, const Reason& why, Is is) {
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage != Stage::leaving && (bit_of(layer->start->scope) & scopes) != 0 && is(*layer->start))
      leave(*layer, fade_of(*layer->start), Ending::stopped, why);
  tended_.to_sweep = sleepers_.size();
}

void Voices::end_scopes(ScopeMask scopes, std::uint64_t by, const FadeOf& fade_of, const Reason& why) {
  stop_in(scopes, fade_of, why, [](const LiveStart&) { return true; });
  each_scope(scopes, [&](ScopeNumber scope) {
    all_.of_scopes[scope].all = by;
    all_.of_scopes[scope].left_over = 0;
  });
}

void Voices::restart_scopes(ScopeMask scopes, std::uint64_t by, const FadeOf& fade_of, const Reason& why) {
  stop_in(scopes, fade_of, why, [](const LiveStart& start) { return !start.stays; });
  each_scope(scopes, [&](ScopeNumber scope) { all_.of_scopes[scope].short_ones = all_.of_scopes[scope].left_over = by; });
}

void Voices::end_left_over(ScopeNumber scope, const Reason& why) {
  ScopeStops& its = all_.of_scopes[scope];
  if (its.left_over == 0) return;
  stop_in(
      bit_of(scope), [](const LiveStart& start) { return start.sound->design->fade_out; }, why,
      [&](const LiveStart& start) { return start.stays && start.asked() <= its.left_over; });
  its.all = std::max(its.all, its.left_over);
  its.left_over = 0;
}

}  // namespace tidewater
