/// What plays in scopes that pause, end and restart.

#include <algorithm>

#include "voices/voices.hpp"

namespace tidewater {

void Voices::hold(ScopeMask scopes) {
  for (LiveLayer* layer : pool_.owners()) {
    if (layer == nullptr || layer->stage != Stage::sounding || (bit_of(layer->start->scope) & scopes) == 0) continue;
    pool_.claim_nothing(layer->voice);
    layer->stage = Stage::held;
    --count_.sounding;
    ++count_.held;
  }
  spare_voices();
}

void Voices::go_on(ScopeMask scopes) {
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

/// As many voices stay free as may sound: of those that are held, the weakest sleep.
void Voices::spare_voices() {
  std::size_t coming = 0;  // they are told to go already
  for (const LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage == Stage::settling && times().held(layer->start->scope)) ++coming;
  while (count_.held > 0 && pool_.free() + coming + count_.sounding < options_.voices) {
    LiveLayer* weakest = nullptr;
    for (LiveLayer* layer : pool_.owners())
      if (layer != nullptr && layer->stage == Stage::held && (weakest == nullptr || claim_of(*layer) < claim_of(*weakest))) weakest = layer;
    put_to_sleep(*weakest, {.code = Reason::Code::waits, .number = static_cast<double>(options_.voices)});
    ++coming;
  }
}

void Voices::end_scopes(ScopeMask scopes, std::uint64_t by, const std::function<Seconds(ScopeNumber)>& fade_of, const Reason& why) {
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage != Stage::leaving && (bit_of(layer->start->scope) & scopes) != 0)
      leave(*layer, fade_of(layer->start->scope), Ending::stopped, why);
  for (ScopeMask left = scopes; left != 0; left &= left - 1) {
    ScopeStops& its = all_.of_scopes[static_cast<std::size_t>(std::countr_zero(left))];
    its.all = by;
    its.left_over = 0;
  }
  tended_.to_sweep = sleepers_.size();
}

void Voices::restart_scopes(ScopeMask scopes, std::uint64_t by, const std::function<Seconds(ScopeNumber)>& fade_of, const Reason& why) {
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage != Stage::leaving && !layer->start->stays && (bit_of(layer->start->scope) & scopes) != 0)
      leave(*layer, fade_of(layer->start->scope), Ending::stopped, why);
  for (ScopeMask left = scopes; left != 0; left &= left - 1) {
    ScopeStops& its = all_.of_scopes[static_cast<std::size_t>(std::countr_zero(left))];
    its.short_ones = its.left_over = by;
  }
  tended_.to_sweep = sleepers_.size();
}

void Voices::end_left_over(ScopeNumber scope, const Reason& why) {
  ScopeStops& its = all_.of_scopes[scope];
  if (its.left_over == 0) return;
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr && layer->stage != Stage::leaving && layer->start->scope == scope && layer->start->stays &&
        layer->start->asked() <= its.left_over)
      leave(*layer, layer->start->sound->design->fade_out, Ending::stopped, why);
  its.all = std::max(its.all, its.left_over);
  its.left_over = 0;
  tended_.to_sweep = sleepers_.size();
}

}  // namespace tidewater
