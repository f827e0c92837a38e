#include "drive/cadences.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace tidewater {

void Cadences::add(const Cadence& cadence) {
  std::uint32_t& at = at_[cadence.start.slot];
  if (at != none) remove(cadences_[at].start);  // that start has ended, and nobody has said so yet
  at = static_cast<std::uint32_t>(cadences_.size());
  cadences_.push_back(cadence);
}

void Cadences::make_room() {
  if (cadences_.size() + at_a_time > cadences_.capacity()) cadences_.reserve(2 * cadences_.capacity());
}

void Cadences::remove(StartRef start) {
  if (find(start) == nullptr) return;
  const std::uint32_t at = std::exchange(at_[start.slot], none);
  if (at + std::size_t{1} < cadences_.size()) {
    cadences_[at] = cadences_.back();
    at_[cadences_[at].start.slot] = at;
  }
  cadences_.pop_back();
}

Cadence* Cadences::find(StartRef start) {
  if (start.slot >= at_.size() || at_[start.slot] == none) return nullptr;
  Cadence& its = cadences_[at_[start.slot]];
  return its.start == start ? &its : nullptr;
}

std::uint64_t Cadences::go_on(Cadence& its, ScopeFrame now, double times, Seconds mean, Hertz rate) {
  if (now <= its.at) return 0;
  its.left -= static_cast<double>(now - its.at) / rate.value * times;
  its.at = now;
  if (its.count == 0 || its.left >= -late_enough * mean.value) return 0;
  // The frames of these starts are past. The rhythm is kept: the next start comes where it would have come anyway.
  const double missed = std::ceil(-its.left / mean.value);
  its.left += missed * mean.value;
  return static_cast<std::uint64_t>(missed);
}

std::optional<ScopeFrame> Cadences::next(const Cadence& its, ScopeFrame until, double times, Hertz rate) {
  if (times < slowest) return std::nullopt;
  const double frames = std::max(its.left, 0.0) / times * rate.value;
  if (frames >= static_cast<double>(until - its.at)) return std::nullopt;
  return its.at + std::llround(frames);
}

void Cadences::started(Cadence& its, ScopeFrame frame, Seconds interval, double times, Hertz rate) {
  // From the frame on which it was to be, so that the rhythm, which the first begins, is exact over any time; after a late one the next
  // comes no sooner than half.
  const double off = its.count == 0 ? 0 : its.left - static_cast<double>(frame - its.at) / rate.value * times;
  its.at = frame;
  its.left = std::max(interval.value + off, interval.value / 2);
  ++its.count;
}

}  // namespace tidewater
