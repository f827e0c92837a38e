#pragma once
#include <array>
#include <vector>

#include "base/ours.hpp"
#include "tidewater/design.hpp"

namespace TIDEWATER_OURS tidewater {

/// How the level of a sound falls with its distance. Levels are the same on every machine.
///
/// Inverse, linear and exponential are the clamped models of OpenAL 1.1 (3.4) and the W3C's Web Audio. What they leave at `far` is taken
/// away over the last quarter of the way there, so that nothing breaks off.
class DistanceCurve {
 public:
  static constexpr int most_down = 120;  ///< decibels: nobody hears what lies below

  explicit DistanceCurve(const WorldDesign& design);

  /// As amplitude; 1 within, 0 from `far` on.
  double amplitude(double metres) const;
  /// Beyond this distance it lies more than so many decibels down; a little too far rather than too near.
  double reach(int down) const;
  double full_within() const { return near_; }
  double silent_from() const { return far_; }

 private:
  double shape(double metres) const;

  Falloff falloff_;
  double near_, far_, rolloff_;
  double edge_;  ///< from here on the rest is taken away; `far` where nothing has to be
  std::vector<FalloffPoint> points_;
  std::array<double, most_down + 1> reach_{};
};

/// The frequency of a low-pass that takes 3 dB where the way through air does: at 20 degrees C, 70 % relative humidity and the pressure
/// at sea level (ISO 9613-1:1993, equations 3 to 5). `share` times as much of it; 0 where nothing audible is taken.
double air_low_pass(double metres, double share);

}  // namespace tidewater
