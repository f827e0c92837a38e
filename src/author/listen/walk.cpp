#include "tidewater/author/walk.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/nearest.hpp"
#include "world/hearing.hpp"

namespace tidewater {
namespace {

constexpr Hertz walk_rate{48000};
constexpr Seconds walk_lasts{20};
constexpr int steps_a_second = 10, updates_a_step = 6;
constexpr Metres least_aside{1};

/// The nearest of 1, 2 and 5 times a power of ten.
double round_figure(double value) {
  const double power = std::pow(10, std::floor(std::log10(value)));
  const double part = value / power;
  return power * (part < 1.5 ? 1 : part < 3.5 ? 2 : part < 7.5 ? 5 : 10);
}

const BookSound& sound_of(const Book& book, const std::string& name) {
  std::vector<std::string_view> known;
  for (const BookSound& sound : book.sounds) {
    if (sound.name == name) return sound;
    known.push_back(sound.name);
  }
  throw Error(fmt::format("{} has no sound '{}'{}", book.file, name, did_you_mean(name, known)));
}

/// The same book with an event that starts the sound.
Book with_event(const Book& book, const std::string& sound, const std::string& event) {
  Book its = book;
  BookResponse response;
  response.sound = sound;
  its.events = {{event, {response}, {}}};
  return its;
}

}  // namespace

HeardAway heard_away(const WorldDesign& design, Metres distance) {
  return {distance, decibels(DistanceCurve(design).amplitude(distance.value)), {air_low_pass(distance.value, design.air)}};
}

std::vector<HeardAway> heard_by_distance(const WorldDesign& design) {
  constexpr int count = 11;
  const DistanceCurve curve(design);
  const double first = curve.full_within() / 2, last = curve.silent_from();
  std::vector<double> distances;
  for (int i = 0; i <= count; ++i) distances.push_back(round_figure(first * std::pow(last / first, i / static_cast<double>(count))));
  for (const double its : {curve.full_within(), 0.75 * last, last}) distances.push_back(its);
  std::sort(distances.begin(), distances.end());
  distances.erase(std::unique(distances.begin(), distances.end()), distances.end());
  std::vector<HeardAway> heard;
  for (const double its : distances)
    if (its <= last) heard.push_back(heard_away(design, {its}));
  return heard;
}

Decibels heard_aside(const WorldDesign& design, Degrees off) {
  WorldDesign alone;
  alone.cone = design.cone;
  const double angle = off.value * std::numbers::pi / 180;
  Whereabouts at;
  set_facing(at, {static_cast<float>(std::sin(angle)), 0, static_cast<float>(std::cos(angle))});
  set_place(at, {0, 0, -alone.full_within.value});
  const Ears ears = ears_of({});
  double power = 0;
  for (const float channel : heard_from(Hearing(alone), at, {&ears, 1}, Layout::stereo).channels)
    power += static_cast<double>(channel) * static_cast<double>(channel);
  return decibels(std::sqrt(power));
}

WalkPast walk_past(const Book& book, const std::string& name, Layout layout, const std::function<void(std::span<const float>)>& take) {
  const BookSound& sound = sound_of(book, name);
  if (sound.world.place != Where::world)
    throw Error(fmt::format("'{}' is on the screen, the same wherever one stands; write place = \"world\" in [sounds.{}]", name, name));
  WalkPast walk{name, sound.world, layout, {}, {}, 0, {}, {}, {}};
  walk.aside = std::max({least_aside, Metres{1.5 * sound.world.radius.value}});
  walk.from = {1.05 * sound.world.silent_from.value};
  walk.pace = 2 * walk.from.value / walk_lasts.value;

  const DistanceCurve curve(sound.world);
  constexpr int points = 240;
  for (int i = 0; i <= points; ++i)
    walk.by_distance.push_back(heard_away(
        sound.world, {curve.full_within() / 2 * std::pow(2 * curve.silent_from() / curve.full_within(), i / static_cast<double>(points))}));
  for (int degrees = 0; degrees <= 180; degrees += 5)
    walk.by_angle.push_back({{static_cast<double>(degrees)}, heard_aside(sound.world, {static_cast<double>(degrees)})});

  const std::string event = "walk";
  SoundManager manager({.rate = walk_rate, .layout = layout, .offline = true});
  manager.load(compile(with_event(book, name, event)));
  const Emitter thing = manager.make_emitter({.place = {walk.aside.value, 0, 0}, .facing = {0, 0, 1}});
  const auto width = static_cast<std::size_t>(channels(layout));
  const auto frames_an_update = static_cast<std::size_t>(walk_rate.value) / (steps_a_second * updates_a_step);
  std::vector<float> block(frames_an_update * width);
  Playback playback;
  for (int s = 0; s < static_cast<int>(walk_lasts.value) * steps_a_second; ++s) {
    std::vector<double> powers(width);
    WalkStep step{{s / static_cast<double>(steps_a_second)}, {}, {}, {}, false};
    for (int u = 0; u < updates_a_step; ++u) {
      const double now = (s * updates_a_step + u) / static_cast<double>(steps_a_second * updates_a_step);
      const double along = walk.pace * now - walk.from.value;
      manager.set_listener(0, {.place = {0, 0, -along}, .velocity = {0, 0, static_cast<float>(-walk.pace)}});
      if (playback.ended()) playback = manager.raise(Name(event), {}, thing).playback();
      manager.update(Seconds{1.0 / (steps_a_second * updates_a_step)});
      manager.render(block);
      take(block);
      for (std::size_t i = 0; i < block.size(); ++i) powers[i % width] += static_cast<double>(block[i]) * static_cast<double>(block[i]);
      if (u == updates_a_step / 2) step.along = {along}, step.distance = {std::hypot(along, walk.aside.value)};
      step.heard = step.heard || manager.stats().voices > 0;
    }
    for (const double power : powers)
      step.levels.push_back(decibels(std::sqrt(power / (static_cast<double>(frames_an_update) * updates_a_step))));
    walk.steps.push_back(std::move(step));
  }
  return walk;
}

}  // namespace tidewater
