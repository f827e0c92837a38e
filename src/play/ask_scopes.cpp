/// Carries out requests about scopes.

#include <cmath>
#include <cstdint>

#include "play/control.hpp"

namespace tidewater {

template <class Act>
Outcome Control::change_scope(Name scope, Act act) {
  const auto number = scopes.names().find(scope);
  if (number == Numbers::none)
    return noting.decide(Outcome::unknown_scope, {}, {.code = Reason::Code::unknown_scope, .name = scope.text()});
  carry_on(act(static_cast<ScopeNumber>(number)));
  return Outcome::done;
}

/// The mixer and what plays follow a change of scopes.
void Control::carry_on(const Scopes::Changed& changed) {
  for (const SetScope& change : scopes.changes()) noting.link.send(change);
  scopes.sent();
  if (changed.holds != 0) voices.hold(changed.holds);
  if (changed.goes_on != 0) voices.go_on(changed.goes_on);
}

Outcome Control::carry_out(const asked::BeginScope& its, const Extras&) {
  return change_scope(its.scope, [&](ScopeNumber number) {
    ScopeMask restarts = 0;
    for (ScopeMask left = scopes.below(number); left != 0; left &= left - 1)
      if (const auto scope = static_cast<ScopeNumber>(std::countr_zero(left)); scopes[scope].state == Scopes::State::running)
        restarts |= bit_of(scope);
    const Scopes::Changed changed = scopes.begin(number, scope_moment());
    if (restarts == 0) return changed;
    voices.restart_scopes(restarts, noting.totals.raised, [&](ScopeNumber scope) { return scopes[scope].design.fade_out; },
                          {.code = Reason::Code::restarted_with, .name = scopes.names().name(number)});
    agenda.remove_all(restarts);
    for (ScopeMask left = restarts; left != 0; left &= left - 1) {
      const auto scope = static_cast<ScopeNumber>(std::countr_zero(left));
      agenda.add_grace(scope, scopes.times().from(scope, noting.link.base()) + voices.frames_of(scopes[scope].design.grace),
                       scopes[scope].restarts);
    }
    return changed;
  });
}

/// The grace of a scope that restarted is over.
void Control::end_grace(Agenda::Ticket ticket) {
  const Due due = agenda[ticket];
  agenda.remove(ticket);
  const Scopes::Scope& its = scopes[due.scope];
  if (its.restarts != due.number) return;  // it has restarted again
  voices.end_left_over(due.scope,
                       {.code = Reason::Code::left_over, .number = its.design.grace.value, .name = scopes.names().name(due.scope)});
}

Outcome Control::carry_out(const asked::EndScope& its, const Extras&) {
  const auto known = scopes.names().find(its.scope);
  if (known != Numbers::none && scopes[static_cast<ScopeNumber>(known)].state == Scopes::State::ended)
    return noting.decide(Outcome::already_ended, {}, scopes.why_ended(static_cast<ScopeNumber>(known), options.rate));
  return change_scope(its.scope, [&](ScopeNumber number) {
    scopes.end(number, scope_moment());
    const ScopeMask ends = scopes.below(number);
    voices.end_scopes(ends, noting.totals.raised, [&](ScopeNumber scope) { return its.fade.value_or(scopes[scope].design.fade_out); },
                      {.code = Reason::Code::ends_with_scope, .name = scopes.names().name(number)});
    agenda.remove_all(ends);
    for (ScopeMask left = ends; left != 0; left &= left - 1)
      listening.end_scope(hash_name(scopes.names().name(static_cast<std::uint32_t>(std::countr_zero(left)))));
    return Scopes::Changed{};
  });
}

Outcome Control::carry_out(const asked::PauseScope& its, const Extras&) {
  return change_scope(its.scope, [&](ScopeNumber number) { return scopes.pause(number, scope_moment()); });
}

Outcome Control::carry_out(const asked::ResumeScope& its, const Extras&) {
  return change_scope(its.scope, [&](ScopeNumber number) { return scopes.resume(number, scope_moment()); });
}

Outcome Control::carry_out(const asked::SetTimeScale& its, const Extras&) {
  const auto scale = static_cast<std::int64_t>(std::llround(its.scale.value * static_cast<double>(unity_scale)));
  return change_scope(its.scope,
                      [&](ScopeNumber number) { return scopes.set_scale(number, scale, voices.frames_of(its.time), scope_moment()); });
}

}  // namespace tidewater
