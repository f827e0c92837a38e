#include "scopes/scopes.hpp"

#include <algorithm>

#include "dsp/smooth.hpp"

namespace tidewater {
namespace {

/// Bounds of the product of a scope's time scale with those of the scopes above it. A scale of 0 is a hold, and no part of the product.
constexpr std::int64_t slowest_scale = unity_scale / 64, fastest_scale = 4 * unity_scale;

}  // namespace

Scopes::Scopes(Hertz rate) : rate_(rate) {
  scopes_.reserve(most_scopes);
  changes_.reserve(most_scopes);
  names_.add("root");
  scopes_.emplace_back();
}

void Scopes::add(std::span<const BankScope> scopes, std::span<const std::uint32_t> numbers, const ScopeMoment& when) {
  for (std::size_t s = 0; s < scopes.size(); ++s) {
    const bool is_new = numbers[s] == scopes_.size();
    Scope& its = is_new ? scopes_.emplace_back() : scopes_[numbers[s]];
    its.mood = scopes[s].mood.empty() ? 0 : hash_name(scopes[s].mood);
    if (!is_new) continue;
    names_.add(scopes[s].name);
    its.parent = static_cast<ScopeNumber>(numbers[scopes[s].parent]);
    its.design = scopes[s];
    if (const Scope& parent = scopes_[its.parent]; parent.state == State::ended) {
      its.state = State::ended;
      its.ended_at = parent.ended_at;
    }
  }
  bring_all(when, 0);  // a new scope below a paused one is paused, too
}

std::int64_t Scopes::fade_of(ScopeNumber number) const {
  return Smooth::on_grid(std::max<std::int64_t>(frames(scopes_[number].design.pause_fade, rate_).value, shortest_change(rate_.value)));
}

Scopes::Changed Scopes::begin(ScopeNumber number, const ScopeMoment& when) {
  each_scope(below(number), [&](ScopeNumber below) {
    Scope& its = scopes_[below];
    if (its.state == State::running) ++its.restarts;
    its.state = State::running;
    its.ramp = 0;
  });
  scopes_[number].paused = false;
  scopes_[number].own = unity_scale;
  return bring_all(when, fade_of(number));
}

void Scopes::end(ScopeNumber number, const ScopeMoment& when) {
  each_scope(below(number), [&](ScopeNumber below) {
    Scope& its = scopes_[below];
    if (its.state != State::ended) its.ended_at = when.from;
    its.state = State::ended;
  });
}

Scopes::Changed Scopes::pause(ScopeNumber number, const ScopeMoment& when) {
  Scope& its = scopes_[number];
  if (its.paused) return {};
  its.paused = true;
  its.stands_since = when.from;
  return bring_all(when, fade_of(number));
}

Scopes::Changed Scopes::resume(ScopeNumber number, const ScopeMoment& when) {
  Scope& its = scopes_[number];
  if (!its.paused) return {};
  its.paused = false;
  return bring_all(when, fade_of(number));
}

Scopes::Changed Scopes::set_scale(ScopeNumber number, std::int64_t scale, std::int64_t ramp, const ScopeMoment& when) {
  Scope& its = scopes_[number];
  if (scale == 0 && its.own != 0 && !its.paused) its.stands_since = when.from;
  its.own = scale;
  each_scope(below(number), [&](ScopeNumber below) { scopes_[below].ramp = ramp; });
  return bring_all(when, fade_of(number));
}

/// Changes the laws of the scopes whose speed or pause has changed, from the root down.
Scopes::Changed Scopes::bring_all(const ScopeMoment& when, std::int64_t fade) {
  Changed changed;
  for (std::size_t s = 0; s < scopes_.size(); ++s) {
    const auto number = static_cast<ScopeNumber>(s);
    Scope& its = scopes_[s];
    const Scope* above = s == 0 ? nullptr : &scopes_[its.parent];
    const std::int64_t product = above == nullptr ? its.own : (its.own * above->total) >> scale_bits;
    const bool stands = its.own == 0 || its.paused || (above != nullptr && above->holds);
    const std::int64_t total = its.own == 0 ? its.total : std::clamp(product, slowest_scale, fastest_scale);
    if (total == its.total && stands == its.holds) continue;
    ScopeLaw& law = times_.change(number, when.from, when.now);
    if (law.to != total) law.scale(when.from, total, its.ramp);
    if (stands && !law.holds()) law.hold(when.from, fade);
    if (!stands && law.holds()) law.resume(when.from);
    if (stands && !its.holds) changed.holds |= bit_of(number);
    if (!stands && its.holds) changed.resumes |= bit_of(number);
    its.total = total;
    its.holds = stands;
    times_.changed(number);
    changes_.push_back({static_cast<std::uint32_t>(number), fade, law});
  }
  return changed;
}

ScopeMask Scopes::below(ScopeNumber number) const {
  ScopeMask mask = bit_of(number);
  for (std::size_t s = number + std::size_t{1}; s < scopes_.size(); ++s)
    if ((mask & bit_of(scopes_[s].parent)) != 0) mask |= bit_of(static_cast<ScopeNumber>(s));
  return mask;
}

Reason Scopes::why_held(ScopeNumber number) const {
  ScopeNumber its = number;
  while (its != 0 && !scopes_[its].paused && scopes_[its].own != 0) its = scopes_[its].parent;
  const bool slowed = !scopes_[its].paused;
  return {.code = slowed ? Reason::Code::scope_stands : Reason::Code::scope_paused,
          .number = seconds({scopes_[its].stands_since.value}, rate_).value,
          .name = names_.name(its)};
}

}  // namespace tidewater
