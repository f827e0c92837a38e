#include "drive/followers.hpp"

#include <algorithm>
#include <utility>

namespace tidewater {

void Followers::add(const Follower& follower) {
  if (reading_) return later_.push_back({Later::What::add, follower, 0, 0});
  const std::uint32_t slot = follower.start.slot;
  if (slot >= at_.size()) at_.resize(slot + std::size_t{1}, none);
  if (at_[slot] != none) remove(followers_[at_[slot]].start);  // that start has ended, and nobody has said so yet
  at_[slot] = static_cast<std::uint32_t>(followers_.size());
  followers_.push_back(follower);
  followers_.back().smooth.fill(untold);
  followers_.back().heard = !follower.in_world;
  if (!follower.in_world) on_screen_.push_back(slot);
}

Followers::Said& Followers::said_by(Emitter emitter, std::uint32_t gauge) {
  if (gauge >= kept_.size()) kept_.resize(gauge + std::size_t{1});
  const std::uint32_t slot = slot_in(emitter);
  if (slot >= kept_[gauge].size()) kept_[gauge].resize(slot + std::size_t{1});
  Said& its = kept_[gauge][slot];
  if (its.generation < generation_in(emitter)) its = {generation_in(emitter), untold, 0};
  if (its.generation == generation_in(emitter)) return its;
  gone_ = {0, untold, updates_};  // another has its slot
  return gone_;
}

void Followers::keep(Emitter emitter, std::uint32_t gauge, double value) {
  if (reading_) {
    Later& later = later_.emplace_back(Later{Later::What::keep, {}, gauge, value});
    later.follower.emitter = emitter;
    return;
  }
  said_by(emitter, gauge).value = value;
}

void Followers::remove(StartRef start) {
  if (reading_) {
    Follower gone;
    gone.start = start;
    return later_.push_back({Later::What::remove, gone, 0, 0});
  }
  if (find(start) == nullptr) return;
  const std::uint32_t at = std::exchange(at_[start.slot], none);
  if (!followers_[at].in_world) std::erase(on_screen_, start.slot);
  if (at + std::size_t{1} < followers_.size()) {
    followers_[at] = followers_.back();
    at_[followers_[at].start.slot] = at;
  }
  followers_.pop_back();
}

Followers::Follower* Followers::find(StartRef start) {
  if (start.slot >= at_.size() || at_[start.slot] == none) return nullptr;
  Follower& its = followers_[at_[start.slot]];
  return its.start == start ? &its : nullptr;
}

namespace {

/// `of_all(gauge)` is what holds where its emitter does not say otherwise.
template <class OfAll>
Followers::Values values_of(const Followers::Follower& follower, std::span<const double> ready, OfAll of_all) {
  Followers::Values values{};
  const std::span<const Following::Gauge> follows = follower.following->gauges();
  for (std::size_t k = 0; k < follows.size(); ++k) {
    const auto number = follows[k].number;
    if (follows[k].ready)
      values[k] = number < ready.size() ? ready[number] : 0;
    else if (follows[k].on && follower.until_boundary[k] != Followers::untold)
      values[k] = follower.until_boundary[k];
    else
      values[k] = follower.kept[k] == Followers::untold ? of_all(number) : follower.kept[k];
  }
  return values;
}

}  // namespace

void Followers::begin_waiting(Follower& follower, const Values& values) {
  const std::span<const Following::Gauge> follows = follower.following->gauges();
  for (std::size_t k = 0; k < follows.size(); ++k) follower.until_boundary[k] = follows[k].on ? values[k] : untold;
}

Followers::Values Followers::aims(const Follower& follower) const {
  return values_of(follower, {}, [&](std::uint32_t gauge) { return opened_[gauge].aim; });
}

Level Followers::louder_for_all(const Following& following, const Gauges& gauges) {
  if (!following.bends_levels()) return Level(Decibels{});
  Follower nobody;
  nobody.following = &following;
  nobody.kept.fill(untold);
  nobody.until_boundary.fill(untold);
  return following.louder(values_of(nobody, {}, [&](std::uint32_t gauge) { return gauges.aim(gauge); }));
}

bool Followers::goes_by_emitter(const Follower& follower) {
  const auto said = [](double value) { return value != untold; };
  return follower.following->bends_levels() && std::any_of(follower.kept.begin(), follower.kept.end(), said);
}

std::optional<Level> Followers::louder_by_emitter(Follower& follower) const {
  if (!goes_by_emitter(follower)) return std::nullopt;
  if (follower.louder_as_of != changes_) follower.louder = follower.following->louder(aims(follower));
  follower.louder_as_of = changes_;
  return follower.louder;
}

void Followers::begin(const Gauges& gauges) {
  reading_ = true;
  ++updates_;
  opened_.resize(gauges.count());
  for (std::uint32_t gauge = 0; gauge < gauges.count(); ++gauge) opened_[gauge] = {gauges.aim(gauge), worth_keeping(gauges.design(gauge))};
  changes_ = gauges.changes();
}

void Followers::hear(std::span<const StartRef> starts) {
  for (const std::uint32_t start : heard_)
    if (at_[start] != none) followers_[at_[start]].heard = !followers_[at_[start]].in_world;
  heard_.clear();
  for (const StartRef start : starts)
    if (Follower* its = find(start)) {
      its->heard = true;
      heard_.push_back(start.slot);
    }
}

Followers::Values Followers::now(const Follower& follower, const Gauges& gauges, std::span<const double> ready) {
  return values_of(follower, ready, [&](std::uint32_t gauge) { return gauges.value(gauge); });
}

Followers::Values Followers::aimed(const Follower& follower, const Gauges& gauges, std::span<const double> ready) {
  return values_of(follower, ready, [&](std::uint32_t gauge) { return gauges.aim(gauge); });
}

Followers::Values Followers::values(Follower& follower, const Gauges& gauges, std::span<const double> ready, double seconds) const {
  // Of layers whose voices lie apart, each asks: time goes on once.
  if (std::exchange(follower.went_on_at, updates_) == updates_) seconds = 0;
  Values values = now(follower, gauges, ready);
  const std::span<const Following::Gauge> follows = follower.following->gauges();
  for (std::size_t k = 0; k < follows.size(); ++k) {
    if (follows[k].ready) continue;
    const auto number = follows[k].number;
    if (follower.kept[k] == untold) {
      follower.smooth[k] = values[k];
      continue;
    }
    double& smooth = follower.smooth[k];
    if (smooth == untold) smooth = values[k];
    smooth += (values[k] - smooth) * part_of_the_way(gauges.design(number), seconds);
    if (is_there(gauges.design(number), smooth, values[k])) smooth = values[k];
    values[k] = smooth;
  }
  return values;
}

void Followers::end() {
  reading_ = false;
  for (const Later& its : later_) {
    switch (its.what) {
      case Later::What::add: add(its.follower); break;
      case Later::What::remove: remove(its.follower.start); break;
      case Later::What::keep: keep(its.follower.emitter, its.gauge, its.value); break;
    }
  }
  later_.clear();
}

}  // namespace tidewater
