#include "instruments.hpp"

namespace harbour {
namespace {

/// A slow diesel: two strokes a turn of uneven strength, through the hull's own resonances.
Samples engine() {
  Random random(11);
  Resonator block(62, 3), hull(118, 5), pipe(245, 4);
  Softener dull(900);
  const double strokes = 14;  // a second
  Samples raw(length(6.5));
  double phase = 0;
  double strength = 1;
  for (double& out : raw) {
    phase += strokes / rate;
    if (phase >= 1) {
      phase -= 1;
      strength = random.between(0.82, 1.0);
    }
    const double bang = strength * std::exp(-9 * phase) * (0.8 + 0.5 * noise(random));
    const double body = 2.4 * block(bang) + 1.6 * hull(bang) + 0.9 * pipe(bang);
    out = body + 0.12 * dull(noise(random)) * (0.6 + 0.4 * std::exp(-4 * phase));
  }
  // A whole number of strokes, so that the seam falls between two of them.
  return seamless(raw, 0.5);
}

/// Water along a hull: noise whose brightness heaves, with small slaps.
Samples water(std::uint64_t seed, double seconds, double heave, double slaps) {
  Random random(seed);
  Softener dark(500), bright(2600);
  Resonator gurgle(380, 4);
  Samples out(length(seconds + 1));
  double slap = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double swell = 0.5 + 0.5 * sine(heave * t) * sine(heave * 0.37 * t + 0.2);
    if (random.unit() < slaps / rate) {
      slap = random.between(0.3, 1);
      gurgle.tune(random.between(250, 700), 5);
    }
    slap *= 1 - 9 / rate;
    const double n = noise(random);
    out[i] = dark(n) * (0.5 + 0.5 * swell) + 0.35 * bright(n) * swell * swell + 1.4 * gurgle(n) * slap;
  }
  return seamless(out, 1);
}

/// Rain on a deck: a bright hush, and single drops on planks and tin, for each ear its own.
Samples rain(std::uint64_t seed) {
  Random random(seed);
  Softener hush(5200), low(700);
  Samples out(length(7));
  for (double& x : out) {
    const double n = noise(random);
    x = 0.09 * (hush(n) - 0.7 * low(n));
  }
  for (int drop = 0; drop < 1100; ++drop) {
    const bool tin = random.unit() < 0.12;
    const double hertz = tin ? random.between(1900, 4200) : random.between(500, 1500);
    const Samples tap = strike(hertz, {{1, 1, tin ? 0.06 : 0.012}, {2.7, 0.4, 0.008}}, 0.05, 0.0004);
    add(out, tap, random.between(0, 6.9), 0.24 * std::pow(random.unit(), 3.0));
  }
  out.resize(length(7));
  return seamless(out, 1);
}

/// A gull's cry: a reedy tone that leaps up and falls off, with breath in it.
Samples gull(std::uint64_t seed, int cries) {
  Random random(seed);
  Samples out(length(0.1));
  double at = 0;
  const double voice = random.between(0.92, 1.08);
  for (int cry = 0; cry < cries; ++cry) {
    const double lasts = random.between(0.22, 0.42);
    Samples one(length(lasts));
    double phase = 0;
    Softener breath(4200);
    for (std::size_t i = 0; i < one.size(); ++i) {
      const double x = static_cast<double>(i) / static_cast<double>(one.size());
      const double hertz =
          voice * (820 + 620 * std::sin(std::numbers::pi * std::pow(x, 0.55)) - 160 * x) * (1 + 0.012 * sine(31 * x * lasts));
      phase += hertz / rate;
      const double tone = sine(phase) + 0.55 * sine(2 * phase) + 0.35 * sine(3 * phase) + 0.2 * sine(4 * phase);
      const double shape = std::pow(std::sin(std::numbers::pi * std::pow(x, 0.6)), 1.4);
      one[i] = shape * (tone + 0.25 * breath(noise(random)));
    }
    add(out, one, at, 1 - 0.13 * cry);
    at += lasts + random.between(0.05, 0.16);
  }
  // The far side of the water answers a little.
  const Samples dry = out;
  add(out, dry, 0.19, 0.13);
  add(out, dry, 0.31, 0.07);
  return ended(std::move(out), 0.05);
}

}  // namespace

std::vector<Clip> ambience() {
  std::vector<Clip> clips = {
      {"engine", {engine()}, 0.6, true},
      {"water-hull-a", {water(21, 7.3, 0.41, 1.3)}, 0.5, true},
      {"water-hull-b", {water(22, 9.7, 0.29, 0.8)}, 0.5, true},
      {"rain", {rain(31), rain(32)}, 0.5, true},
  };
  for (int i = 0; i < 4; ++i)
    clips.push_back({"gull-" + std::to_string(i + 1), {gull(41 + static_cast<std::uint64_t>(i), 2 + i % 3)}, 0.6});
  return clips;
}

}  // namespace harbour
