#pragma once
/// Where everything of the trip is: what a game tells the sound manager of its world, frame by frame.

#include <array>
#include <unordered_map>
#include <vector>

#include "tidewater/guards.hpp"
#include "tidewater/manager.hpp"
#include "trip.hpp"

namespace harbour {

class Scene {
 public:
  explicit Scene(tidewater::SoundManager& manager);

  /// Places all that moves, and raises what happened where it happened.
  void play(const Trip& trip, const std::vector<Happening>& happened);

 private:
  void raise(const Happening& what);
  tidewater::Emitter walker_of(const Walker& its);

  tidewater::SoundManager& manager_;
  tidewater::Emitter ferry_, buoy_;
  std::array<tidewater::Emitter, 3> gulls_;
  std::size_t next_gull_ = 0;
  std::unordered_map<std::uint64_t, tidewater::Emitter> walkers_;
  tidewater::Action mooring_;
};

}  // namespace harbour
