#include <catch2/catch.hpp>
#include <cmath>

#include "dsp/fade.hpp"
#include "dsp/pan.hpp"
#include "dsp/resample.hpp"
#include "listening.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// A long sine played at `speed`.
std::vector<float> played(double hertz, double speed) {
  const auto source = sine(hertz, 1);
  std::vector<float> out(8000);
  const auto step = step_for(speed);
  resample(filter_for(step), source.data() + 2 * reach, 0, step, 0, out.data(), static_cast<int>(out.size()));
  return out;
}

}  // namespace

TEST_CASE("a sine played at another pitch stays clean") {
  for (const double speed : {0.8, 0.93, 1.07, 1.2})
    for (const double hertz : {1000.0, 5000.0, 10000.0, 15000.0}) {
      const auto step = static_cast<double>(step_for(speed)) / static_cast<double>(unity_step);
      INFO(hertz << " Hz at x" << speed);
      CHECK(sine_snr(played(hertz, speed), hertz * step, 48000) > 60);
    }
}

TEST_CASE("what would alias when the pitch is raised is filtered away") {
  double power = 0;
  for (const float x : played(20000, 2)) power += static_cast<double>(x) * static_cast<double>(x);
  CHECK(10 * std::log10(power / 8000 / 0.5) < -50);
}

TEST_CASE("every filter passes low tones at their level") {
  for (double speed = 0.125; speed <= 8; speed *= 1.37) {
    double peak = 0;
    const auto source = sine(100, 2);
    std::vector<float> out(5000);
    resample(filter_for(step_for(speed)), source.data() + 2 * reach, 0, step_for(speed), 0, out.data(), 5000);
    for (const float x : out) peak = std::max(peak, std::abs(static_cast<double>(x)));
    INFO("x" << speed);
    CHECK(peak == Approx(1).margin(0.003));
  }
}

TEST_CASE("panning keeps the power wherever a sound stands") {
  for (double side = -1; side <= 1; side += 0.25) {
    const auto gains = equal_power(side);
    CHECK(gains.left * gains.left + gains.right * gains.right == Approx(1));
  }
  CHECK(equal_power(-1).right == Approx(0).margin(1e-6));
}

TEST_CASE("half way through a fade sounds half as loud") {
  CHECK(decibels(equal_loudness_fade(0.5)).value == Approx(-10));
  CHECK(equal_loudness_fade(0) == 0);
  CHECK(equal_loudness_fade(1) == 1);
}
