/// Playing at other speeds: what is left of a tone, what comes to it, and that every processor does the same. Rows are made for
/// processors that have no quick way to polynomials; both are measured on any that has both.

#include <hwy/targets.h>
#include <samplerate.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <memory>
#include <random>

#include "dsp/fade.hpp"
#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"
#include "dsp/row_kernels.hpp"
#include "listening.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// Everything is done as on a lesser processor while one of these lives.
class As {
 public:
  explicit As(std::int64_t target) {
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
  }
  ~As() {
    hwy::SetSupportedTargetsForTest(0);
    hwy::GetChosenTarget().DeInit();
  }
  As(const As&) = delete;
  As& operator=(const As&) = delete;
};

/// The best that this processor has, and one that takes its weights from rows.
std::vector<std::int64_t> both_ways() {
  std::vector<std::int64_t> ways;
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    const As as(target);
    if (ways.empty() || !kernels::looks_up()) ways.push_back(target);
    if (!kernels::looks_up()) break;
  }
  return ways;
}

double exact(double speed) { return static_cast<double>(step_for(speed)) / static_cast<double>(unity_step); }

/// A long sine of level 1, played at `speed`.
std::vector<float> played(const Filters& filters, double hertz, double speed, Quality quality, std::size_t frames = 8000) {
  const auto source = sine(hertz, (static_cast<double>(frames) * speed + 4.0 * reach) / test_rate.value);
  std::vector<float> out(frames);
  const auto step = step_for(speed);
  kernels::resample(filters.at(step, quality), source.data() + 2 * reach, source.data() + source.size(), {123456789, step, 0}, out.data(),
                    static_cast<int>(out.size()));
  return out;
}

}  // namespace

TEST_CASE("a sine played at another pitch stays clean, at both qualities") {
  const auto [quality, least] = GENERATE(table<Quality, double>({{Quality::standard, 71.0}, {Quality::fine, 107.0}}));
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    const As as(target);
    const Filters filters;
    double worst = 200;
    for (const double speed : {0.7, 0.8, 0.87, 0.93, 1.0002, 1.07, 1.13, 1.2})
      for (const double hertz : {300.0, 1000.0, 3000.0, 5000.0, 8000.0, 10000.0, 12000.0, 15000.0})
        worst = std::min(worst, sine_snr(played(filters, hertz, speed, quality), hertz * exact(speed), 48000));
    INFO(kernels::target_name() << ", worst signal to noise: " << worst << " dB");
    CHECK(worst >= least);
  }
}

TEST_CASE("fine quality is cleaner than the fastest sinc of a library that does nothing else, on the same input") {
  double ours = 300;
  double theirs = 300;
  const Filters filters;
  for (const double asked : {0.87, 1.07, 1.2})
    for (const double hertz : {1000.0, 5000.0, 10000.0, 15000.0}) {
      const double speed = exact(asked);
      const auto source = sine(hertz, 1);
      std::vector<float> out(30000);
      SRC_DATA data{};
      data.data_in = source.data();
      data.input_frames = static_cast<long>(source.size());
      data.data_out = out.data();
      data.output_frames = static_cast<long>(out.size());
      data.src_ratio = 1 / speed;
      REQUIRE(src_simple(&data, SRC_SINC_FASTEST, 1) == 0);
      theirs = std::min(theirs, sine_snr(std::span(out).subspan(4000, 8000), hertz * speed, 48000));
      ours = std::min(ours, sine_snr(played(filters, hertz, asked, Quality::fine), hertz * speed, 48000));
    }
  INFO("ours " << ours << " dB, theirs " << theirs << " dB");
  CHECK(ours > theirs + 6);
}

TEST_CASE("nothing that is not in the source is heard below 16 kHz, at any speed, of tones up to 24 kHz") {
  const auto [quality, most] = GENERATE(table<Quality, double>({{Quality::standard, -60.0}, {Quality::fine, -90.0}}));
  std::mt19937 random(20);
  std::uniform_real_distribution<double> octave(-3, 3), hertz(50, 23900);
  for (const std::int64_t target : both_ways()) {
    const As as(target);
    const Filters filters;
    const auto check = [&, quality = quality, most = most](double speed, double tone) {
      // Between x0.6 and x2/3 the treble counts more than images of what lies next to half the rate.
      if (speed > 0.6 && speed < 0.6667 && tone > 21'300) return;
      auto rest = below(played(filters, tone, speed, quality, 4000), 15400, test_rate.value);
      const double heard = tone * exact(speed);
      if (heard < 16000) rest = without_sine(rest, heard, test_rate.value);
      INFO(kernels::target_name() << ", " << tone << " Hz at x" << speed);
      CHECK(power(rest) <= most);
    };
    for (int i = 0; i < 150; ++i) check(std::exp2(octave(random)), hertz(random));
    // Where filters end, and where what is turned over falls on itself.
    for (const double speed : {0.5, 0.6666, 0.95, 1.1224, 1.189, 1.3348, 1.4142, 1.681, 2.0, 2.378, 3.0, 4.0, 5.65, 8.0})
      for (const double tone : {15900.0, 16000.0 / speed, 32000.0 / speed, 31900.0 / speed, 48000.0 / speed - 16000, 23800.0})
        if (tone > 0 && tone < 24000) check(speed, tone);
  }
}

TEST_CASE("a process that mixes as another kind of machine has the filters of that kind, and its own again") {
  for (int round = 0; round < 2; ++round)
    for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
      const As as(target);
      INFO(kernels::target_name());
      const auto filter = filter_for(step_for(1.05), Quality::standard);
      CHECK((filter.rows.values == nullptr) == kernels::looks_up());
      const Filters filters;
      const auto source = sine(997, 0.05);
      std::array<float, 64> ours{}, twin{};
      const kernels::Walk walk{1234567, step_for(1.05), 0};
      kernels::resample(filter, source.data() + reach, source.data() + source.size(), walk, ours.data(), 64);
      kernels::resample(filters.at(walk.step, Quality::standard), source.data() + reach, source.data() + source.size(), walk, twin.data(),
                        64);
      CHECK((ours == twin));
    }
}

TEST_CASE("treble is kept, and low tones keep their level") {
  const Quality quality = GENERATE(Quality::standard, Quality::fine);
  for (const std::int64_t target : both_ways()) {
    const As as(target);
    const Filters filters;
    for (const double speed : {0.3,  0.5,  0.59, 0.62, 0.66, 2.0 / 3, 0.67, 0.8,  0.95, 1.01, 1.05, 1.1,
                               1.15, 1.19, 1.25, 1.33, 1.38, 1.4142,  1.6,  1.99, 2.8,  4.4,  7.9}) {
      INFO(kernels::target_name() << " at x" << speed);
      const double to = speed < 0.61 ? 19500 : speed < 0.85 ? 21000 : speed <= 1.333 ? 16000 : speed < 1.42 ? 15000 : 17000 / speed;
      const auto level = [&](double hertz) {
        return sine_level(played(filters, hertz, speed, quality), hertz * exact(speed), test_rate.value);
      };
      for (const double hertz : {to, 0.9 * to, 0.75 * to}) CHECK(level(hertz) == Approx(0).margin(1));
      for (const double hertz : {100.0, 1000 / std::max(1.0, speed)}) CHECK(level(hertz) == Approx(0).margin(0.01));
    }
  }
}

TEST_CASE(
    "where a pitch passes from one filter to the next the level changes by less than half a decibel, of all that is heard below 16 kHz") {
  const Quality quality = GENERATE(Quality::standard, Quality::fine);
  const Filters filters;
  for (const auto& design : quality == Quality::standard ? standard_designs : fine_designs) {
    if (design.top >= 7.9F) continue;  // the last
    const double border = static_cast<double>(design.top);
    // Beyond nine tenths of half the source's rate no clip has anything, and above x1.41 filters end before.
    const double highest = std::min({16'000.0, 21'500 * border, border > 1.42 ? 12'000 : 16'000.0});
    for (double heard = 1000; heard <= highest; heard += 500) {
      const auto level = [&](double speed) {
        return sine_level(played(filters, heard / exact(speed), speed, quality), heard, test_rate.value);
      };
      INFO("x" << border << ", heard at " << heard << " Hz");
      CHECK(std::abs(level(border * 1.0005) - level(border * 0.9995)) < 0.5);
    }
  }
}

TEST_CASE("each frame comes from its place alone, and nothing beyond a filter's reach is read") {
  std::mt19937 random(3);
  const auto between = [&](int from, int to) { return std::uniform_int_distribution<int>(from, to)(random); };
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    const As as(target);
    const Filters filters;
    INFO(kernels::target_name());
    for (int round = 0; round < 60; ++round) {
      const Quality quality = round % 2 == 0 ? Quality::standard : Quality::fine;
      const auto step = step_for(std::exp2(std::uniform_real_distribution<double>(-3, 3)(random)));
      const int count = between(1, 300);
      const auto bend = round % 3 == 0 ? 0 : -static_cast<std::int64_t>(step / (2U * static_cast<unsigned>(count)));
      const kernels::Walk walk{static_cast<std::uint64_t>(random()), step, bend};
      const auto filter = filters.at(step, quality);
      std::uint64_t position = walk.position;
      std::uint64_t now = walk.step;
      std::vector<std::uint64_t> positions, steps;
      for (int i = 0; i < count; ++i) {
        positions.push_back(position);
        steps.push_back(now);
        position += now;
        now += static_cast<std::uint64_t>(bend);
      }
      // Exactly as much memory as may be read: a sanitizer sees what goes beyond.
      const auto before = static_cast<std::size_t>(filter.reach());
      const std::size_t length = before + (positions.back() >> 32U) + 1 + before;
      const auto floats = std::make_unique<float[]>(length);
      const auto shorts = std::make_unique<std::int16_t[]>(length);
      for (std::size_t i = 0; i < length; ++i) {
        shorts[i] = static_cast<std::int16_t>(between(-32768, 32767));
        floats[i] = static_cast<float>(shorts[i]) / 32768;
      }
      std::vector<float> whole(static_cast<std::size_t>(count)), pieces(whole), of_shorts(whole);
      kernels::resample(filter, floats.get() + before, floats.get() + length, walk, whole.data(), count);
      kernels::resample(filter, shorts.get() + before, shorts.get() + length, walk, of_shorts.data(), count);
      for (int at = 0, piece = 0; at < count; at += piece) {
        piece = std::min(count - at, between(1, 70));
        const auto i = static_cast<std::size_t>(at);
        kernels::resample(filter, floats.get() + before, floats.get() + length, {positions[i], steps[i], bend}, pieces.data() + at, piece);
      }
      CHECK((pieces == whole));
      for (std::size_t i = 0; i < whole.size(); ++i) REQUIRE(of_shorts[i] == Approx(whole[i]).margin(4e-7));
    }
  }
}

TEST_CASE("what is added is rounded alike, in whatever pieces") {
  std::mt19937 random(4);
  const auto source = sine(997, 0.01);
  const int count = static_cast<int>(source.size());
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    const As as(target);
    INFO(kernels::target_name());
    std::vector<float> whole(source.size(), 0.3F), other(whole), one(whole), pieces(whole), pieces_other(whole), pieces_one(whole);
    kernels::add(source.data(), {1}, 0.37F, 0.21F, whole.data(), other.data(), count);
    kernels::add(source.data(), {0.77F}, one.data(), count);
    for (int at = 0, piece = 0; at < count; at += piece) {
      piece = std::min(count - at, std::uniform_int_distribution<int>(1, 40)(random));
      kernels::add(source.data() + at, {1}, 0.37F, 0.21F, pieces.data() + at, pieces_other.data() + at, piece);
      kernels::add(source.data() + at, {0.77F}, pieces_one.data() + at, piece);
    }
    CHECK((pieces == whole));
    CHECK((pieces_other == other));
    CHECK((pieces_one == one));
  }
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
    const As as(target);
    const Filters filters;
    INFO(kernels::target_name());
    for (const Quality quality : {Quality::standard, Quality::fine})
      for (const int count : {1, 3, 4, 17, 64})
        for (const double speed : {0.5, 1.0001, 1.17, 1.3999, 1.7, 3.9, 7.9}) {
          const auto filter = filters.at(step_for(speed * 1.0001), quality);
          const kernels::Walk walk{12345678, step_for(speed), 999};
          std::array<float, 64> ours{}, twin{};
          const auto same = [&] {
            for (std::size_t i = 0; i < ours.size(); ++i) worst = std::max(worst, std::abs(ours[i] - twin[i]));
          };
          const auto resampled = [&](const auto* from) {
            kernels::resample(filter, from + reach, from + source.size(), walk, ours.data(), count);
            if (kernels::looks_up())
              kernels::scalar::resample(filter, from + reach, walk, twin.data(), count);
            else
              kernels::scalar::resample_by_rows(filter, from + reach, walk, twin.data(), count);
            same();
          };
          resampled(source.data());
          resampled(shorts.data());
          auto without_rows = filter;  // as they were made for a processor that needs none
          without_rows.rows = {};
          kernels::resample(without_rows, source.data() + reach, source.data() + source.size(), walk, ours.data(), count);
          kernels::scalar::resample(filter, source.data() + reach, walk, twin.data(), count);
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
    // What goes along several curves is, to the bit, what goes along each; and what twins do.
    using Bus = std::array<float, 3 * kernels::curve_length>;
    const std::array<kernels::Curve, 3> curves = {kernels::Curve{0.2F, 0.002F, 2e-6F, 0}, {0.33F, -0.001F, 0, 1e-8F}, {0.3F, 0, 0, 0}};
    const std::array<kernels::Curve, 3> others = {kernels::Curve{0.9F, 0, 0, 0}, {0.9F, -0.001F, 1e-6F, 0}, {0.84F, 1e-3F, 0, -1e-7F}};
    Bus parted[2]{}, one{}, own[2]{}, twin_parted[2]{}, twin_one{}, twin_own[2]{}, piecewise[2]{}, piecewise_own[2]{};
    const float* const x = source.data();
    kernels::add_along(x, curves.data(), 3, 0.7F, 0.4F, parted[0].data(), parted[1].data());
    kernels::add_along(x, curves.data(), 3, one.data());
    kernels::add_along(x, curves.data(), others.data(), 3, own[0].data(), own[1].data());
    kernels::scalar::add_along(x, curves.data(), 3, 0.7F, 0.4F, twin_parted[0].data(), twin_parted[1].data());
    kernels::scalar::add_along(x, curves.data(), 3, twin_one.data());
    kernels::scalar::add_along(x, curves.data(), others.data(), 3, twin_own[0].data(), twin_own[1].data());
    for (std::size_t i = 0; i < curves.size(); ++i) {
      const std::size_t at = i * kernels::curve_length;
      kernels::add(x + at, curves[i], 0.7F, 0.4F, piecewise[0].data() + at, piecewise[1].data() + at, kernels::curve_length);
      kernels::add(x + at, curves[i], piecewise_own[0].data() + at, kernels::curve_length);
      kernels::add(x + at, others[i], piecewise_own[1].data() + at, kernels::curve_length);
    }
    for (const std::size_t c : {0U, 1U}) {
      CHECK((parted[c] == piecewise[c]));
      CHECK((own[c] == piecewise_own[c]));
      for (std::size_t i = 0; i < one.size(); ++i)
        worst = std::max({worst, std::abs(parted[c][i] - twin_parted[c][i]), std::abs(own[c][i] - twin_own[c][i])});
    }
    CHECK((one == own[0]));
    for (std::size_t i = 0; i < one.size(); ++i) worst = std::max(worst, std::abs(one[i] - twin_one[i]));
  }
  INFO("largest difference: " << worst * (1 << 23) << " steps of 24 bits");
  CHECK(worst <= 4.0F / (1 << 23));
}

TEST_CASE("half way through a fade sounds half as loud") {
  CHECK(decibels(equal_loudness_fade(0.5)).value == Approx(-10));
  CHECK(equal_loudness_fade(0) == 0);
  CHECK(equal_loudness_fade(1) == 1);
}
