#include "tidewater/author/walk.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "author/listen/check_gauges.hpp"
#include "bank/bank_data.hpp"
#include "base/nearest.hpp"
#include "drive/following.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"
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
  response.target = sound;
  its.events = {{event, {response}, {}}};
  return its;
}

/// A sound by itself, in front of a listener, with its gauges as a walk begins or ends.
class Alone {
 public:
  Alone(const Book& book, const BookSound& sound, const std::vector<WalkGauge>& gauges, double WalkGauge::*end)
      : sound_(design_of(sound)), following_(sound_, [&](Name name) { return number(book, name); }) {
    for (std::size_t k = 0; k < following_.gauges().size(); ++k) {
      if (following_.gauges()[k].ready) continue;
      const BookGauge& gauge = book.gauges[following_.gauges()[k].number];
      values_[k] = gauge.initial;
      for (const WalkGauge& its : gauges)
        if (its.gauge == gauge.name) values_[k] = its.*end;
    }
  }

  HeardAway at(Metres distance) const {
    Following::Values values = values_;
    for (std::size_t k = 0; k < following_.gauges().size(); ++k)
      if (following_.gauges()[k].ready && following_.gauges()[k].number == static_cast<std::uint32_t>(ReadyGauge::distance))
        values[k] = distance.value;
    const Bent bent = following_.bend(0, values, false);
    const double level = DistanceCurve(sound_.world).amplitude(distance.value) * amplitude(bent.gain);
    const auto by = following_.quietened_by(0, values);
    return {distance, decibels(level), Bent::lower({air_low_pass(distance.value, sound_.world.air)}, bent.low_pass),
            amplitude(bent.gain) == 0 && by ? std::string(by->gauge) : std::string()};
  }

 private:
  static BankSound design_of(const BookSound& sound) { return {static_cast<const SoundDesign&>(sound), {}, {}, 0, 0, {}}; }
  static std::uint32_t number(const Book& book, Name name) {
    for (std::uint32_t gauge = 0; gauge < book.gauges.size(); ++gauge)
      if (same_name(name, book.gauges[gauge].name)) return gauge;
    return ~0U;
  }

  const BankSound sound_;  // `following_` points into it
  Following following_;
  Following::Values values_{};
};

/// At a dozen distances, from inside `near` to `far`, in round figures.
std::vector<HeardAway> table_of(const Alone& alone, const DistanceCurve& curve) {
  constexpr int count = 11;
  const double first = curve.full_within() / 2, last = curve.silent_from();
  std::vector<double> distances;
  for (int i = 0; i <= count; ++i) distances.push_back(round_figure(first * std::pow(last / first, i / static_cast<double>(count))));
  for (const double its : {curve.full_within(), 0.75 * last, last}) distances.push_back(its);
  std::sort(distances.begin(), distances.end());
  distances.erase(std::unique(distances.begin(), distances.end()), distances.end());
  std::vector<HeardAway> heard;
  for (const double its : distances)
    if (its <= last) heard.push_back(alone.at({its}));
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

}  // namespace

void check_gauges(const Book& book, const std::vector<WalkGauge>& gauges) {
  std::vector<std::string_view> known;
  for (const BookGauge& gauge : book.gauges) known.push_back(gauge.name);
  for (const WalkGauge& its : gauges) {
    const auto gauge = std::find_if(book.gauges.begin(), book.gauges.end(), [&](const BookGauge& g) { return g.name == its.gauge; });
    if (std::find(ready_gauge_words.begin(), ready_gauge_words.end(), its.gauge) != ready_gauge_words.end())
      throw Error(fmt::format("{} comes from the walk itself; set a gauge of the book's", its.gauge));
    if (gauge == book.gauges.end())
      throw Error(fmt::format("{} has no gauge '{}'{}", book.file, its.gauge, did_you_mean(its.gauge, known)));
    if (std::min(its.from, its.to) < gauge->from || std::max(its.from, its.to) > gauge->to)
      throw Error(fmt::format("{} goes from {} to {}", its.gauge, gauge->from, gauge->to));
  }
}

WalkPast walk_past(const Book& book, const std::string& name, const WalkOptions& options,
                   const std::function<void(std::span<const float>)>& take) {
  const BookSound& sound = sound_of(book, name);
  check_gauges(book, options.gauges);
  if (sound.world.place != Where::world)
    throw Error(fmt::format("'{}' is on the screen, the same wherever one stands; write place = \"world\" in [sounds.{}]", name, name));
  WalkPast walk{name, sound.world, options, {}, {}, 0, {}, {}, {}, {}, {}, {}};
  walk.aside = std::max({least_aside, Metres{1.5 * sound.world.radius.value}});
  walk.from = {1.05 * sound.world.silent_from.value};
  walk.pace = 2 * walk.from.value / walk_lasts.value;

  const DistanceCurve curve(sound.world);
  const Alone begins(book, sound, options.gauges, &WalkGauge::from);
  walk.table = table_of(begins, curve);
  constexpr int points = 240;
  for (int i = 0; i <= points; ++i)
    walk.by_distance.push_back(
        begins.at({curve.full_within() / 2 * std::pow(2 * curve.silent_from() / curve.full_within(), i / static_cast<double>(points))}));
  if (std::any_of(options.gauges.begin(), options.gauges.end(), [](const WalkGauge& its) { return its.from != its.to; })) {
    const Alone ends(book, sound, options.gauges, &WalkGauge::to);
    for (const HeardAway& its : walk.table) walk.table_at_end.push_back(ends.at(its.distance));
    for (const HeardAway& its : walk.by_distance) walk.by_distance_at_end.push_back(ends.at(its.distance));
  }
  for (int degrees = 0; degrees <= 180; degrees += 5)
    walk.by_angle.push_back({{static_cast<double>(degrees)}, heard_aside(sound.world, {static_cast<double>(degrees)})});

  const std::string event = "walk";
  SoundManager manager({.rate = walk_rate, .layout = options.layout, .offline = true});
  manager.load(compile(with_event(book, name, event)));
  const Emitter thing = manager.make_emitter({.place = {walk.aside.value, 0, 0}, .facing = {0, 0, 1}});
  const auto width = static_cast<std::size_t>(channels(options.layout));
  const auto frames_an_update = static_cast<std::size_t>(walk_rate.value) / (steps_a_second * updates_a_step);
  std::vector<float> block(frames_an_update * width);
  Playback playback;
  for (int s = 0; s < static_cast<int>(walk_lasts.value) * steps_a_second; ++s) {
    std::vector<double> powers(width);
    WalkStep step{{s / static_cast<double>(steps_a_second)}, {}, {}, {}, false, {}};
    const double part = s / (walk_lasts.value * steps_a_second - 1);
    for (const WalkGauge& its : options.gauges) step.gauges.push_back(its.from + (its.to - its.from) * part);
    for (int u = 0; u < updates_a_step; ++u) {
      const double now = (s * updates_a_step + u) / static_cast<double>(steps_a_second * updates_a_step);
      const double along = walk.pace * now - walk.from.value;
      manager.set_listener(0, {.place = {0, 0, -along}, .velocity = {0, 0, static_cast<float>(-walk.pace)}});
      for (std::size_t g = 0; g < options.gauges.size(); ++g)
        manager.set_gauge(Name(options.gauges[g].gauge), thing, static_cast<float>(step.gauges[g]));
      if (playback.ended()) playback = manager.raise(Name(event), {}, thing).playback();
      manager.update(Seconds{1.0 / (steps_a_second * updates_a_step)});
      manager.render(block);
      take(block);
      for (std::size_t i = 0; i < block.size(); ++i) powers[i % width] += static_cast<double>(block[i]) * static_cast<double>(block[i]);
      if (u == updates_a_step / 2) step.along = {along}, step.distance = {std::hypot(along, walk.aside.value)};
      step.heard = step.heard || manager.stats().voices > 0;
    }
    // Between its beats it waits, and is not asleep.
    if (sound.cadence.high > Seconds{} && step.distance < sound.world.silent_from) step.heard = true;
    for (const double power : powers)
      step.levels.push_back(decibels(std::sqrt(power / (static_cast<double>(frames_an_update) * updates_a_step))));
    walk.steps.push_back(std::move(step));
  }
  return walk;
}

}  // namespace tidewater
