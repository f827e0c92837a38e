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
  follow_scopes(act(static_cast<ScopeNumber>(number)));
  return Outcome::done;
}

/// Passes a change of scopes on to the mixer and to the playbacks.
void Control::follow_scopes(const Scopes::Changed& changed) {
  for (const SetScope& change : scopes.changes()) noting.link.send(change);
  scopes.sent();
  if (changed.holds != 0) voices.hold_scopes(changed.holds);
  if (changed.resumes != 0) voices.resume_scopes(changed.resumes);
  follow_moods_of_scopes();
}

Outcome Control::carry_out(const asked::BeginScope& its, const Extras&) {
  return change_scope(its.scope, [&](ScopeNumber number) {
    ScopeMask restarts = 0;
    each_scope(scopes.below(number), [&](ScopeNumber scope) {
      if (scopes[scope].state == Scopes::State::running) restarts |= bit_of(scope);
    });
    const Scopes::Changed changed = scopes.begin(number, scope_moment());
    if (restarts == 0) return changed;
    voices.restart_scopes(restarts, noting.totals.raised, [&](const LiveStart& start) { return scopes[start.scope].design.fade_out; },
                          {.code = Reason::Code::restarted_with, .name = scopes.names().name(number)});
    agenda.remove_responses(restarts);
    each_scope(restarts, [&](ScopeNumber scope) {
      const ScopeFrame until = scopes.times().from(scope, noting.link.base()) + voices.frames_of(scopes[scope].design.grace);
      agenda.add_grace(scope, until, scopes[scope].restarts);
    });
    return changed;
  });
}

/// Stops what was not asked for again since a scope restarted.
void Control::end_grace(Agenda::Ticket ticket) {
  const Due due = agenda[ticket];
  agenda.remove(ticket);
  const Scopes::Scope& its = scopes[due.scope];
  if (its.restarts != due.number) return;  // the scope has restarted again since
  voices.end_left_over(due.scope,
                       {.code = Reason::Code::left_over, .number = its.design.grace.value, .name = scopes.names().name(due.scope)});
}

Outcome Control::carry_out(const asked::EndScope& its, const Extras&) {
  const auto known = scopes.names().find(its.scope);
  if (known != Numbers::none && scopes[static_cast<ScopeNumber>(known)].state == Scopes::State::ended)
    return noting.decide(Outcome::already_ended, {}, scopes.why_ended(static_cast<ScopeNumber>(known)));
  return change_scope(its.scope, [&](ScopeNumber number) {
    scopes.end(number, scope_moment());
    const ScopeMask ends = scopes.below(number);
    voices.end_scopes(ends, noting.totals.raised,
                      [&](const LiveStart& start) { return its.fade.value_or(scopes[start.scope].design.fade_out); },
                      {.code = Reason::Code::ends_with_scope, .name = scopes.names().name(number)});
    agenda.remove_responses(ends);
    each_scope(ends, [&](ScopeNumber scope) { listening.end_scope(hash_name(scopes.names().name(scope))); });
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

/// It counts as a raise, so that a restart of a scope knows what was asked for since.
Outcome Control::carry_out(const asked::Play& its, const Extras&) {
  const PlaybackId id{++noting.totals.raised, 0};
  if (LiveSound* track = library.loaded.track_called(its.track)) return starter.play(*track, id, {"", 0});
  return noting.decide(Outcome::unknown_track, id, {.code = Reason::Code::unknown_track, .name = its.track.text()});
}

Outcome Control::carry_out(const asked::Leave& its, const Extras&) {
  return starter.leave(its.stand, its.on, its.fade, {++noting.totals.raised, 0}, {"", 0});
}

}  // namespace tidewater
