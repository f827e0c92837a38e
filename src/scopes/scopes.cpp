#include "scopes/scopes.hpp"

#include <algorithm>

#include "dsp/smooth.hpp"

namespace tidewater {
namespace {

/// The slowest and the fastest that a scope goes with all above it; at less than the slowest but more than nothing, it goes at the slowest.
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
    if (numbers[s] != scopes_.size()) continue;
    names_.add(scopes[s].name);
    Scope& its = scopes_.emplace_back();
    its.parent = static_cast<ScopeNumber>(numbers[scopes[s].parent]);
    its.design = scopes[s];
    its.ramp = 0;
  }
  bring_all(when, 0);  // one below a scope that is paused is, too
}

std::int64_t Scopes::fade_of(ScopeNumber number) const {
  return Smooth::on_grid(std::max<std::int64_t>(frames(scopes_[number].design.pause_fade, rate_).value, shortest_change(rate_.value)));
}

Scopes::Changed Scopes::begin(ScopeNumber number, const ScopeMoment& when) {
  for (ScopeMask left = below(number); left != 0; left &= left - 1) {
    Scope& its = scopes_[static_cast<std::size_t>(std::countr_zero(left))];
    if (its.state == State::running) ++its.restarts;
    its.state = State::running;
    its.ramp = 0;
  }
  scopes_[number].paused = false;
  scopes_[number].own = unity_scale;
  return bring_all(when, fade_of(number));
}

bool Scopes::end(ScopeNumber number, const ScopeMoment& when) {
  if (scopes_[number].state == State::ended) return false;
  for (ScopeMask left = below(number); left != 0; left &= left - 1) {
    Scope& its = scopes_[static_cast<std::size_t>(std::countr_zero(left))];
    if (its.state != State::ended) its.since = when.from;
    its.state = State::ended;
  }
  return true;
}

Scopes::Changed Scopes::pause(ScopeNumber number, const ScopeMoment& when) {
  Scope& its = scopes_[number];
  if (its.paused) return {};
  its.paused = true;
  its.since = when.from;
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
  if (scale == 0 && its.own != 0) its.since = when.from;
  its.own = scale;
  for (ScopeMask left = below(number); left != 0; left &= left - 1) scopes_[static_cast<std::size_t>(std::countr_zero(left))].ramp = ramp;
  return bring_all(when, fade_of(number));
}

/// Gives every scope the law that follows from the tree.
Scopes::Changed Scopes::bring_all(const ScopeMoment& when, std::int64_t fade) {
  Changed changed;
  for (std::size_t s = 0; s < scopes_.size(); ++s) {
    const auto number = static_cast<ScopeNumber>(s);
    Scope& its = scopes_[s];
    const Scope* above = s == 0 ? nullptr : &scopes_[its.parent];
    const std::int64_t product = above == nullptr ? its.own : (its.own * above->all) >> scale_bits;
    const bool stands = its.own == 0 || its.paused || (above != nullptr && above->holds);
    const std::int64_t all = its.own == 0 ? its.all : std::clamp(product, slowest_scale, fastest_scale);
    if (all == its.all && stands == its.holds) continue;
    ScopeLaw& law = times_.change(number, when.from, when.now);
    if (law.to != all) law.scale(when.from, all, its.ramp);
    if (stands && !law.holds()) law.hold(when.from, fade);
    if (!stands && law.holds()) law.go_on(when.from);
    if (stands && !its.holds) changed.holds |= bit_of(number);
    if (!stands && its.holds) changed.goes_on |= bit_of(number);
    its.all = all;
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

Reason Scopes::why_held(ScopeNumber number, Hertz rate) const {
  ScopeNumber its = number;
  while (its != 0 && !scopes_[its].paused && scopes_[its].own != 0) its = scopes_[its].parent;
  const bool slowed = !scopes_[its].paused;
  return {.code = slowed ? Reason::Code::scope_stands : Reason::Code::scope_paused,
          .number = seconds({scopes_[its].since.value}, rate).value,
          .name = names_.name(its)};
}

}  // namespace tidewater
