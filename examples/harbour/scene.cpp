#include "scene.hpp"

#include <cmath>

namespace harbour {

using namespace tidewater;

namespace {

// Metres. The ferry goes towards -z; the first pier is at the origin, and the buoy lies a little to the right of the way.
constexpr Place buoy_at{5, 0.5, -48};
constexpr double deck = 2;

Place ferry_at(double way) { return {0, 0, -way}; }

/// Gulls fly in circles over the ferry, each at its own pace.
Place gull_at(const Place& ferry, std::size_t gull, double now) {
  const auto nth = static_cast<double>(gull);
  const double angle = now * (0.5 + 0.13 * nth) + 2.1 * nth, wide = 9 + 5 * nth;
  return {ferry.x + wide * std::cos(angle), 8 + 2 * nth, ferry.z + wide * std::sin(angle)};
}

}  // namespace

Scene::Scene(SoundManager& manager) : manager_(manager), ferry_(manager.make_emitter()), buoy_(manager.make_emitter({.place = buoy_at})) {
  for (Emitter& gull : gulls_) gull = manager.make_emitter();
}

void Scene::play(const Trip& trip, const std::vector<Happening>& happened, double now) {
  const Place ferry = ferry_at(trip.way());
  const Vector ahead{0, 0, static_cast<float>(-trip.speed())};
  // The engine is astern of whoever stands on deck and looks ahead.
  manager_.place(ferry_, {ferry.x, 1, ferry.z + 6});
  manager_.set_velocity(ferry_, ahead);
  manager_.set_gauge("throttle", ferry_, static_cast<float>(trip.throttle()));
  manager_.set_listener(0, {.place = {ferry.x, deck, ferry.z}, .velocity = ahead});
  for (std::size_t gull = 0; gull < gulls_.size(); ++gull) manager_.place(gulls_[gull], gull_at(ferry, gull, now));
  for (const Walker& its : trip.walkers()) {
    // Down the pier, over the gangway and onto the deck, to the left of the one who listens.
    const double part = (now - its.starts) / (its.stops - its.starts);
    manager_.place(walker(its.number), {ferry.x - 9 + 7.5 * part, deck, ferry.z + 1 - 2 * part});
  }
  for (const Happening& what : happened) raise(what);
  std::erase_if(walkers_, [&](const auto& known) {
    const bool there = trip.is_walking(known.first);
    if (!there) manager_.remove_emitter(known.second);
    return !there;
  });
}

Emitter Scene::walker(std::uint64_t number) {
  const auto [known, is_new] = walkers_.try_emplace(number);
  if (is_new) known->second = manager_.make_emitter();
  return known->second;
}

void Scene::raise(const Happening& what) {
  if (what.walker != 0)
    manager_.raise(what.event, {{"surface", what.surface}}, walker(what.walker));
  else if (what.event == "gulls.cried")
    manager_.raise(what.event, {}, gulls_[next_gull_++ % gulls_.size()]);
  else if (what.event == "buoy.rang")
    manager_.raise(what.event, {}, buoy_);
  else if (what.event == "ferry.departed" || what.event == "ferry.docked")
    manager_.raise(what.event, {}, ferry_);
  else
    manager_.raise(what.event);
}

}  // namespace harbour
