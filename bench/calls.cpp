#include "calls.hpp"

#include <fmt/format.h>

#include <malloc.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <functional>
#include <mutex>
#include <thread>
#include <unordered_map>
#include <vector>

#include "../examples/harbour/scene.hpp"
#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "play/control.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

using Clock = std::chrono::steady_clock;

/// Nanoseconds of single calls, the two readings of the clock included.
class Times {
 public:
  void begin() { began_ = Clock::now(); }
  void begin(Clock::time_point due) { began_ = due; }
  void end() { times_.push_back(std::chrono::duration<double, std::nano>(Clock::now() - began_).count()); }
  double at(double share) {
    if (times_.empty()) return 0;
    const auto place = times_.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(times_.size() - 1));
    std::nth_element(times_.begin(), place, times_.end());
    return *place;
  }
  std::size_t count() const { return times_.size(); }

 private:
  Clock::time_point began_;
  std::vector<double> times_;
};

constexpr int events = 1000;
const char* const surfaces[] = {"planks", "steel", "stone", "sand"};
const char* const shoes[] = {"boots", "bare"};

/// A thousand events, a sound for each: short clips by two traits, drawn level and pitch; and a loop. `length` in frames.
Bank bank_of(int sounds, int length, const std::string& name = "calls") {
  const auto data = std::make_shared<BankData>();
  data->name = name;
  data->rate = Hertz{48000};
  data->groups.emplace_back().name = "master";
  for (int i = 0; i < 8; ++i)
    data->clips.push_back(make_clip(fmt::format("clips/number-{}", i), 1, std::vector<float>(static_cast<std::size_t>(length), 0.1F)));
  for (int s = 0; s < sounds; ++s) {
    BankSound sound;
    sound.name = fmt::format("{}-sound-{}", name, s);
    BankLayer& layer = sound.layers.emplace_back();
    layer.by = {HashedText("surface"), HashedText("shoe")};
    for (const char* surface : surfaces)
      for (const char* shoe : shoes) {
        BankChoice& choice = layer.choices.emplace_back();
        choice.values = {surface, shoe};
        for (std::uint32_t i = 0; i < 8; ++i) choice.clips.push_back({i, 1, {}});
      }
    sound.pitch = {{-2}, {2}};
    sound.gain = {{-9}, {-6}};
    data->sounds.push_back(sound);
    data->events.push_back({fmt::format("{}.event.{}", name, s), {{{Verb::start, {}, {}}, static_cast<std::uint32_t>(s)}}});
  }
  BankSound loop;
  loop.name = name + "-loop";
  loop.layers.emplace_back().choices = {{{}, {{0, 1, {}}}}};
  loop.layers.back().loop = true;
  loop.gain = {{-30}, {-30}};
  data->sounds.push_back(loop);
  data->events.push_back({name + ".loop", {{{Verb::start, {}, {}}, static_cast<std::uint32_t>(sounds)}}});
  return bank_of(data);
}

/// A game that raises twenty a frame of a thousand events, with two traits; names are hashed before, as the compiler does.
class Game {
 public:
  Game(std::uint32_t voices, int length) : manager_({.voices = voices, .journal = [this](const JournalEntry&) { ++noted_; }}) {
    manager_.load(bank_of(events, length));
    for (int i = 0; i < events; ++i) texts_.push_back(fmt::format("calls.event.{}", i));
    for (const auto& text : texts_) names_.emplace_back(text);
  }

  SoundManager& manager() { return manager_; }

  /// Raises of `variety` events, so many a frame, with `cold_bytes` touched by the game in between.
  void frames(int count, std::uint32_t variety, int a_frame, std::size_t cold_bytes, Times& times) {
    std::vector<char> other_work(cold_bytes + 1);
    std::vector<float> block(1600);
    for (int frame = 0; frame < count; ++frame) {
      for (std::size_t i = 0; i < cold_bytes; i += 64) ++other_work[i];
      for (int i = 0; i < a_frame; ++i) {
        const Trait traits[] = {{"surface", surfaces[random_.below(4)]}, {"shoe", shoes[random_.below(2)]}};
        const Name name = names_[random_.below(variety)];
        times.begin();
        const Raised raised = manager_.raise(name, std::span<const Trait>(traits), Emitter{1 + random_.below(50)});
        times.end();
        started_ += plays(raised.outcome) ? 1 : 0;
      }
      manager_.render(block);
      manager_.update(Seconds{1.0 / 60});
    }
  }

 private:
  std::size_t noted_ = 0, started_ = 0;
  SoundManager manager_;
  std::vector<std::string> texts_;
  std::vector<Name> names_;
  Random random_{5};
};

void row(const std::string& what, Times& times) {
  fmt::print("| {:<68} | {:>8} | {:>9.0f} ns | {:>9.0f} ns | {:>9.0f} ns |\n", what, times.count(), times.at(0.5), times.at(0.99),
             times.at(0.999));
  std::fflush(stdout);
}

void yardstick() {
  std::unordered_map<std::uint64_t, int> known;
  for (int i = 0; i < events; ++i) known[hash_name(fmt::format("calls.event.{}", i))] = i;
  std::mutex mutex;
  Times times;
  Random random(3);
  int found = 0;
  for (int i = 0; i < 60000; ++i) {
    const std::uint64_t hash = hash_name(fmt::format("calls.event.{}", random.below(events)));
    times.begin();
    {
      const std::lock_guard lock(mutex);
      found += known.find(hash)->second;
    }
    times.end();
  }
  row(found > 0 ? "yardstick: a mutex and a look-up in a hash table" : "", times);
}

struct Raising {
  std::uint32_t voices = 1024;
  int length = 64;  ///< of a clip, in frames
  std::uint32_t variety = 4;
  int a_frame = 64;
  std::size_t cold_bytes = 0;
  int sleepers = 0;
  int other_threads = 0;
};

void raising(const std::string& what, const Raising& how) {
  Game game(how.voices, how.length);
  for (int i = 0; i < how.sleepers; ++i) game.manager().raise("calls.loop");
  Times warm_up, times;
  game.frames(200, events, 20, 0, warm_up);
  std::atomic<bool> done{false};
  std::vector<std::thread> threads;
  for (int t = 0; t < how.other_threads; ++t)
    threads.emplace_back([&] {
      while (!done) {
        game.manager().raise("calls.event.1", {{"surface", "steel"}, {"shoe", "bare"}});
        std::this_thread::sleep_for(std::chrono::microseconds(300));
      }
    });
  game.frames(60000 / how.a_frame, how.variety, how.a_frame, how.cold_bytes, times);
  done = true;
  for (auto& thread : threads) thread.join();
  row(what, times);
}

/// How long a call that does next to nothing takes while another thread does `work`: what is above its usual time it waited,
/// or its core was somebody else's.
void waiting(const std::string& what, const std::function<void(SoundManager&)>& before, const std::function<void(SoundManager&)>& work) {
  SoundManager manager({.voices = 256, .offline = true});
  before(manager);
  std::atomic<bool> done{false};
  Clock::time_point finished;
  std::thread worker([&] {
    for (int i = 0; i < 20; ++i) work(manager);
    finished = Clock::now();
    done = true;
  });
  // One is due every 20 us, and its time counts from there: what is held for long delays many.
  Times times;
  for (auto due = Clock::now(); !done || due < finished; due += std::chrono::microseconds(20)) {
    while (Clock::now() < due) {
    }
    times.begin(due);
    manager.stats();
    times.end();
  }
  worker.join();
  row(what, times);
}

void holds() {
  const Bank other = bank_of(2000, 64, "other");
  const auto crowd = [](SoundManager& manager) {
    manager.load(bank_of(1, 48000));
    for (int i = 0; i < 10256; ++i) manager.raise("calls.loop");
    std::vector<float> block(1024);
    manager.render(block);
    manager.update({});
  };
  waiting("waiting for the lock: another thread loads and unloads 2,000 sounds", crowd, [&](SoundManager& manager) {
    manager.load(other);
    for (int i = 0; i < 30; ++i) manager.update({});
    manager.unload("other");
    for (int i = 0; i < 30; ++i) manager.update({});
  });
  waiting("waiting for the lock: it updates with 10,000 dormant and renders", crowd, [](SoundManager& manager) {
    std::vector<float> block(256);
    for (int i = 0; i < 20; ++i) {
      manager.render(block);
      manager.update({});
    }
  });
}

/// How long the lock is held, call by call: what the manager does while it has it is done here, and nothing else of the call.
class Held {
 public:
  Held() : control_({.voices = 256, .journal = [](const JournalEntry&) {}}) {
    load(bank_of(1, 48000));
    for (int i = 0; i < 10256; ++i)
      ask(asked::Raise{.id = 0, .event = "calls.loop", .emitter = {}, .place = {}, .velocity = {}, .facing = {}, .traits = {}});
    step();
  }

  /// Loads and unloads 2,000 sounds that play, among 10,000 dormant loops and 256 that sound; every call counts.
  void load_and_unload(Times& loading, Times& updating) {
    const Bank other = bank_of(2000, 48000, "other");
    for (int i = 0; i < 200; ++i) {
      load(other, &loading);
      for (int frame = 0; frame < 4; ++frame) step(&updating);
      for (int n = 0; n < 20; ++n)
        ask(asked::Raise{.id = 0, .event = "other.event.1", .emitter = {}, .place = {}, .velocity = {}, .facing = {}, .traits = {}});
      unload("other", &loading);
      for (int frame = 0; frame < 4; ++frame) step(&updating);
    }
  }
  void update_only(Times& times) {
    for (int i = 0; i < 4000; ++i) step(&times);
  }
  void raise(Times& times) {
    for (int i = 0; i < 4000; ++i) {
      for (int n = 0; n < 5; ++n)
        ask(asked::Raise{.id = 0, .event = "calls.event.0", .emitter = {}, .place = {}, .velocity = {}, .facing = {}, .traits = {}}, {},
            &times);
      step();
    }
  }
  /// All that sleeps is told to go, and swept up.
  void stop(Times& times) {
    ask(asked::StopAll{}, {}, &times);
    for (int i = 0; i < 100; ++i) step(&times);
  }

 private:
  void ask(const Request& what, Extras extras = {}, Times* times = nullptr) {
    StartedSounds started;
    extras.started = &started;
    if (times != nullptr) times->begin();
    control_.settle();
    control_.ask(what, extras);
    control_.commit();
    if (times != nullptr) times->end();
  }
  void load(const Bank& bank, Times* times = nullptr) {
    LiveClips clips = *control_.library.read_clips(data_of(bank), Preload::by_book).value;
    control_.make_ready_for(data_of(bank), clips);
    Loading loading = control_.library.loaded.prepare_to_load(BankInside::of(bank), std::move(clips), 1);
    control_.number_names(loading);
    control_.driving.follow(loading.prepared.front());
    ask(asked::Load{bank.name(), bank.content()}, {.loading = &loading}, times);
  }
  void unload(std::string_view name, Times* times = nullptr) {
    Loading loading = control_.library.loaded.prepare_to_unload(name);
    ask(asked::Unload{name}, {.loading = &loading}, times);
  }
  void step(Times* times = nullptr) {
    control_.render(block_);
    std::list<LiveBank> silent;
    if (times != nullptr) times->begin();
    control_.settle();
    control_.open_update();
    control_.commit();
    if (times != nullptr) times->end();
    control_.listen();
    if (times != nullptr) times->begin();
    std::vector<ClipData> dropped;
    silent = control_.close_update(Seconds{1.0 / 60}, dropped);
    control_.commit();
    if (times != nullptr) times->end();
    control_.handing.run(control_, std::move(silent));
  }

  Control control_;
  std::vector<float> block_ = std::vector<float>(512);
};

void held() {
  Times loading, updating, raising, only, stopping;
  Held held;
  held.raise(raising);
  row("the lock is held: by a raise, pool full, 10,000 dormant", raising);
  held.update_only(only);
  row("by an update, 256 voices, 10,000 dormant", only);
  held.load_and_unload(loading, updating);
  row("by a load or unload of 2,000 sounds, the same beside it", loading);
  row("by an update between these", updating);
  held.stop(stopping);
  row("by a stop of all and the updates that sweep 10,000 sleepers", stopping);
}

double heap_mib() { return static_cast<double>(mallinfo2().uordblks) / (1 << 20); }

/// What a game that forgets to render, or floods one frame, leaves in memory, beside what it had before.
void forgetful() {
  fmt::print("\n| what a game does, journal on | {:>12} | {:>12} |\n| {:-<28} | {:->12} | {:->12} |\n", "heap before", "after", "", ":",
             ":");
  const auto row_of = [](const char* what, const std::function<void(Game&)>& work) {
    Game game(256, 64);
    Times times;
    game.frames(200, events, 20, 0, times);  // what grows once has grown
    const double before = heap_mib();
    work(game);
    fmt::print("| {:<28} | {:>8.2f} MiB | {:>8.2f} MiB |\n", what, before, heap_mib());
  };
  row_of("ten minutes without a render", [](Game& game) {
    for (int frame = 0; frame < 36'000; ++frame) {
      for (int i = 0; i < 3; ++i) game.manager().raise("calls.event.1");
      game.manager().set_gain("master", Decibels{-0.01 * (frame % 100)});
      game.manager().update(Seconds{1.0 / 60});
    }
  });
  row_of("a million raises in a frame", [](Game& game) {
    for (int i = 0; i < 1'000'000; ++i) game.manager().raise("calls.event.1");
    for (int i = 0; i < 3; ++i) game.manager().update(Seconds{1.0 / 60});
  });
}

/// An hour of the harbour, minute after minute, with a journal: what is kept in memory, and what is left over.
void hour() {
  const Bank bank = compile_book(HARBOUR_FOLDER "/book.toml");
  SoundManager manager({.journal = [](const JournalEntry&) {}, .offline = true});
  manager.load(bank);
  std::vector<float> block(1600);
  fmt::print("\n| an hour of the harbour, journal on, after | {:>10} | {:>10} |\n| {:-<41} | {:->10} | {:->10} |\n", "heap", "left over",
             "", ":", ":");
  harbour::Scene scene(manager);
  for (int minute = 1; minute <= 60; ++minute) {
    harbour::Trip trip;
    const auto frame = [&] {
      manager.update(Seconds{1.0 / 60});
      manager.render(block);
    };
    for (int at = 0; at < 60 * 60; ++at) {
      scene.play(trip, trip.advance(at / 60.0));
      frame();
    }
    if (minute % 20 != 0) continue;
    manager.stop_all();
    for (int at = 0; at < 30; ++at) frame();
    const Stats stats = manager.stats();
    fmt::print("| {:<33} minutes | {:>6.2f} MiB | {:>10} |\n", minute, heap_mib(), stats.voices + stats.fading + stats.dormant);
    std::fflush(stdout);
  }
}

}  // namespace

void print_calls_table() {
  fmt::print("\n| {:<68} | {:>8} | {:>12} | {:>12} | {:>12} |\n| {:-<68} | {:->8} | {:->12} | {:->12} | {:->12} |\n", "a call", "calls",
             "median", "99 %", "99.9 %", "", ":", ":", ":", ":");
  yardstick();
  raising("raise that starts a sound, two traits, journal on: hot", {});
  raising("the same, 20 a frame of 1,000 events, 2 MB touched between", {.variety = events, .a_frame = 20, .cold_bytes = 2 << 20});
  raising("the same hot, pool full: it steals or is refused", {.voices = 64, .length = 48000});
  raising("the same hot, 10,000 dormant", {.voices = 64, .sleepers = 10000});
  raising("the same hot, three more threads raise", {.other_threads = 3});
  held();
  holds();
  forgetful();
  hour();
}

}  // namespace tidewater::bench
