#include "world.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstring>
#include <memory>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "journal/kept_file.hpp"
#include "play/asking.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

constexpr std::size_t things = 100'000;
constexpr double side = 2000, speed = 1.4;
constexpr int frames_a_second = 60;

using Clock = std::chrono::steady_clock;
double milliseconds_since(Clock::time_point began) { return std::chrono::duration<double, std::milli>(Clock::now() - began).count(); }

/// UpdateTimes, of which a part is asked for.
class UpdateTimes {
 public:
  void add(double time) { all_.push_back(time); }
  double at(double share) {
    std::sort(all_.begin(), all_.end());
    return all_.empty() ? 0 : all_[static_cast<std::size_t>(share * static_cast<double>(all_.size() - 1))];
  }

 private:
  std::vector<double> all_;
};

/// Forty sounds, each a loop of its own level and rank, heard up to about `far` metres.
/// With `pace`, all of them follow a gauge; with steps, they are no loops, but a cadence that goes by it.
Bank loops(double far, std::uint32_t limit, bool pace = false, bool steps = false) {
  auto data = std::make_shared<BankData>();
  data->name = "plain";
  data->rate = {48000};
  data->groups.push_back({});
  data->groups[0].name = "master";
  std::vector<float> samples(4800);
  for (std::size_t i = 0; i < samples.size(); ++i) samples[i] = 0.3F * std::sin(0.0654498F * static_cast<float>(i));
  BankGauge gauge;
  gauge.name = "pace";
  gauge.to = 4;
  data->gauges.push_back(gauge);
  const FollowDesign follow{"pace", Between::linear, {{Bends::gain, {{0, -12}, {4, 0}}}, {Bends::pitch, {{0, -3}, {4, 3}}}}};
  Random random(5);
  for (std::uint32_t s = 0; s < 40; ++s) {
    data->clips.push_back(make_clip(fmt::format("c{}", s), 1, samples));
    data->clips.back().level = {-13.5};
    BankSound sound;
    sound.name = fmt::format("s{}", s);
    sound.gain = {{random.between(-20, -10)}, {-8}};
    sound.rank = static_cast<int>(3 + random.below(5));
    sound.limit = s % 2 == 0 ? limit : 0;
    sound.when_full = WhenFull::newest;
    sound.world.place = Where::world;
    sound.world.silent_from = {far * random.between(0.5, 1.5)};
    if (pace) sound.follow = {follow};
    if (steps) {
      sound.cadence = {{0.45}, {0.5}};
      sound.follow[0].curves.push_back({Bends::cadence, {{0, 0}, {1.4, 1}, {4, 2}}});
    }
    BankLayer layer;
    layer.loop = !steps;
    layer.choices.push_back({{}, {{s, 1, {}, 1}}});
    sound.layers.push_back(layer);
    data->sounds.push_back(sound);
    BankResponse response;
    response.target = s;
    data->events.push_back({fmt::format("e{}", s), {response}});
  }
  return bank_of(std::move(data));
}

struct Found {
  double copy = 0, place = 0, pass = 0, update = 0, update_95 = 0, held_99 = 0, make = 0, remove = 0;
};

Found walk(double far, int listeners, std::uint32_t limit) {
  auto control = std::make_unique<Control>(ManagerOptions{.offline = true, .playbacks = 131072, .emitters = 131072});
  const Bank bank = loops(far, limit);
  {
    LiveClips clips = *control->library.read_clips(data_of(bank), Preload::by_book).value;
    control->make_ready_for(data_of(bank), clips);
    Loading loading = control->library.loaded.prepare_to_load(BankInside::of(bank), std::move(clips), 1);
    control->number_names(loading);
    control->driving.follow(loading.prepared.front());
    const Asking asking(*control);
    control->settle_and_ask(asked::Load{bank.name(), bank.content()}, {.loading = &loading});
  }
  Random random(7);
  std::vector<Place> places(things);
  std::vector<double> ways(things);
  std::vector<Emitter> emitters(things);
  for (std::size_t i = 0; i < things; ++i) {
    places[i] = {1e5 + random.between(0, side), random.between(0, 10), 1e5 + random.between(0, side)};
    ways[i] = random.between(0, 6.283);
  }
  Found found;
  auto began = Clock::now();
  for (Emitter& emitter : emitters) emitter = control->listening.emitters.make({});
  found.make = milliseconds_since(began) * 1e6 / static_cast<double>(things);
  control->listening.emitters.place(emitters, places);
  for (std::size_t i = 0; i < things; ++i) {
    const Asking asking(*control);
    asked::Raise raise;
    raise.event = Name(data_of(bank).events[i % 40].name);
    raise.emitter = emitters[i];
    RaiseTraits traits;
    Driving::Values values;
    control->fill_in(raise, traits, values);
    control->settle_and_ask(raise);
  }
  std::vector<Place> copy(places);
  std::vector<Emitter> copied(emitters);
  std::vector<float> block(1600);
  UpdateTimes copies, placed, passes, updates, held;
  constexpr int frames = 300;
  for (int frame = 0; frame < frames; ++frame) {
    for (std::size_t i = 0; i < things; ++i) {
      ways[i] += random.between(-0.1, 0.1);
      places[i].x += std::cos(ways[i]) * speed / frames_a_second;
      places[i].z += std::sin(ways[i]) * speed / frames_a_second;
    }
    began = Clock::now();
    std::memcpy(copy.data(), places.data(), things * sizeof(Place));
    std::memcpy(copied.data(), emitters.data(), things * sizeof(Emitter));
    copies.add(milliseconds_since(began));
    began = Clock::now();
    control->listening.emitters.place(emitters, places);
    placed.add(milliseconds_since(began));
    // The yardstick: how far away each is, and no more.
    began = Clock::now();
    double nearest = 1e30;
    for (const Place& place : places) {
      const double x = place.x - 1e5, y = place.y, z = place.z - 1e5;
      nearest = std::min(nearest, x * x + y * y + z * z);
    }
    volatile double kept = nearest;
    (void)kept;
    passes.add(milliseconds_since(began));
    for (int l = 0; l < listeners; ++l) {
      const Asking asking(*control);
      asked::SetListener listener;
      listener.listener = static_cast<std::uint64_t>(l);
      listener.place = {1e5 + side * (l + 1) / (listeners + 1) + frame * speed / frames_a_second, 1.7, 1e5 + side / 2 + 100 * l};
      control->settle_and_ask(listener);
    }
    began = Clock::now();
    {
      const Asking asking(*control);
      const auto locked = Clock::now();
      control->open_update();
      if (frame >= 20) held.add(milliseconds_since(locked));
    }
    control->listen();
    {
      const Asking asking(*control);
      const auto locked = Clock::now();
      std::vector<ClipData> dropped;
      control->close_update(Seconds{1.0 / frames_a_second}, dropped);
      if (frame >= 20) held.add(milliseconds_since(locked));
    }
    if (frame >= 20) updates.add(milliseconds_since(began));
    control->render(block);
  }
  began = Clock::now();
  for (const Emitter emitter : emitters) control->listening.emitters.remove(emitter);
  found.remove = milliseconds_since(began) * 1e6 / static_cast<double>(things);
  found.copy = copies.at(0.5);
  found.place = placed.at(0.5);
  found.pass = passes.at(0.5);
  found.update = updates.at(0.5);
  found.update_95 = updates.at(0.95);
  found.held_99 = held.at(0.99) * 1000;
  return found;
}

struct Journalled {
  double megabytes_a_minute = 0, lines_a_minute = 0, update = 0, without = 0, slowest = 0;
  std::uint64_t started = 0;
};

/// A raise where 20,000 play the same, each of its own emitter, and none may twice.
double raise_of_each() {
  constexpr std::size_t count = 20'000, measured = 4'000;
  auto data = std::make_shared<BankData>(data_of(loops(60, 0)));
  for (BankSound& sound : data->sounds) {
    sound.retrigger = Retrigger::ignore;
    sound.limit_each_emitter = true;
  }
  const Bank bank = bank_of(std::move(data));
  SoundManager manager({.offline = true, .playbacks = 2 * count, .emitters = 2 * count});
  manager.load(bank);
  manager.set_listener(0, {});
  double time = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t row = i / 200;
    const Emitter emitter = manager.make_emitter({.place = {static_cast<double>(i % 200), 0, static_cast<double>(row)}});
    const auto began = Clock::now();
    manager.raise("e0", {}, emitter);
    if (i >= count - measured) time += milliseconds_since(began);
  }
  return time * 1e6 / measured;
}

/// Ten thousand walkers on a square kilometre, a loop or steps each, one listener walking, for ten seconds.
Journalled walkers(bool steps) {
  constexpr std::size_t count = 10'000;
  constexpr int seconds = 10;
  const Bank bank = loops(60, 0, true, steps);
  Journalled found;
  for (const bool journalled : {false, true}) {
    KeptWriter writer;
    std::size_t kept = 0, lines = 0;
    const auto sink = [&](const JournalEntry& entry) {
      if (const auto* its = entry.as<noted::Kept>())
        kept += writer.step(*its).size();
      else
        lines += to_json(entry).size() + 1;
    };
    SoundManager manager({.journal = journalled ? JournalSink(sink) : JournalSink(), .offline = true});
    manager.load(bank);
    Random random(3);
    std::vector<Place> places(count);
    std::vector<double> ways(count);
    std::vector<float> paces(count, static_cast<float>(speed));
    std::vector<Emitter> emitters(count);
    manager.set_listener(0, {.place = {500, 1.7, 500}});
    for (std::size_t i = 0; i < count; ++i) {
      places[i] = {random.between(0, 1000), 0, random.between(0, 1000)};
      ways[i] = random.between(0, 6.283);
      emitters[i] = manager.make_emitter({.place = places[i]});
      manager.raise(Name(data_of(bank).events[i % 40].name), {}, emitters[i]);
    }
    std::vector<float> block(1600);
    UpdateTimes updates;
    for (int frame = 0; frame < seconds * frames_a_second; ++frame) {
      for (std::size_t i = 0; i < count; ++i) {
        ways[i] += random.between(-0.05, 0.05);
        places[i].x += std::cos(ways[i]) * speed / frames_a_second;
        places[i].z += std::sin(ways[i]) * speed / frames_a_second;
      }
      for (float& pace : paces) pace = std::clamp(pace + static_cast<float>(random.between(-0.03, 0.03)), 0.5F, 2.5F);
      manager.place(emitters, places);
      manager.set_gauge("pace", emitters, paces);
      manager.set_listener(0, {.place = {500 + frame * speed / frames_a_second, 1.7, 500}});
      if (frame == 10) kept = lines = 0;
      const auto began = Clock::now();
      manager.update(Seconds{1.0 / frames_a_second});
      updates.add(milliseconds_since(began));
      manager.render(block);
    }
    (journalled ? found.update : found.without) = updates.at(0.5);
    found.slowest = updates.at(0.95);
    found.started = manager.stats().started;
    if (journalled) {
      found.megabytes_a_minute = static_cast<double>(kept) * 60 / seconds / 1e6;
      found.lines_a_minute = static_cast<double>(lines) * 60 / seconds / 1e6;
    }
  }
  return found;
}

struct Gauged {
  double copy = 0, set = 0, update = 0, update_95 = 0;
};

/// A hundred thousand values a frame, of which so many are followed by a loop.
Gauged gauges(std::size_t followed, bool set) {
  const Bank bank = loops(1000, 0, true);
  SoundManager manager({.offline = true, .playbacks = 131072, .emitters = 131072});
  manager.load(bank);
  manager.set_listener(0, {});
  Random random(11);
  std::vector<Emitter> emitters(things);
  std::vector<float> values(things, 1.4F), copy(things);
  std::vector<Emitter> copied(things);
  for (std::size_t i = 0; i < things; ++i)
    emitters[i] = manager.make_emitter({.place = {random.between(-200, 200), 0, random.between(-200, 200)}});
  for (std::size_t i = 0; i < followed; ++i) manager.raise(Name(data_of(bank).events[i % 40].name), {}, emitters[i * (things / followed)]);
  std::vector<float> block(1600);
  UpdateTimes copies, sets, updates;
  for (int frame = 0; frame < 300; ++frame) {
    for (float& value : values) value = std::clamp(value + static_cast<float>(random.between(-0.05, 0.05)), 0.0F, 4.0F);
    auto began = Clock::now();
    std::memcpy(copy.data(), values.data(), things * sizeof(float));
    std::memcpy(copied.data(), emitters.data(), things * sizeof(Emitter));
    copies.add(milliseconds_since(began));
    began = Clock::now();
    if (set) manager.set_gauge("pace", emitters, values);
    sets.add(milliseconds_since(began));
    began = Clock::now();
    manager.update(Seconds{1.0 / frames_a_second});
    if (frame >= 20) updates.add(milliseconds_since(began));
    manager.render(block);
  }
  return {copies.at(0.5), sets.at(0.5), updates.at(0.5), updates.at(0.95)};
}

}  // namespace

void print_gauge_table() {
  fmt::print(
      "\n| 100,000 gauge values a frame                               | a copy of them |      told | what an update takes for it |\n");
  fmt::print("| ---------------------------------------------------------- | -------------: | --------: | --------------------------: |\n");
  for (const std::size_t followed : {std::size_t{0}, std::size_t{1000}}) {
    const Gauged without = gauges(followed, false), with = gauges(followed, true);
    fmt::print("| {:<58} | {:>11.3f} ms | {:>6.3f} ms | {:>24.3f} ms |\n",
               followed == 0 ? "none followed" : "1,000 followed by a loop each", with.copy, with.set, with.update - without.update);
  }
}

void print_world_table() {
  fmt::print(
      "\n| 100,000 emitters with a loop each, all moving, 64 voices   | a pass over places |  update, median |      95 % |  lock, 99 % "
      "|\n");
  fmt::print(
      "| ---------------------------------------------------------- | -----------------: | --------------: | --------: | ----------: |\n");
  Found first;
  const auto row = [&](const char* what, double far, int listeners, std::uint32_t limit) {
    const Found found = walk(far, listeners, limit);
    if (first.copy == 0) first = found;
    fmt::print("| {:<58} | {:>15.3f} ms | {:>12.3f} ms | {:>6.3f} ms | {:>8.1f} us |\n", what, found.pass, found.update, found.update_95,
               found.held_99);
  };
  row("one listener, far about 60 m", 60, 1, 0);
  row("one listener, far about 1000 m", 1000, 1, 0);
  row("four listeners, far about 60 m", 60, 4, 0);
  row("four listeners, far about 1000 m", 1000, 4, 0);
  row("one listener, far about 60 m, limits of 2 on half of them", 60, 1, 2);
  row("one listener, far about 1000 m, limits of 2 on half", 1000, 1, 2);
  fmt::print("\n| 100,000 emitters                                           |          yardstick |            ours |     ratio |\n");
  fmt::print("| ---------------------------------------------------------- | -----------------: | --------------: | --------: |\n");
  fmt::print("| {:<58} | {:>10.3f} ms copy | {:>12.3f} ms | {:>8.2f}x |\n", "placed in bulk", first.copy, first.place,
             first.place / first.copy);
  fmt::print("| {:<58} | {:>18} | {:>12.0f} ns | {:>9} |\n", "one made", "-", first.make, "-");
  fmt::print("| {:<58} | {:>18} | {:>12.0f} ns | {:>9} |\n", "one removed", "-", first.remove, "-");
  print_gauge_table();
  const Journalled its = walkers(false);
  fmt::print(
      "\n10,000 walkers with a loop and a gauge each on a square kilometre: {:.2f} MB a minute of what is kept, and {:.2f} MB of lines; an "
      "update "
      "takes "
      "{:.3f} ms with a journal, {:.3f} ms without\n",
      its.megabytes_a_minute, its.lines_a_minute, its.update, its.without);
  const Journalled walking = walkers(true);
  fmt::print(
      "the same with steps in place of loops, at their pace: {:.3f} ms without a journal, {:.3f} ms with it, {:.3f} ms at 95 %; {} steps "
      "in 10 s\n",
      walking.without, walking.update, walking.slowest, walking.started - 10'000);
  fmt::print("\na raise where 20,000 play the same, each emitter for itself and none twice: {:.0f} ns\n", raise_of_each());
}

}  // namespace tidewater::bench
