#include "instruments.hpp"

namespace harbour {
namespace {

/// A cast brass bell: the partials of a church bell, hum to nominal, each slightly double so that it beats.
Samples bell() {
  const std::vector<Mode> modes = {{0.5, 0.5, 4.2},  {0.502, 0.2, 4.0}, {1, 0.8, 3.1},     {1.003, 0.5, 3.0},
                                   {1.19, 0.6, 2.2}, {1.5, 0.35, 1.5},  {2, 0.75, 1.7},    {2.006, 0.35, 1.6},
                                   {2.66, 0.3, 0.8}, {3.01, 0.25, 0.6}, {4.17, 0.2, 0.35}, {5.43, 0.14, 0.2}};
  return ended(strike(742, modes, 3.4, 0.0008), 0.4);
}

/// The hull against tyres and timber: a low thud, a groan of wood.
Samples bump(std::uint64_t seed) {
  Random random(seed);
  Samples out = strike(random.between(52, 63), {{1, 1, 0.5}, {1.62, 0.5, 0.3}, {2.8, 0.3, 0.16}, {5.1, 0.12, 0.06}}, 1.1, 0.004);
  Resonator wood(random.between(170, 230), 9), knot(random.between(420, 520), 12);
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double slip = std::exp(-std::pow((t - 0.28) / 0.11, 2)) * (sine(37 * t) > 0.4 ? 1.0 : 0.1);
    const double n = noise(random);
    out[i] += 0.8 * envelope(t, 0.002, 0.08) * wood(n) + 1.2 * slip * (wood(n) + 0.6 * knot(n));
  }
  return ended(std::move(out), 0.1);
}

/// The gangway: a chain runs, the planks land and ring twice.
Samples gangway(std::uint64_t seed) {
  Random random(seed);
  Samples out(length(1.5));
  for (double t = 0; t < 0.62; t += random.between(0.022, 0.04)) {
    const Samples link = strike(random.between(1900, 3300), {{1, 1, 0.05}, {1.53, 0.7, 0.04}, {2.31, 0.5, 0.025}}, 0.08, 0.0004);
    add(out, link, t, random.between(0.1, 0.22) * (0.8 + 0.7 * t));
  }
  for (const double at : {0.66, random.between(0.84, 0.9)}) {
    const Samples plank = strike(random.between(95, 118), {{1, 1, 0.28}, {2.4, 0.7, 0.16}, {3.9, 0.5, 0.1}, {6.3, 0.3, 0.05}}, 0.5, 0.0015);
    add(out, plank, at, at < 0.7 ? 1 : 0.45);
  }
  return ended(std::move(out), 0.1);
}

/// A ticket punch: handle down, teeth through card, spring back.
Samples punch(std::uint64_t seed) {
  Random random(seed);
  Samples out(length(0.22));
  Softener card(3500);
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    out[i] = 1.3 * envelope(t - 0.012, 0.001, 0.035) * card(noise(random));
  }
  add(out, strike(random.between(2350, 2550), {{1, 1, 0.05}, {1.7, 0.6, 0.03}}, 0.1, 0.0004), 0, 0.5);
  add(out, strike(random.between(3100, 3400), {{1, 1, 0.07}, {1.41, 0.5, 0.05}}, 0.12, 0.0004), 0.085, 0.35);
  return ended(std::move(out));
}

/// A boot on planks: heel, then toe; the board answers below.
Samples step(std::uint64_t seed) {
  Random random(seed);
  Samples out(length(0.26));
  const double board = random.between(118, 165);
  const double toe = random.between(0.055, 0.075);
  Softener heel_leather(random.between(1500, 2400)), toe_leather(random.between(1100, 1800));
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double n = noise(random);
    out[i] = 0.5 * envelope(t, 0.0015, 0.03) * heel_leather(n) + 0.3 * envelope(t - toe, 0.002, 0.025) * toe_leather(n);
  }
  add(out, strike(board, {{1, 1, 0.13}, {2.13, 0.5, 0.07}, {3.6, 0.25, 0.04}}, 0.2, 0.002), 0, 0.7);
  add(out, strike(board * 1.12, {{1, 1, 0.08}, {2.3, 0.3, 0.05}}, 0.15, 0.002), toe, 0.3);
  return ended(std::move(out), 0.03);
}

/// A switch on the wheelhouse panel, for menus.
Samples click() {
  Samples out = strike(1320, {{1, 1, 0.03}, {2.02, 0.4, 0.02}, {3.3, 0.2, 0.012}}, 0.09, 0.001);
  add(out, strike(660, {{1, 1, 0.04}}, 0.08, 0.001), 0.004, 0.35);
  return ended(std::move(out));
}

template <class Make>
void several(std::vector<Clip>& clips, const std::string& name, int count, std::uint64_t seed, double peak, Make make) {
  for (int i = 0; i < count; ++i) clips.push_back({name + "-" + std::to_string(i + 1), {make(seed + static_cast<std::uint64_t>(i))}, peak});
}

}  // namespace

std::vector<Clip> foley() {
  std::vector<Clip> clips = {{"bell", {bell()}, 0.7}, {"click", {click()}, 0.5}};
  several(clips, "bump", 3, 51, 0.8, bump);
  several(clips, "gangway", 2, 61, 0.7, gangway);
  several(clips, "punch", 4, 71, 0.6, punch);
  several(clips, "steps/planks", 8, 81, 0.6, step);
  return clips;
}

}  // namespace harbour
