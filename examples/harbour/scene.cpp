#include "scene.hpp"

#include <cmath>

namespace harbour {

using namespace tidewater;

namespace {

// Metres. The ferry goes towards -z; the first pier is at the origin, and the buoy lies a little to the right of the way.
constexpr Place buoy_at{5, 0.5, -48};
constexpr double deck = 2;

Place ferry_at(double way) { return {0, 0, -way}; }

/// Gulls fly in circles over the ferry, each at its own speed.
Place gull_at(const Place& ferry, std::size_t gull, double now) {
  const auto nth = static_cast<double>(gull);
  const double angle = now * (0.5 + 0.13 * nth) + 2.1 * nth, wide = 9 + 5 * nth;
  return {ferry.x + wide * std::cos(angle), 8 + 2 * nth, ferry.z + wide * std::sin(angle)};
}

}  // namespace

Scene::Scene(SoundManager& manager) : manager_(manager), ferry_(manager.make_emitter()), buoy_(manager.make_emitter({.place = buoy_at})) {
  for (Emitter& gull : gulls_) gull = manager.make_emitter();
}

void Scene::play(const Trip& trip, const std::vector<Happening>& happened) {
  const Place ferry = ferry_at(trip.way());
  const Vector ahead{0, 0, static_cast<float>(-trip.speed())};
  // The engine is astern of whoever stands on deck and looks ahead.
  manager_.place(ferry_, {ferry.x, 1, ferry.z + 6});
  manager_.set_velocity(ferry_, ahead);
  manager_.set_gauge("throttle", ferry_, static_cast<float>(trip.throttle()));
  manager_.set_listener(0, {.place = {ferry.x, deck, ferry.z}, .velocity = ahead});
  for (std::size_t gull = 0; gull < gulls_.size(); ++gull) manager_.place(gulls_[gull], gull_at(ferry, gull, trip.time()));
  for (const Walker& its : trip.walkers()) {
    // Down the pier, over the gangway and onto the deck, to the left of the one who listens.
    const double part = (trip.time() - its.starts) / (its.stops - its.starts);
    const Emitter walker = walker_of(its);
    manager_.place(walker, {ferry.x - 9 + 7.5 * part, deck, ferry.z + 1 - 2 * part});
  }
  for (const Happening& what : happened) raise(what);
  // Steps end with their emitter: nobody has to stop them.
  std::erase_if(walkers_, [&](const auto& known) {
    const bool there = trip.is_walking(known.first);
    if (!there) manager_.remove_emitter(known.second);
    return !there;
  });
}

Emitter Scene::walker_of(const Walker& its) {
  const auto [known, is_new] = walkers_.try_emplace(its.number);
  if (is_new) {
    known->second = manager_.make_emitter();
    manager_.set_gauge("pace", known->second, static_cast<float>(its.pace));
  }
  return known->second;
}

void Scene::raise(const Happening& what) {
  if (what.event == "game.paused")
    manager_.pause("world");
  else if (what.event == "game.resumed")
    manager_.resume("world");
  else if (what.event == "photo.taken")
    manager_.set_time_scale("world", Trip::slow, Seconds{0.3});
  else if (what.event == "photo.shown")
    manager_.set_time_scale("world", 1, Seconds{0.4});
  else if (what.event == "mooring.began")
    mooring_ = manager_.begin_action("ferry.moored", ferry_);
  else if (what.event == "mooring.interrupted")
    mooring_.interrupt();
  else if (what.event == "mooring.completed")
    mooring_.complete();
  else if (what.walker != 0)
    manager_.raise(what.event, {{"surface", what.surface}}, walkers_.at(what.walker));
  else if (what.event == "gulls.cried")
    manager_.raise(what.event, {}, gulls_[next_gull_++ % gulls_.size()]);
  else if (what.event == "buoy.rang")
    manager_.raise(what.event, {}, buoy_);
  else if (what.event == "ferry.departed")
    manager_.raise(what.event, {}, ferry_);
  else
    manager_.raise(what.event);
}

}  // namespace harbour
