#include <ebur128.h>

#include <catch2/catch.hpp>
#include <cmath>

#include "base/random.hpp"
#include "dsp/limiter.hpp"
#include "dsp/state_filter.hpp"
#include "listening.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// Both channels alike, through the limiter in runs of 64.
std::vector<float> limited(std::vector<float> mono) {
  Limiter limiter(48000);
  mono.resize((mono.size() + 63) / 64 * 64);
  std::vector<float> other = mono;
  for (std::size_t at = 0; at < mono.size(); at += 64) limiter.run(mono.data() + at, other.data() + at, 64);
  REQUIRE(mono == other);
  return mono;
}

double true_peak(const std::vector<float>& mono) {
  ebur128_state* meter = ebur128_init(1, 48000, EBUR128_MODE_TRUE_PEAK);
  ebur128_add_frames_float(meter, mono.data(), mono.size());
  double peak = 0;
  ebur128_true_peak(meter, 0, &peak);
  ebur128_destroy(&meter);
  return 20 * std::log10(peak);
}

}  // namespace

TEST_CASE("below its ceiling the limiter changes nothing but the time, bit for bit") {
  for (const double level : {0.1, 0.5, 0.85}) {
    const auto source = sine(997, 0.5, 1, level);
    const auto out = limited(source);
    for (std::size_t i = 0; i + Limiter::delay < source.size(); ++i) REQUIRE(out[i + Limiter::delay] == source[i]);
  }
}

TEST_CASE("the true peak stays at or below -1 dBTP, whatever comes") {
  std::vector<float> source;
  SECTION("a loud tone between the samples") { source = sine(11025, 1, 1, 4); }
  SECTION("a sudden blow after silence") {
    source.assign(48000, 0);
    const auto blow = sine(300, 0.3, 1, 8);
    std::copy(blow.begin(), blow.end(), source.begin() + 24000);
  }
  SECTION("noise that comes and goes") {
    Random random(5);
    for (int i = 0; i < 96000; ++i) source.push_back(static_cast<float>(random.between(-1, 1) * (i / 4800 % 2 == 0 ? 3 : 0.2)));
  }
  SECTION("single samples") {
    source.assign(48000, 0);
    for (std::size_t i = 100; i < source.size(); i += 997) source[i] = i % 2 == 0 ? 5 : -5;
  }
  CHECK(true_peak(limited(source)) <= -1.0);
}

TEST_CASE("a limited tone comes back to its level, without a step") {
  auto source = sine(200, 0.2, 1, 3);
  const auto soft = sine(200, 1.5, 1, 0.5);
  source.insert(source.end(), soft.begin(), soft.end());
  const auto out = limited(source);
  double steepest = 0;
  for (std::size_t i = 1; i < out.size(); ++i)
    steepest = std::max(steepest, std::abs(static_cast<double>(out[i]) - static_cast<double>(out[i - 1])));
  CHECK(steepest < 0.045);
  CHECK(Take{{out.end() - 9600, out.end()}}.peak() == Approx(0.5).epsilon(0.001));
}

TEST_CASE("samples that are not numbers become silence and leave no trace") {
  auto source = sine(500, 0.2, 1, 0.5);
  source[1000] = std::nanf("");
  source[1001] = HUGE_VALF;
  for (const float x : limited(source)) REQUIRE(std::isfinite(x));
}

TEST_CASE("a low-pass halves the power at its frequency and falls by 12 dB an octave; a high-pass mirrors it") {
  const auto level = [](StateFilter::Kind kind, double hertz) {
    StateFilter filter(kind);
    filter.tune(1000, 48000, 0);
    auto samples = sine(hertz, 0.5);
    filter.run(samples.data(), nullptr, static_cast<int>(samples.size()));
    double power = 0;
    for (std::size_t i = samples.size() / 2; i < samples.size(); ++i)
      power += static_cast<double>(samples[i]) * static_cast<double>(samples[i]);
    return 10 * std::log10(power / static_cast<double>(samples.size() / 2) * 2);
  };
  for (const auto kind : {StateFilter::Kind::low_pass, StateFilter::Kind::high_pass}) {
    const bool low = kind == StateFilter::Kind::low_pass;
    CHECK(level(kind, 1000) == Approx(-3.01).margin(0.05));
    CHECK(level(kind, low ? 4000 : 250) == Approx(-24.1).margin(0.5));
    CHECK(level(kind, low ? 100 : 10000) == Approx(0).margin(0.05));
  }
}

TEST_CASE("a filter may be swept as fast as one likes") {
  StateFilter filter(StateFilter::Kind::low_pass);
  Random random(3);
  auto samples = sine(300, 2);
  filter.tune(200, 48000, 0);
  for (std::size_t at = 0; at + 64 <= samples.size(); at += 64) {
    filter.tune(random.between(20, 20000), 48000, 64);
    filter.run(samples.data() + at, nullptr, 64);
  }
  for (const float x : samples) REQUIRE(std::abs(x) < 4);
}

TEST_CASE("a filter that is taken out opens, and then rests") {
  StateFilter filter(StateFilter::Kind::high_pass);
  CHECK_FALSE(filter.active());
  filter.tune(500, 48000, 0);
  auto samples = sine(100, 0.1);
  filter.run(samples.data(), nullptr, static_cast<int>(samples.size()));
  CHECK(Take{samples}.peak() < 0.9);
  filter.tune(0, 48000, 480);
  samples = sine(100, 0.1);
  filter.run(samples.data(), nullptr, 960);
  CHECK_FALSE(filter.active());
}
