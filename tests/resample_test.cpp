#include <hwy/targets.h>
#include <samplerate.h>

#include <catch2/catch.hpp>
#include <cmath>

#include "dsp/fade.hpp"
#include "dsp/resample.hpp"
#include "listening.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// A long sine played at `speed`.
std::vector<float> played(double hertz, double speed, Quality quality) {
  const auto source = sine(hertz, 1);
  std::vector<float> out(8000);
  const auto step = step_for(speed);
  kernels::resample(filter_for(step, quality), source.data() + 2 * reach, {0, step, 0}, out.data(), static_cast<int>(out.size()));
  return out;
}

}  // namespace

TEST_CASE("a sine played at another pitch stays clean, at both qualities") {
  const auto [quality, least] = GENERATE(table<Quality, double>({{Quality::standard, 64.0}, {Quality::fine, 94.0}}));
  double worst = 200;
  for (const double speed : {0.8, 0.87, 0.93, 1.07, 1.13, 1.2})
    for (const double hertz : {1000.0, 3000.0, 5000.0, 8000.0, 10000.0, 12000.0, 15000.0}) {
      const auto step = static_cast<double>(step_for(speed)) / static_cast<double>(unity_step);
      worst = std::min(worst, sine_snr(played(hertz, speed, quality), hertz * step, 48000));
    }
  INFO("worst signal to noise: " << worst << " dB");
  CHECK(worst >= least);
}

TEST_CASE("fine quality is cleaner than the fastest sinc of a library that does nothing else, on the same input") {
  double ours = 300;
  double theirs = 300;
  for (const double asked : {0.87, 1.07, 1.2})
    for (const double hertz : {1000.0, 5000.0, 10000.0, 15000.0}) {
      const double speed = static_cast<double>(step_for(asked)) / static_cast<double>(unity_step);
      const auto source = sine(hertz, 0.5);
      std::vector<float> out(30000);
      SRC_DATA data{};
      data.data_in = source.data();
      data.input_frames = static_cast<long>(source.size());
      data.data_out = out.data();
      data.output_frames = static_cast<long>(out.size());
      data.src_ratio = 1 / speed;
      REQUIRE(src_simple(&data, SRC_SINC_FASTEST, 1) == 0);
      theirs = std::min(theirs, sine_snr(std::span(out).subspan(4000, 8000), hertz * speed, 48000));
      ours = std::min(ours, sine_snr(played(hertz, asked, Quality::fine), hertz * speed, 48000));
    }
  INFO("ours " << ours << " dB, theirs " << theirs << " dB");
  CHECK(ours > theirs + 6);
}

TEST_CASE("what would alias when the pitch is raised is filtered away") {
  const auto [quality, least] = GENERATE(table<Quality, double>({{Quality::standard, 60.0}, {Quality::fine, 90.0}}));
  double power = 0;
  for (const float x : played(16000, 2, quality)) power += static_cast<double>(x) * static_cast<double>(x);
  const double down = -10 * std::log10(power / 8000 / 0.5);
  INFO("16 kHz at x2 is " << down << " dB down");
  CHECK(down >= least);
}

TEST_CASE("every instruction set agrees with its scalar twin to 24-bit rounding") {
  const auto source = sine(3000, 0.1);
  std::vector<std::int16_t> shorts;
  for (const float x : source) shorts.push_back(static_cast<std::int16_t>(x * 32767));
  kernels::FilterEight eight{.carry = {{0.5, -0.1}, {0.2, 0.6}}};
  for (std::size_t i = 0; i < 8; ++i) {
    eight.response[i] = 0.4F / static_cast<float>(1 + i);
    for (std::size_t s = 0; s < 2; ++s) eight.from_state[s][i] = eight.to_state[s][7 - i] = 0.1F * eight.response[i];
  }
  float worst = 0;
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    INFO(kernels::target_name());
    for (const int count : {1, 3, 4, 17, 64})
      for (const double speed : {0.5, 1.0001, 1.7, 7.9}) {
        const auto filter = filter_for(step_for(speed), Quality::fine);
        const kernels::Walk walk{12345678, step_for(speed), 999};
        std::array<float, 64> ours{}, twin{};
        const auto same = [&] {
          for (std::size_t i = 0; i < ours.size(); ++i) worst = std::max(worst, std::abs(ours[i] - twin[i]));
        };
        kernels::resample(filter, source.data() + reach, walk, ours.data(), count);
        kernels::scalar::resample(filter, source.data() + reach, walk, twin.data(), count);
        same();
        kernels::resample(filter, shorts.data() + reach, walk, ours.data(), count);
        kernels::scalar::resample(filter, shorts.data() + reach, walk, twin.data(), count);
        same();
        kernels::widen(shorts.data(), ours.data(), count);
        kernels::scalar::widen(shorts.data(), twin.data(), count);
        same();
        kernels::add(source.data(), {0.5F, 0.001F, 1e-5F, -1e-7F}, ours.data(), count);
        kernels::scalar::add(source.data(), {0.5F, 0.001F, 1e-5F, -1e-7F}, twin.data(), count);
        same();
        CHECK(kernels::dot(source.data(), source.data() + 9, count / 8 * 8) ==
              Approx(kernels::scalar::dot(source.data(), source.data() + 9, count / 8 * 8)).margin(1e-4));
        const auto level = kernels::add_and_measure(source.data() + 7, {0.3F, -0.001F, -1e-5F, 1e-7F}, ours.data(), count);
        const auto twin_level = kernels::scalar::add_and_measure(source.data() + 7, {0.3F, -0.001F, -1e-5F, 1e-7F}, twin.data(), count);
        same();
        REQUIRE(level.peak == Approx(twin_level.peak).margin(1e-6));
        REQUIRE(level.power == Approx(twin_level.power).margin(1e-5));
        auto other = ours, twin_other = twin;
        kernels::add(source.data(), {0.2F, 0.002F, 2e-6F, 0}, 0.7F, 0.4F, ours.data(), other.data(), count);
        kernels::scalar::add(source.data(), {0.2F, 0.002F, 2e-6F, 0}, 0.7F, 0.4F, twin.data(), twin_other.data(), count);
        same();
        for (std::size_t i = 0; i < other.size(); ++i) worst = std::max(worst, std::abs(other[i] - twin_other[i]));
        double state[2] = {0.1, -0.2}, twin_state[2] = {0.1, -0.2};
        kernels::filter(eight, state, ours.data(), count / 8 * 8);
        kernels::scalar::filter(eight, twin_state, twin.data(), count / 8 * 8);
        same();
        REQUIRE(state[1] == Approx(twin_state[1]).margin(1e-6));
      }
  }
  INFO("largest difference: " << worst * (1 << 23) << " steps of 24 bits");
  CHECK(worst <= 4.0F / (1 << 23));
  hwy::SetSupportedTargetsForTest(0);
  hwy::GetChosenTarget().DeInit();
}

TEST_CASE("every filter passes low tones at their level") {
  for (double speed = 0.125; speed <= 8; speed *= 1.37) {
    double peak = 0;
    const auto source = sine(100, 2);
    std::vector<float> out(5000);
    kernels::resample(filter_for(step_for(speed), Quality::standard), source.data() + 2 * reach, {0, step_for(speed), 0}, out.data(), 5000);
    for (const float x : out) peak = std::max(peak, std::abs(static_cast<double>(x)));
    INFO("x" << speed);
    CHECK(peak == Approx(1).margin(0.003));
  }
}

TEST_CASE("half way through a fade sounds half as loud") {
  CHECK(decibels(equal_loudness_fade(0.5)).value == Approx(-10));
  CHECK(equal_loudness_fade(0) == 0);
  CHECK(equal_loudness_fade(1) == 1);
}
