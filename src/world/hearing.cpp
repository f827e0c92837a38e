#include "world/hearing.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/speakers.hpp"
#include "tidewater/units.hpp"

namespace tidewater {
namespace {

using Axis = std::array<double, 3>;

constexpr double speed_of_sound = 343.3;  // m/s, as in OpenAL 1.1
constexpr double most_bent = 2;           // an octave either way
constexpr double all_round_from = 2;      // times the radius: it begins to come from all round

double dot(const Axis& a, const Axis& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }
Axis cross(const Axis& a, const Axis& b) { return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]}; }
Axis axis_of(const Vector& v) { return {static_cast<double>(v.x), static_cast<double>(v.y), static_cast<double>(v.z)}; }
/// `otherwise` where it has no length.
Axis of_unit_length(const Axis& a, const Axis& otherwise) {
  const double length = std::sqrt(dot(a, a));
  return length > 1e-12 ? Axis{a[0] / length, a[1] / length, a[2] / length} : otherwise;
}

/// In metres, from one to the other.
Axis way(const Whereabouts& from, const Whereabouts& to) {
  return {(to.x - from.x) / place_unit, (to.y - from.y) / place_unit, (to.z - from.z) / place_unit};
}
Axis velocity(const Whereabouts& w) { return {w.vx / velocity_unit, w.vy / velocity_unit, w.vz / velocity_unit}; }

/// In degrees; the same on every machine (Abramowitz and Stegun 4.4.46: within 2e-8).
double angle_of(double cosine) {
  const double x = std::min(1.0, std::abs(cosine));
  constexpr std::array<double, 8> a = {1.5707963050, -0.2145988016, 0.0889789874, -0.0501743046,
                                       0.0308918810, -0.0170881256, 0.0066700901, -0.0012624911};
  double sum = 0;
  for (std::size_t i = a.size(); i-- > 0;) sum = sum * x + a[i];
  const double angle = std::sqrt(1 - x) * sum * 180 / std::numbers::pi;
  return cosine < 0 ? 180 - angle : angle;
}

/// What a cone leaves of a thing that faces somewhere, for a listener on the way `to`; amplitude.
double of_cone(const ConeDesign& cone, const Whereabouts& at, const Axis& to, double metres) {
  const Axis facing{at.facing_x / facing_unit, at.facing_y / facing_unit, at.facing_z / facing_unit};
  if (cone.inner.value >= 360 || dot(facing, facing) == 0 || metres == 0) return 1;
  const double off = 2 * angle_of(dot(facing, to) / (metres * std::sqrt(dot(facing, facing))));
  if (off <= cone.inner.value) return 1;
  const double outside = amplitude(cone.outside);
  if (off >= cone.outer.value) return outside;
  const double part = (off - cone.inner.value) / (cone.outer.value - cone.inner.value);
  return cone.outside == silence ? 1 - part : amplitude({cone.outside.value * part});
}

/// By how much what moves sounds higher (OpenAL 1.1, 3.5.2).
double bent_by_speed(const Whereabouts& source, const Whereabouts& listener, const Axis& to, double metres, double share) {
  if (metres == 0 || share == 0) return 1;
  const auto along = [&](const Whereabouts& w) {
    return std::clamp(share * dot(to, velocity(w)) / metres, -0.9 * speed_of_sound, 0.9 * speed_of_sound);
  };
  const double ratio = (speed_of_sound - along(listener)) / (speed_of_sound - along(source));
  return std::clamp(ratio, 1 / most_bent, most_bent);
}

HeardFrom on_the_screen(Layout layout) {
  HeardFrom heard;
  heard.level = Level(Decibels{});
  heard.channels = towards(layout, 0, 0);
  return heard;
}

/// The listener that decides how a place is heard.
struct Nearest {
  const Ears* ears = nullptr;
  double metres = 0;
  Axis to{};
};
/// The nearest; if some are turned down, the one that hears it loudest.
Nearest nearest(const Hearing& hearing, const Whereabouts& at, std::span<const Ears> listeners) {
  const bool alike = std::all_of(listeners.begin(), listeners.end(), [&](const Ears& its) { return its.gain == listeners.front().gain; });
  Nearest near;
  double loudest = 0;
  for (const Ears& its : listeners) {
    const double metres = distance(at, its.at);
    const double level = alike ? 0 : hearing.curve.amplitude(metres) * its.gain;
    if (near.ears != nullptr && (level < loudest || (level == loudest && metres >= near.metres))) continue;
    near = {&its, metres, {}};
    loudest = level;
  }
  near.to = way(at, near.ears->at);
  return near;
}

double ready_gauge(ReadyGauge gauge, const Whereabouts& at, const Nearest& near) {
  switch (gauge) {
    case ReadyGauge::distance: return near.metres;
    case ReadyGauge::angle: return near.metres == 0 ? 0 : angle_of(std::clamp(-dot(near.ears->ahead, near.to) / near.metres, -1.0, 1.0));
    case ReadyGauge::speed: return std::sqrt(dot(velocity(at), velocity(at)));
    case ReadyGauge::height: break;
  }
  return at.y / place_unit;
}

/// As amplitude.
double level_at(const Hearing& hearing, const Whereabouts& at, const Nearest& near) {
  double level = hearing.curve.amplitude(near.metres) * of_cone(hearing.design.cone, at, near.to, near.metres) * near.ears->gain;
  for (const Hearing::Gain& its : hearing.gains) level *= amplitude({its.curve.at(ready_gauge(its.gauge, at, near))});
  return level;
}

}  // namespace

Hearing::Hearing(const WorldDesign& its, const std::vector<FollowDesign>& follow, bool tells_gauges)
    : design(its), curve(its), gauges_told(tells_gauges) {
  for (const FollowDesign& one : follow) {
    const auto word = std::find(ready_gauge_words.begin(), ready_gauge_words.end(), one.gauge);
    if (word == ready_gauge_words.end()) continue;
    for (const CurveDesign& points : one.curves)
      if (points.bends == Bends::gain)
        gains.push_back({static_cast<ReadyGauge>(word - ready_gauge_words.begin()), BendCurve(points, one.between)});
  }
}

Ears ears_of(const Listener& listener) {
  Ears ears;
  set_place(ears.at, listener.place);
  set_velocity(ears.at, listener.velocity);
  ears.ahead = of_unit_length(axis_of(listener.facing), {0, 0, -1});
  // Who looks straight up has no side: then x is to the right.
  ears.right = of_unit_length(cross(ears.ahead, axis_of(listener.up)), of_unit_length(cross(ears.ahead, {0, 1, 0}), {1, 0, 0}));
  ears.gain = std::min(1.0, amplitude(listener.gain));
  return ears;
}

double distance(const Whereabouts& a, const Whereabouts& b) {
  const Axis between = way(a, b);
  return std::sqrt(dot(between, between));
}

Level level_from(const Hearing& hearing, const Whereabouts& at, std::span<const Ears> listeners) {
  if (listeners.empty()) return Level(Decibels{});
  const Nearest near = nearest(hearing, at, listeners);
  return Level(decibels(level_at(hearing, at, near)));
}

HeardFrom heard_from(const Hearing& hearing, const Whereabouts& at, std::span<const Ears> listeners, Layout layout) {
  if (listeners.empty()) return on_the_screen(layout);
  const Nearest near = nearest(hearing, at, listeners);
  const auto& [ears, metres, to] = near;
  const WorldDesign& design = hearing.design;
  const double level = level_at(hearing, at, near);
  HeardFrom heard;
  heard.level = Level(decibels(level));
  heard.metres = static_cast<float>(metres);
  heard.speed = static_cast<float>(bent_by_speed(at, ears->at, to, metres, design.doppler));
  const double radius = design.radius.value;
  const double inside = metres == 0   ? 1
                        : radius <= 0 ? 0
                                      : std::clamp((all_round_from * radius - metres) / ((all_round_from - 1) * radius), 0.0, 1.0);
  // A place overhead or below has no side. The steeper it is, the more it comes from all round, so that it passes over without a jump.
  const double right = -dot(to, ears->right), ahead = -dot(to, ears->ahead);
  const double steep = metres == 0 ? 1 : 1 - std::min(1.0, std::sqrt(right * right + ahead * ahead) / metres);
  heard.channels = towards(layout, std::atan2(right, ahead), std::max(inside, steep));
  for (float& channel : heard.channels) channel *= static_cast<float>(level);
  heard.low_pass = static_cast<float>(air_low_pass(metres, design.air));
  if (hearing.gauges_told)
    for (std::size_t g = 0; g < ready_gauges; ++g) heard.gauges[g] = static_cast<float>(ready_gauge(static_cast<ReadyGauge>(g), at, near));
  return heard;
}

}  // namespace tidewater
