#include <kiss_fftr.h>

#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "base/random.hpp"
#include "dsp/limiter.hpp"
#include "dsp/state_filter.hpp"
#include "listening.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

/// Both channels alike, through the limiter in runs of 64, and silence behind, so that its end comes out, too.
std::vector<float> limited(std::vector<float> mono, double rate = 48000) {
  Limiter limiter(rate);
  mono.resize((mono.size() + 63) / 64 * 64 + 256);
  std::vector<float> other = mono;
  std::vector<float> both(128);
  for (std::size_t at = 0; at < mono.size(); at += 64) {
    for (std::vector<float>* channel : {&mono, &other}) std::copy_n(channel->data() + at, 64, both.data() + (channel == &other ? 64 : 0));
    limiter.run(both.data(), 64, 64);
    std::copy_n(both.data(), 64, mono.data() + at);
    std::copy_n(both.data() + 64, 64, other.data() + at);
  }
  REQUIRE(mono == other);
  return mono;
}

/// Exactly, at eight times the rate: the spectrum of it all, and of silence around, taken back with zeros above.
double true_peak(const std::vector<float>& mono) {
  constexpr int times = 8;
  const auto size = static_cast<std::size_t>(kiss_fftr_next_fast_size_real(static_cast<int>(mono.size()) + 4096));
  std::vector<float> padded(size);
  std::copy(mono.begin(), mono.end(), padded.begin() + 2048);
  std::vector<kiss_fft_cpx> low(size / 2 + 1), high(times * size / 2 + 1);
  kiss_fftr_cfg there = kiss_fftr_alloc(static_cast<int>(size), 0, nullptr, nullptr);
  kiss_fftr(there, padded.data(), low.data());
  std::copy(low.begin(), low.end(), high.begin());
  high[size / 2].r /= 2;  // the highest frequency is its own mirror image
  std::vector<float> fine(times * size);
  kiss_fftr_cfg back = kiss_fftr_alloc(static_cast<int>(fine.size()), 1, nullptr, nullptr);
  kiss_fftri(back, high.data(), fine.data());
  kiss_fftr_free(there);
  kiss_fftr_free(back);
  float peak = 0;
  for (const float x : fine) peak = std::max(peak, std::abs(x));
  return 20 * std::log10(static_cast<double>(peak) / static_cast<double>(size));
}

/// Noise of which nothing lies above 20 kHz, cut by a long windowed sinc.
std::vector<float> noise_below_20_khz(std::uint64_t seed) {
  Random random(seed);
  constexpr int half = 400;
  std::vector<float> white(24000 + 2 * half), cut(24000);
  for (float& x : white) x = static_cast<float>(random.between(-1, 1));
  for (int tap = -half; tap <= half; ++tap) {
    const double x = std::numbers::pi * tap;
    const double cutoff = 2 * 19600.0 / 48000;
    const double window = 0.42 + 0.5 * std::cos(x / half) + 0.08 * std::cos(2 * x / half);  // Blackman
    const auto weight = static_cast<float>((tap == 0 ? cutoff : std::sin(cutoff * x) / x) * window);
    for (std::size_t i = 0; i < cut.size(); ++i) cut[i] += weight * white[i + static_cast<std::size_t>(half + tap)];
  }
  return cut;
}

/// The same material with its true peak at a level.
std::vector<float> at_peak(std::vector<float> samples, double level) {
  const auto gain = static_cast<float>(std::pow(10, (level - true_peak(samples)) / 20));
  for (float& x : samples) x *= gain;
  return samples;
}

/// A tone that comes and goes softly, so that no edge of it reaches above.
std::vector<float> soft_tone(double hertz) {
  auto samples = sine(hertz, 0.5);
  for (std::size_t i = 0; i < 4800; ++i) {
    const auto gain = static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * static_cast<double>(i) / 4800));
    samples[i] *= gain;
    samples[samples.size() - 1 - i] *= gain;
  }
  return samples;
}

}  // namespace

TEST_CASE("what lies below 20 kHz and at -1.4 dBTP is left alone, bit for bit, but for the time") {
  std::vector<std::vector<float>> materials = {noise_below_20_khz(1), noise_below_20_khz(2)};
  for (const double hertz : {31.0, 997.0, 6000.0, 11025.0, 12000.0, 16000.0, 19000.0, 19900.0}) materials.push_back(soft_tone(hertz));
  for (std::size_t m = 0; m < materials.size(); ++m) {
    const auto source = at_peak(materials[m], -1.4);
    const auto out = limited(source);
    std::size_t different = 0;
    for (std::size_t i = 0; i + Limiter::delay < source.size(); ++i) different += out[i + Limiter::delay] != source[i] ? 1 : 0;
    INFO("material " << m);
    CHECK(different == 0);
  }
  static_assert(Limiter::delay <= 70);
}

TEST_CASE("the true peak stays below -1 dBTP, exactly measured") {
  for (const double over : most_of({6.0, 0.5, 20.0})) {
    INFO(over << " dB over");
    for (std::uint64_t seed = 1; seed <= 3; ++seed) CHECK(true_peak(limited(at_peak(noise_below_20_khz(seed), over - 1))) <= -1);
    for (const double hertz : most_of({31.0, 300.0, 997.0, 11025.0, 12000.0, 16000.0, 19900.0}))
      CHECK(true_peak(limited(at_peak(soft_tone(hertz), over - 1))) <= -1);
    Random random(5);
    std::vector<float> white, come_and_go, signs, edges(48000), squares;
    for (int i = 0; i < 48000; ++i) {
      const double x = random.between(-1, 1);
      white.push_back(static_cast<float>(x));
      come_and_go.push_back(static_cast<float>(i / 4800 % 2 == 0 ? x : 0.05 * x));
      signs.push_back(x > 0 ? 1 : -1);
      squares.push_back(i / 24 % 2 == 0 ? 1 : -1);
    }
    for (std::size_t i = 100; i < edges.size(); i += 997) edges[i] = i % 2 == 0 ? 1 : -1;
    for (std::size_t i = 600; i + 4 < edges.size(); i += 4777) edges[i] = edges[i + 3] = -(edges[i + 1] = edges[i + 2] = 1);
    for (auto* material : {&white, &come_and_go, &signs, &edges, &squares}) {
      const auto gain = static_cast<float>(std::pow(10, (over - 1) / 20));
      for (float& x : *material) x *= gain;
      CHECK(true_peak(limited(*material)) <= -1);
    }
  }
}

namespace {

/// The true peak as ITU-R BS.1770-4, annex 2, measures it: four times the rate, by its 48 coefficients.
double peak_by_the_standard(const std::vector<float>& samples) {
  constexpr std::array<std::array<double, 12>, 2> first_two = {
      {{0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625, 0.9721679687500,
        -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500},
       {-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250, 0.7797851562500,
        -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375}}};
  double highest = 0;
  for (std::size_t i = 11; i < samples.size(); ++i)
    for (const auto& phase : first_two) {
      double sum = 0, mirrored = 0;  // the other two phases have the same turned round
      for (std::size_t tap = 0; tap < 12; ++tap) {
        sum += phase[tap] * static_cast<double>(samples[i - tap]);
        mirrored += phase[11 - tap] * static_cast<double>(samples[i - tap]);
      }
      highest = std::max({highest, std::abs(sum), std::abs(mirrored)});
    }
  return 20 * std::log10(highest);
}

}  // namespace

TEST_CASE("at every rate the true peak stays below -1 dBTP, exactly measured and by the standard's own meter") {
  for (const double rate : most_of({44100.0, 48000.0, 88200.0, 96000.0, 32000.0})) {
    INFO(rate << " Hz");
    std::vector<std::vector<float>> materials;
    Random random(7);
    std::vector<float> white, pink;
    double low = 0, lower = 0;
    for (int i = 0; i < 48000; ++i) {
      const double x = random.between(-1, 1);
      white.push_back(static_cast<float>(x));
      low += (x - low) * 0.1, lower += (x - lower) * 0.01;
      pink.push_back(static_cast<float>(x * 0.2 + low + 3 * lower));
    }
    materials = {white, pink};
    // About a quarter of the rate a meter of four times the rate shows most too much; phases that no sample meets.
    for (const double part : most_of({0.24994, 0.05, 0.125, 0.2, 0.25, 0.3, 0.396}))
      for (const double phase : most_of({0.25, 0.0, 0.4})) {
        std::vector<float>& tone = materials.emplace_back(24000);
        for (std::size_t i = 0; i < tone.size(); ++i) {
          const double fade = std::min({1.0, static_cast<double>(i) / 4800, static_cast<double>(tone.size() - i) / 4800});
          tone[i] = static_cast<float>(fade * std::sin(2 * std::numbers::pi * (part * static_cast<double>(i) + phase / 2)));
        }
      }
    for (const auto& material : materials)
      for (const double over : {0.5, 6.0, 20.0}) {
        const auto out = limited(at_peak(material, over - 1), rate);
        CHECK(peak_by_the_standard(out) <= -1);
        CHECK(true_peak(out) <= -1);
      }
  }
}

TEST_CASE("a low tone far over is held without being bent") {
  for (const double hertz : {31.0, 50.0, 100.0}) {
    const auto out = limited(sine(hertz, 3, 1, std::pow(10, (12 - 1.29) / 20)));
    const std::vector<float> steady(out.begin() + 48000, out.begin() + 48000 + 96000);
    INFO(hertz << " Hz");
    CHECK(sine_snr(steady, hertz, 48000) > 40);  // 1 %
  }
}

TEST_CASE("a limited tone comes back to its level, without a step") {
  auto source = sine(200, 0.2, 1, 3);
  const auto soft = sine(200, 1.5, 1, 0.5);
  source.insert(source.end(), soft.begin(), soft.end());
  const auto out = limited(source);
  double steepest = 0;
  for (std::size_t i = 4800; i < out.size(); ++i)
    steepest = std::max(steepest, std::abs(static_cast<double>(out[i]) - static_cast<double>(out[i - 1])));
  CHECK(steepest < 1.1 * 0.89 * 2 * std::numbers::pi * 200 / 48000);
  CHECK(Take{{out.end() - 9856, out.end() - 256}}.peak() == Approx(0.5).epsilon(0.001));
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

TEST_CASE("a filter that is moved again and again on its way stays finite, and gives no more than steady sweeps do") {
  constexpr int rounds = times(10'000, 500);
  Random random(29);
  double worst = 0;
  for (int round = 0; round < rounds; ++round) {
    constexpr std::array<double, 7> rates = {8000, 22050, 32000, 44100, 48000, 96000, 192000};
    const double rate = rates[random.below(7)];
    StateFilter filter(random.below(2) == 0 ? StateFilter::Kind::low_pass : StateFilter::Kind::high_pass);
    const auto anywhere = [&] {
      constexpr std::array<double, 10> extremes = {0, 0, 10, 20, 300, 15'000, 20'000, 23'900, 96'000, 100'000};
      return random.below(3) == 0 ? std::exp2(random.between(3.4, 16.6)) : extremes[random.below(10)];
    };
    const auto time = [&] { return static_cast<std::int64_t>(random.below(2) == 0 ? 0 : random.below(3000)); };
    std::vector<float> samples(6000);
    for (float& x : samples) x = static_cast<float>(random.between(-1, 1));
    if (random.below(2) == 0) filter.begin(anywhere(), rate);
    const std::uint32_t changes = 2 + random.below(12);
    for (std::size_t at = 0, change = 0; at + 64 <= samples.size(); ++change) {
      if (change < changes) filter.tune(anywhere(), rate, time());
      // The distance between two changes: that of quanta, that of updates, or one that no game uses.
      const std::size_t next = change >= changes ? samples.size() : std::min(samples.size(), at + 1 + random.below(500));
      filter.run(samples.data() + at, nullptr, static_cast<int>(next - at));
      at = next;
    }
    for (const float x : samples) {
      REQUIRE(std::isfinite(x));
      worst = std::max(worst, std::abs(static_cast<double>(x)));
    }
  }
  INFO("at most x" << worst);
  CHECK(worst < 1.85);
}

TEST_CASE("whatever is changed again on its way overshoots by less than half of its range") {
  Random random(31);
  for (int round = 0; round < 10'000; ++round) {
    Smooth its = Smooth::at(random.below(2));
    for (int change = 0; change < 12; ++change) {
      its.go(random.below(3) == 0 ? random.unit() : random.below(2), random.below(2) == 0 ? 0 : random.below(2000), 240);
      for (std::uint32_t left = 1 + random.below(500); left > 0;) {
        const std::uint32_t some = std::min(left, 1 + random.below(64));
        const double value = its.advance(some);
        REQUIRE(value > -0.5);
        REQUIRE(value < 1.5);
        left -= some;
      }
    }
    its.advance(100'000);
    REQUIRE(its.value() == its.target());
  }
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
