#pragma once
/// A minute on the ferry of Kelp Quay: the game, which knows what happens and nothing of how it sounds.

#include <cstdint>
#include <random>
#include <string>
#include <vector>

namespace harbour {

/// A passenger who walks along the pier at a pace of their own.
struct Walker {
  double starts = 0;  ///< seconds of the game's time
  double stops = 0;
  double pace = 1;           ///< 1.2 for a passenger who takes 1.2 times as many steps as most
  std::string surface = {};  ///< the floor under the passenger; empty before the start
  std::uint64_t number = 0;
};

/// An event of the harbour. A passenger's step has the surface and the passenger's number, too.
struct Happening {
  std::string event;
  std::string surface = {};
  std::uint64_t walker = 0;
};

/// What the player and the world do, frame by frame. Reports what happened.
class Trip {
 public:
  static constexpr double lasts = 60;  ///< seconds
  static constexpr double slow = 0.3;  ///< speed of the game's time while a photo is taken

  /// Moves on to `now`, in seconds of real time, and returns what happened since the last call.
  std::vector<Happening> advance(double now);

  /// Seconds of the game's time. It stands still while the player has the menu open, and is slow while a photo is taken.
  double time() const { return time_; }
  /// Metres that the ferry has come from the first pier.
  double way() const { return way_; }
  double speed() const { return speed_; }        ///< metres a second
  double throttle() const { return throttle_; }  ///< from 0 to 1
  const std::vector<Walker>& walkers() const { return walkers_; }
  bool is_walking(std::uint64_t number) const;

 private:
  void board(int passengers);
  void cross();
  void walk(std::vector<Happening>& happened);
  void pass_the_time(double now, std::vector<Happening>& happened);

  std::mt19937 chance_{7};  // the standard fixes its numbers, so that every run is the same trip
  double between(double low, double high) { return low + (high - low) * (static_cast<double>(chance_()) / 4294967296.0); }

  double now_ = 0, time_ = 0;
  double speed_of_time_ = 1;
  std::size_t next_line_ = 0, next_of_player_ = 0;
  std::vector<Walker> walkers_;
  std::uint64_t walkers_so_far_ = 0;
  std::vector<double> tickets_;
  double next_talk_ = 1e9;
  double next_gull_ = 2.5;
  int flock_ = 1;  ///< how many cry at once
  double next_bell_ = 6;
  double way_ = 0, speed_ = 0, throttle_ = 0;
};

}  // namespace harbour
