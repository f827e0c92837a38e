#pragma once
#include <cmath>
#include <numbers>

namespace tidewater {

struct StereoGains {
  float left;
  float right;
};

/// Equal-power law: left^2 + right^2 = 1 wherever the sound stands. `side` from -1 (left) to 1 (right).
inline StereoGains equal_power(double side) {
  const double angle = (side + 1) * std::numbers::pi / 4;
  return {static_cast<float>(std::cos(angle)), static_cast<float>(std::sin(angle))};
}

}  // namespace tidewater
