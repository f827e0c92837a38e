#include <algorithm>
#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <functional>
#include <limits>
#include <sstream>
#include <thread>

#include "author/pack/write_design.hpp"
#include "base/hold_up.hpp"
#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

constexpr int sessions = times(120, 12);
constexpr int live_sessions = times(100, 6);
[[maybe_unused]] constexpr int held_up_sessions = times(60, 6);

const std::string book = R"(
[groups.effects]
limit = 14
when-full = "quietest"
[groups.near]
parent = "effects"
limit = 5
when-full = "farthest"
[groups.music]
player = true
duck = [ { for = "near", by = "-8 dB", hold = "50 ms", release = "100 ms" } ]
[moods.dim]
fade-in = "80 ms"
groups = { effects = { gain = "-9 dB", low-pass = "1 kHz" }, music = { gain = "silent" } }
[moods.bright]
rank = 7
fade-out = "0 s"
groups = { effects = { gain = "2 dB" }, near = { high-pass = "300 Hz" } }
[gauges.throttle]
smoothing = "40 ms"
[gauges.wind]
from = -3
to = 5
default = 1
[sounds.step]
group = "near"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-12 dB .. -6 dB"
[sounds.hum]
group = "music"
preload = false
clips = ["hum.wav"]
loop = true
gain = "-12 dB"
fade-in = "20 ms"
fade-out = "150 ms"
follow = [ { gauge = "wind", gain = [[-3, "-20 dB"], [5, "3 dB"]], pitch = [[-3, "0 st"], [5, "4 st"]] }, { gauge = "throttle", low-pass = [[0, "400 Hz"], [1, "none"]] } ]
[sounds.both]
group = "effects"
rank = 6
layers = [ { clips = ["hum.wav"], loop = true, start-at = "anywhere" }, { clips = ["longer.wav"], delay = "0 ms .. 700 ms", chance = "70 %" }, { clips = ["tone.wav"] } ]
[sounds.again]
clips = ["tone.wav", "low.wav"]
retrigger = "restart"
fade-out = "40 ms"
delay = "0 ms .. 200 ms"
[sounds.few]
group = "effects"
clips = ["longer.wav"]
limit = 2
when-full = "quietest"
spacing = "70 ms"
gain = "-20 dB .. 0 dB"
pan = "80 % left .. 80 % right"
[sounds.pieces]
group = "near"
clips = { by = "surface", steel = ["n-1.wav"], planks = ["n-2.wav", "n-3.wav"], otherwise = ["long.wav"] }
pick-for = "each-emitter"
low-pass = "500 Hz .. 8 kHz"
rank = 4
[sounds.song]
group = "music"
scope = "world"
clips = ["longer.wav"]
loop = true
stream = true
rank = 7
[sounds.buoy]
group = "near"
scope = "water"
clips = ["hum.wav"]
loop = true
place = "world"
far = "60 m"
fade-out = "30 ms"
follow = [
  { gauge = "throttle", gain = [[0, "silent"], [0.4, "-20 dB"], [1, "0 dB"]], pitch = [[0, "-5 st"], [1, "7 st"]], between = "smooth" },
  { gauge = "distance", low-pass = [["5 m", "none"], ["40 m", "900 Hz"]], gain = [["0 m", "-12 dB"], ["10 m", "3 dB"], ["60 m", "0 dB"]] },
]
[sounds.splash]
group = "effects"
clips = ["n-*.wav", "longer.wav"]
place = "world"
distance = "linear"
cone = { inner = "90 deg", outer = "180 deg", outside = "-9 dB" }
rank = 6
follow = [ { gauge = "height", pitch = [["-2 m", "-3 st"], ["2 m", "3 st"]] }, { gauge = "wind", high-pass = [[-3, "none"], [5, "600 Hz"]] } ]
[sounds.lamp]
scope = "water"
layers = [
  { clips = ["hum.wav"], loop = true, follow = [ { gauge = "throttle", gain = [[0, "0 dB"], [1, "silent"]], between = "step" } ] },
  { clips = ["low.wav"], loop = true, follow = [ { gauge = "speed", gain = [["0 m/s", "-9 dB"], ["20 m/s", "0 dB"]] } ] },
]
follow = [ { gauge = "wind", gain = [[-3, "-9 dB"], [5, "0 dB"]] } ]
place = "world"
limit = 2
when-full = "newest"
when-gone = "finish"
[sounds.tread]
group = "near"
scope = "world"
clips = { by = "surface", steel = ["n-1.wav"], planks = ["n-2.wav", "n-3.wav"], otherwise = ["longer.wav", "n-4.wav"] }
cadence = "90 ms .. 400 ms"
place = "world"
far = "50 m"
limit = 3
follow = [ { gauge = "throttle", cadence = [[0, "x0"], [0.3, "x0.6"], [1, "x3"]], gain = [[0, "-9 dB"], [1, "0 dB"]] } ]
[sounds.clock]
scope = "menu"
clips = ["n-5.wav", "low.wav"]
cadence = "170 ms"
retrigger = "ignore"
pitch = "-1 st .. 1 st"
delay = "0 ms .. 30 ms"
fade-out = "30 ms"
follow = [ { gauge = "wind", cadence = [[-3, "x0.2"], [5, "x4"]], pitch = [[-3, "0 st"], [5, "2 st"]] } ]
[scopes.world]
fade-out = "60 ms"
grace = "300 ms"
[scopes.water]
parent = "world"
pause-fade = "40 ms"
[scopes.menu]
mood = "bright"
[events.tread-on]
responses = [ { start = "tread" }, { start = "clock", delay = "400 ms" } ]
[events.rest]
responses = [ { stop = "clock" }, { stop = "tread" } ]
[events.buoy]
responses = [ { start = "buoy" }, { start = "lamp", delay = "300 ms" } ]
[events.splash]
start = "splash"
[events.dark]
responses = [ { stop = "lamp" }, { start = "splash", delay = "700 ms" } ]
[events.step]
responses = [ { start = "step" }, { start = "step", delay = "77 ms" } ]
[events.hum]
start = "hum"
[events.hush]
responses = [ { stop = "hum" }, { stop = "song", fade = "90 ms", delay = "310 ms" }, { start = "few", delay = "900 ms" } ]
[events.both]
start = "both"
[events.again]
start = "again"
[events.few]
start = "few"
[events.walk]
start = "pieces"
[events.song]
responses = [ { start = "song" }, { start = "song", delay = "1.5 s" } ]
[events.wired]
responses = [
  { raise = "step", gain = "-3 dB" }, { raise = "ring", delay = "40 ms .. 300 ms", chance = "90 %" },
  { start = "few", gain = "-6 dB", delay = "0 s .. 200 ms", when = { surface = ["steel", "mud"] } },
]
[events.ring]
responses = [
  { raise = "splash", for = "all" }, { raise = "ring", delay = "120 ms", chance = "80 %" },
  { pause = "buoy", delay = "50 ms" }, { resume = "buoy", delay = "200 ms .. 600 ms" },
]
[events.quiet]
responses = [
  { call-off = "ring" }, { call-off = "wired", for = "all" }, { fade = "hum", to = "-9 dB", over = "80 ms", for = "scope" },
  { stop = "splash", for = "action" }, { mute = "near" }, { unmute = "near", delay = "150 ms" },
  { level = "music", to = "-6 dB", over = "200 ms" }, { begin-mood = "dim", delay = "0 s .. 90 ms" }, { end-mood = "bright" },
]
[events.still]
responses = [
  { pause = "hum", for = "all" }, { pause = "tread" }, { pause = "clock" }, { pause = "song", for = "all" },
  { pause = "both", for = "scope" }, { pause = "again", chance = "50 %" },
]
[events.stir]
responses = [
  { resume = "hum", for = "all" }, { resume = "tread" }, { resume = "clock" }, { resume = "song", for = "all" },
  { resume = "both", for = "all" }, { resume = "again" },
  { end-mood = "dim", chance = "70 %" },
  { gauge = "throttle", to = 0.7 }, { gauge = "wind", to = 2, for = "all", delay = "100 ms" },
]
[tracks.march]
clips = ["longer.wav"]
stream = true
tempo = "240 bpm"
metre = "3/4"
parts = [ { name = "opening", bars = 1 }, { name = "round", bars = 1, loop = true }, { name = "ending", bars = 1 } ]
scope = "world"
group = "music"
[tracks.waltz]
stems = [
  { clips = ["long.wav"] },
  { clips = ["long.wav"], follow = [ { gauge = "throttle", on = "bar", gain = [[0, "silent"], [1, "0 dB"]] } ] },
]
tempo = "240 bpm"
parts = [ { bars = 1 }, { bars = 1, loop = true } ]
again = "goes-on"
scope = "world"
by = "cross"
over = "300 ms"
[tracks.waltz.from.march]
on = "beat"
by = "bridge"
bridge = "rush"
[tracks.lull]
clips = ["low.wav"]
scope = "menu"
by = "cross"
over = "200 ms"
fade-in = "100 ms"
fade-out = "150 ms"
[tracks.lull.from.waltz]
on = "part"
[tracks.rush]
clips = ["n-1.wav"]
tempo = "600 bpm"
metre = "1/4"
parts = [ { bars = 1 } ]
[tracks.mixed]
list = ["rush", "flute"]
pause = "20 ms .. 200 ms"
[tracks.flute]
clips = ["tone.wav"]
loop = false
[tracks.horns]
clips = ["n-2.wav"]
stand = "yard"
stop-after = "700 ms"
[events.music]
responses = [ { play = "march", when = { surface = "steel" } }, { play = "waltz", when = { surface = "planks" }, delay = "100 ms" }, { play = "horns" } ]
[events.lull]
responses = [ { play = "lull", chance = "60 %" }, { start = "step", on = "beat" }, { start = "pieces", on = "bar", delay = "50 ms" } ]
[events.silence]
responses = [ { leave = "main", on = "end", chance = "50 %" }, { leave = "yard", fade = "50 ms" } ]
[events."hauled.begun"]
responses = [ { start = "hum" }, { raise = "ring" } ]
[events."hauled.completed"]
responses = [ { stop = "hum", for = "action" }, { fade = "splash", to = "silent", over = "30 ms", for = "action" }, { call-off = "ring", for = "action" } ]
)";

/// Comes and goes beside it.
const std::string other_book = R"(
[book]
name = "other"
[groups.far]
preload = false
high-pass = "200 Hz"
[sounds.horn]
group = "far"
clips = ["low.wav"]
loop = true
fade-out = "200 ms"
limit = 2
[sounds.tread]
group = "far"
clips = ["n-4.wav", "n-5.wav"]
rank = 8
[events.horn]
start = "horn"
[events.tread]
start = "tread"
)";

std::atomic<int> turned{0};  ///< sounds that tools have turned in all sessions

/// A part of a game that asks for anything at any time.
class Asker {
 public:
  Asker(SoundManager& manager, std::span<const Bank> banks, std::uint64_t seed) : manager_(manager), banks_(banks), random_(seed) {}

  /// Goes on with another manager, as `other` would with its own.
  Asker(const Asker& other, SoundManager& manager) : manager_(manager), banks_(other.banks_), random_(other.random_) {
    for (const Playback& playback : other.playbacks_) playbacks_.push_back(manager.find(playback.id()));
    emitters_ = other.emitters_;
  }
  bool no_actions = false;  ///< set if the session is saved: a guard does not move to the restored manager

  void ask() {
    for (std::uint32_t i = random_.below(4); i > 0; --i) request();
  }
  void request();
  Random& random() { return random_; }

 private:
  Playback& someone() {
    if (playbacks_.empty()) playbacks_.emplace_back();
    return playbacks_[random_.below(static_cast<std::uint32_t>(playbacks_.size()))];
  }

  Place a_place() {
    const double wide = random_.below(4) == 0 ? 120 : 20;
    return {random_.between(-wide, wide), random_.between(-2, 2), random_.between(-wide, wide)};
  }
  Vector a_vector() {
    return {static_cast<float>(random_.between(-30, 30)), static_cast<float>(random_.between(-3, 3)),
            static_cast<float>(random_.between(-30, 30))};
  }
  Name a_scope() {
    static const std::vector<const char*> scopes = {"root", "world", "water", "water", "menu", "nowhere"};
    return {scopes[random_.below(static_cast<std::uint32_t>(scopes.size()))]};
  }
  Emitter an_emitter() { return emitters_.empty() ? Emitter{} : emitters_[random_.below(static_cast<std::uint32_t>(emitters_.size()))]; }
  void change_world();
  void change_scopes();
  void ask_oddly();
  void turn();

  Seconds time() { return Seconds{random_.below(3) == 0 ? 0 : random_.between(0, 0.4)}; }
  const Bank& a_bank() { return banks_[random_.below(static_cast<std::uint32_t>(banks_.size()))]; }

  /// A bank that is there already is refused, before anything is noted.
  void load(const Bank& bank) {
    try {
      manager_.load(bank, static_cast<Preload>(random_.below(3)));
    } catch (const Error&) {
    }
  }

  /// The other, and a version of it, agree with the first; two versions of the first may come in either order.
  void reload(const Bank& bank) {
    try {
      manager_.reload(bank, static_cast<Preload>(random_.below(3)));
    } catch (const Error&) {
    }
  }

  SoundManager& manager_;
  std::span<const Bank> banks_;
  Random random_;
  std::vector<Playback> playbacks_;
  Action action_;
  std::vector<Emitter> emitters_;
};

/// Things come, go and move; so do listeners.
void Asker::change_world() {
  switch (random_.below(14)) {
    case 0:
      emitters_.push_back(manager_.make_emitter({.place = a_place(),
                                                 .velocity = random_.below(2) == 0 ? a_vector() : Vector{},
                                                 .facing = random_.below(2) == 0 ? a_vector() : Vector{},
                                                 .parent = random_.below(4) == 0 ? an_emitter() : Emitter{},
                                                 .traits = {},
                                                 .scope = random_.below(5) == 0 ? a_scope() : Name("")}));
      break;
    case 1: manager_.remove_emitter(an_emitter()); break;
    case 2: manager_.attach(an_emitter(), random_.below(3) == 0 ? Emitter{} : an_emitter()); break;
    case 3: manager_.set_facing(an_emitter(), a_vector()); break;
    case 4: manager_.set_velocity(an_emitter(), a_vector()); break;
    case 5: manager_.remove_listener(random_.below(2)); break;
    case 8: manager_.set_gauge(random_.below(5) == 0 ? "throttle" : "wind", random_.between(-4, 6)); break;
    case 9: {
      std::vector<float> values(emitters_.size());
      for (float& value : values) value = static_cast<float>(random_.between(-0.2, 1.2));
      manager_.set_gauge(random_.below(3) == 0 ? "wind" : "throttle", emitters_, values);
      break;
    }
    case 10: manager_.set_gauge("throttle", an_emitter(), static_cast<float>(random_.between(0, 1))); break;
    case 6:
    case 7:
      manager_.set_listener(random_.below(2),
                            {.place = a_place(), .facing = a_vector(), .up = {0, 1, 0}, .velocity = a_vector(), .gain = {}});
      break;
    default: {
      std::vector<Place> places(emitters_.size());
      for (Place& place : places) place = a_place();
      manager_.place(emitters_, places);
    }
  }
}

/// Pauses, slow motion, ends and restarts, often several at once.
void Asker::change_scopes() {
  const Name scope = a_scope();
  switch (random_.below(9)) {
    case 0:
    case 1: manager_.pause(scope); break;
    case 2: manager_.set_time_scale(scope, random_.between(0, 4), time()); break;
    case 3: manager_.set_time_scale(scope, random_.below(3) == 0 ? 0 : random_.between(0, 1), time()); break;
    case 4: manager_.set_time_scale(scope, 1, time()); break;
    case 5: manager_.begin(scope); break;
    case 6:
      if (random_.below(3) == 0) manager_.end(scope);
      if (random_.below(3) == 0) manager_.end(scope, time());
      break;
    default: manager_.resume(scope); break;
  }
  if (random_.below(3) == 0) manager_.resume(a_scope());
  if (random_.below(4) == 0) manager_.begin(a_scope());
}

/// A tool turns a sound: its own design again, or another gain, pitch, pan and filter of one that plays; sometimes of the wrong sound.
void Asker::turn() {
  const BankData& bank = data_of(a_bank());
  if (bank.sounds.empty() || bank.root() != bank.name) return;
  BankSound sound = bank.sounds[random_.below(static_cast<std::uint32_t>(bank.sounds.size()))];
  const std::string name = random_.below(12) == 0 ? bank.sounds[0].name : sound.name;
  const auto spread = [&](auto& range, double low, double high) {
    if (random_.below(3) == 0) return;
    range.low.value = random_.between(low, high);
    range.high.value = random_.between(range.low.value, high);
  };
  spread(sound.gain, -30, 3);
  spread(sound.pitch, -4, 4);
  spread(sound.pan, -1, 1);
  if (sound.low_pass.high.value > 0) spread(sound.low_pass, 300, 9000);
  for (BankLayer& layer : sound.layers) spread(layer.gain, -9, 0);
  if (sound.world.place == Where::world) sound.world.silent_from = {random_.between(10, 90)};
  if (random_.below(4) == 0) sound.limit = random_.below(4);
  if (random_.below(4) == 0) sound.spacing = Seconds{random_.between(0, 0.1)};
  if (random_.below(4) == 0) sound.rank = static_cast<int>(random_.below(9));
  const std::string design = text_of_design(bank, random_.below(8) == 0 ? bank.sounds[0] : sound);
  if (manager_.turn(bank.name, Name(name), design) == Outcome::done) ++turned;
}

/// Requests that no game makes on purpose but any game can make by mistake: handles that never existed, NaN, unknown names.
void Asker::ask_oddly() {
  const double none = std::numeric_limits<double>::quiet_NaN(), endless = std::numeric_limits<double>::infinity();
  const PlaybackId never{random_.below(4) == 0 ? ~std::uint64_t{0} : random_.below(3000), random_.below(3) == 0 ? ~0U : random_.below(10),
                         random_.below(3)};
  const double odd = random_.below(3) == 0 ? none : random_.below(2) == 0 ? endless : -endless;
  switch (random_.below(18)) {
    case 0: manager_.find(never).stop(time()); break;
    case 1: manager_.find(never).bend(Semitones{3}, time()); break;
    case 2: manager_.find(never).set_gain(Decibels{odd}); break;
    case 3: someone().set_gain(Decibels{odd}, time()); break;
    case 4: someone().stop(Seconds{none}); break;
    case 5: manager_.set_gain("music", Decibels{none}); break;
    case 6: manager_.set_gauge("wind", odd); break;
    case 7: manager_.set_listener(random_.below(12), {.place = {odd, 0, 0}}); break;
    case 8: manager_.remove_listener(random_.below(12)); break;
    case 9: manager_.raise(""); break;
    case 10: manager_.raise("\xff\"\n", {{"", ""}, {"surface", "\xfe"}}); break;
    case 11: manager_.raise("tread-on", {{"surface", "steel"}, {"surface", "planks"}}, an_emitter()); break;
    case 12: manager_.raise("splash", {}, Place{odd, 0, 2e9}); break;
    case 13: manager_.raise("tread", {}, Emitter{random_.bits()}); break;
    case 14: manager_.set_time_scale(a_scope(), odd, time()); break;
    case 15: manager_.set_time_scale("world", 0.5, Seconds{odd}); break;
    case 16: manager_.end("nowhere"); break;
    default: manager_.unload(""); break;
  }
}

void Asker::request() {
  if (random_.below(3) == 0) change_world();
  if (random_.below(4) == 0) change_scopes();
  static const std::vector<const char*> events = {"step", "hum",   "hush",  "both",   "again", "few",      "walk",     "song", "nobody",
                                                  "horn", "tread", "buoy",  "splash", "dark",  "tread-on", "tread-on", "rest", "wired",
                                                  "ring", "quiet", "still", "stir",   "stir",  "music",    "music",    "lull", "silence"};
  static const std::vector<const char*> groups = {"master", "effects", "near", "music", "none", "far"};
  static const std::vector<const char*> surfaces = {"steel", "planks", "mud"};
  const Name group(groups[random_.below(static_cast<std::uint32_t>(groups.size()))]);
  static const std::vector<const char*> tracks = {"march", "waltz", "lull", "rush", "mixed", "horns", "nothing"};
  switch (random_.below(32)) {
    case 17:
      if (random_.below(4) == 0) manager_.leave(random_.below(3) == 0 ? "yard" : "main");
      if (random_.below(6) == 0) manager_.leave("main", time());
      break;
    case 20: manager_.set_mood(random_.below(2) == 0 ? "dim" : random_.below(5) == 0 ? "gloom" : "bright", random_.below(2) == 0); break;
    case 21: manager_.set_player_level(group, random_.between(-0.2, 1.2)); break;
    case 22: manager_.set_player_switch(group, random_.below(2) == 0); break;
    case 18: manager_.play(tracks[random_.below(static_cast<std::uint32_t>(tracks.size()))]); break;
    case 0: someone().stop(time()); break;
    case 1: someone().set_gain(Decibels{random_.between(-30, 6)}, time()); break;
    case 2: someone().bend(Semitones{random_.between(-14, 14)}, time()); break;
    case 3: someone().set_pan(Pan{random_.between(-1, 1)}, time()); break;
    case 4: someone().set_low_pass(Hertz{random_.between(200, 9000)}, time()); break;
    case 5: someone().set_high_pass(Hertz{random_.below(2) == 0 ? 0 : random_.between(20, 900)}, time()); break;
    case 6: manager_.set_gain(group, Decibels{random_.between(-20, 3)}, time()); break;
    case 7: manager_.set_mute(group, random_.below(2) == 0); break;
    case 8: manager_.set_low_pass(group, Hertz{random_.between(300, 12000)}, time()); break;
    case 9: manager_.set_high_pass(group, Hertz{random_.below(2) == 0 ? 0 : random_.between(20, 400)}, time()); break;
    case 10:
      if (random_.below(12) == 0) manager_.stop_all(time());
      break;
    case 11:
      if (random_.below(8) == 0 && manager_.unload(a_bank().name(), random_.below(2) == 0 ? WhatPlays::fades : WhatPlays::finishes) &&
          random_.below(2) == 0)
        manager_.update({});
      break;
    case 12:
      if (random_.below(3) == 0) load(a_bank());
      if (random_.below(4) == 0) reload(a_bank());
      break;
    case 13: manager_.prefetch(events[random_.below(static_cast<std::uint32_t>(events.size()))]); break;
    case 14: ask_oddly(); break;
    case 19: turn(); break;
    case 15:
      if (no_actions) break;
      action_ = manager_.begin_action("hauled", an_emitter());
      if (random_.below(2) == 0) action_.complete();
      break;
    case 16: action_.complete(); break;
    default: {
      const std::vector<Trait> traits = {{"surface", surfaces[random_.below(3)]}};
      const Name event(events[random_.below(static_cast<std::uint32_t>(events.size()))]);
      const auto its = random_.below(2) == 0 ? std::span<const Trait>(traits) : std::span<const Trait>();
      RaiseChanges changes;
      if (random_.below(5) == 0) changes.scope = a_scope();
      if (random_.below(6) == 0) changes.delay = time();
      const Raised raised = random_.below(4) == 0
                                ? manager_.raise(event, its, a_place(), changes)
                                : manager_.raise(event, its, random_.below(3) == 0 ? Emitter{random_.below(5)} : an_emitter(), changes);
      for (std::size_t i = 0; i < raised.count; ++i) playbacks_.push_back(raised.playbacks[i]);
    }
  }
}

/// What a game asked for, and what was heard.
struct Session {
  std::string journal;
  std::vector<float> samples;
  std::size_t width = 2;

  std::size_t frames() const { return samples.size() / width; }
  std::string frame(std::ptrdiff_t sample) const { return std::to_string(static_cast<std::size_t>(sample) / width); }

  std::unique_ptr<SoundManager> begin(std::span<const Bank> banks, Random& random, bool offline) {
    ManagerOptions options{.voices = 1 + random.below(6), .seed = random.bits()};
    options.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; };
    options.offline = offline;
    options.quality = random.below(2) == 0 ? Quality::fine : Quality::standard;
    options.layout = random.below(4) == 0 ? static_cast<Layout>(random.below(4)) : Layout::stereo;
    width = static_cast<std::size_t>(channels(options.layout));
    options.limiter = random.below(4) != 0;
    options.clip_memory = random.below(3) == 0 ? 0 : random.below(400'000);
    if (random.below(4) == 0) {  // tight rooms
      options.playbacks = options.voices + random.below(12);
      options.emitters = random.below(4);
    }
    auto manager = std::make_unique<SoundManager>(std::move(options));
    if (random.below(8) != 0 && !banks.empty()) manager->load(banks[0], static_cast<Preload>(random.below(3)));
    return manager;
  }

  void render(SoundManager& manager, std::uint32_t frames) {
    const std::size_t before = samples.size();
    samples.resize(before + width * frames);
    manager.render(std::span(samples).subspan(before));
  }
};

/// In orders and in blocks that nobody would write, on one thread.
Session play_offline(std::span<const Bank> banks, std::uint64_t seed) {
  Session session;
  Random random(seed);
  auto manager = session.begin(banks, random, true);
  Asker game(*manager, banks, random.bits());
  const bool updates = seed % 8 != 0;  // some games never do
  while (session.frames() < std::size_t{4} * 48000) {
    game.ask();
    if (random.below(8) != 0 && updates) manager->update(Seconds{0.01});
    game.ask();
    if (random.below(12) == 0 && updates) manager->update(Seconds{0.01});
    for (std::uint32_t i = 0; i <= random.below(2); ++i) session.render(*manager, 1 + random.below(random.below(4) == 0 ? 4000 : 900));
  }
  manager.reset();
  return session;
}

/// A game frame of anything, in blocks of any size.
void play_on(Session& session, SoundManager& manager, Asker& game) {
  game.ask();
  if (game.random().below(8) != 0) manager.update(Seconds{0.01});
  game.ask();
  for (std::uint32_t i = 0; i <= game.random().below(2); ++i)
    session.render(manager, 1 + game.random().below(game.random().below(4) == 0 ? 4000 : 900));
}

/// A journal begins its sums anew.
std::string without_sums(const std::string& journal) {
  std::istringstream lines(journal);
  std::string all;
  for (std::string line; std::getline(lines, line);)
    if (line.find("\"second\":") == std::string::npos) all += line + "\n";
  return all;
}

/// Saved in the middle, and restored into a new manager: whether both go on the same.
std::string difference_after_saving(std::span<const Bank> banks, std::uint64_t seed) {
  Session session, restored;
  Random random(seed), again(seed);
  auto manager = session.begin(banks, random, true);
  Asker game(*manager, banks, random.bits());
  game.no_actions = true;
  const std::size_t middle = 10'000 + random.below(100'000);
  while (session.frames() < middle) play_on(session, *manager, game);
  if (random.below(2) == 0) game.ask();  // on its way to the audio thread when all is saved
  manager->update({});
  const std::size_t heard = session.samples.size(), noted = session.journal.size();
  const std::vector<std::byte> saved = manager->save();

  auto other = restored.begin({}, again, true);
  other->restore(saved, banks);
  other->update({});
  restored.journal.clear();
  Asker its(game, *other);
  its.no_actions = true;
  while (session.samples.size() < heard + session.width * 96'000) {
    play_on(session, *manager, game);
    play_on(restored, *other, its);
  }
  manager.reset();
  other.reset();
  const auto [first, ignored] =
      std::mismatch(restored.samples.begin(), restored.samples.end(), session.samples.begin() + static_cast<std::ptrdiff_t>(heard));
  if (first != restored.samples.end()) return "from frame " + session.frame(first - restored.samples.begin()) + " on";
  const std::string went_on = without_sums(session.journal.substr(noted));
  std::istringstream ours(without_sums(restored.journal)), theirs(went_on);
  for (std::string one, other_one; std::getline(theirs, other_one);)
    if (!std::getline(ours, one) || one != other_one) return "in its journal:\n  " + one + "\nin place of\n  " + other_one;
  return "";
}

/// Rendered at a pace of its own while four threads ask.
Session play_live(std::span<const Bank> banks, std::uint64_t seed) {
  Session session;
  Random random(seed);
  auto manager = session.begin(banks, random, false);
  session.samples.reserve(session.width * 3 * 48000);
  std::atomic<bool> done{false};
  std::vector<std::thread> threads;
  for (int i = 0; i < 4; ++i)
    threads.emplace_back([&, i, its_seed = random.bits()] {
      Asker game(*manager, banks, its_seed);
      while (!done) {
        game.ask();
        if (i == 0 && seed % 6 != 0) manager->update(Seconds{0.001});  // some games never do
        if (game.random().below(3) != 0) std::this_thread::sleep_for(std::chrono::microseconds(game.random().below(400)));
      }
    });
  const std::uint32_t longest = random.below(2) == 0 ? 100 : 2000;
  // A device that is opened late: thousands of commands wait for it.
  if (seed % 5 == 1) std::this_thread::sleep_for(std::chrono::milliseconds(random.below(60)));
  while (session.frames() < std::size_t{2} * 48000) {
    session.render(*manager, 1 + random.below(longest));
    if (random.below(3) != 0) std::this_thread::sleep_for(std::chrono::microseconds(random.below(300)));
  }
  done = true;
  for (auto& thread : threads) thread.join();
  manager.reset();
  return session;
}

#ifdef TIDEWATER_HOLD_UPS
/// Has each point hold its thread up in some of the passages, each at a rate of its own. Ends with the object.
struct HeldUp {
  explicit HeldUp(std::uint64_t seed) {
    Random random(seed);
    for (HoldUps::One& point : hold_ups.points) {
      point.chance = random.below(3) == 0 ? 0 : random.below(2500);
      point.longest = random.below(4) == 0 ? 0 : 1 + random.below(3000);
    }
  }
  ~HeldUp() { hold_ups.clear(); }
  HeldUp(const HeldUp&) = delete;
  HeldUp& operator=(const HeldUp&) = delete;
};
#endif

/// Whether a session's journal gives its samples again; where it does not, from which frame on.
std::string difference(const Session& session, std::span<const Bank> banks, bool with_journal) {
  const JournalScript script = parse_journal(session.journal, "j");
  ManagerOptions options = options_of(script);
  std::string other;
  if (with_journal)
    options.journal = [&](const JournalEntry& entry) {
      const auto* notice = entry.as<noted::Notice>();
      if (notice != nullptr && notice->why.find("other than the recording") != std::string::npos) other = notice->why;
    };
  SoundManager manager(std::move(options));
  std::vector<float> again;
  again.reserve(session.samples.size());
  replay(script, banks, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
  manager.update({});
  if (again == session.samples) return other;
  const auto [first, ignored] = std::mismatch(again.begin(), again.end(), session.samples.begin(), session.samples.end());
  return "from frame " + session.frame(first - again.begin()) + " of " + std::to_string(session.frames());
}

/// From files: what is not preloaded is read while they play. A bank, another, a version of the first, and two that change the first.
std::vector<Bank> all_banks(const Folder& folder, const std::string& first) {
  write_stage_clips(folder);
  folder.write("book.toml", book_head + first);
  folder.write("other.toml", other_book);
  std::string version = first;  // of the first: one sound is another, one is gone, one is new
  version.replace(version.find("clips = [\"n-*.wav\"]"), 19, "clips = [\"n-2.wav\", \"low.wav\"]");
  folder.write("version.toml",
               book_head + version + "[sounds.new]\nclips = [\"wide.wav\"]\nloop = true\n[events.nobody]\nstart = \"new\"\n");
  std::vector<Bank> banks;
  for (const std::string name : {"book", "other", "version"}) {
    const std::string file = folder.path(name + ".tidebank");
    write_bank(compile_book(folder.path(name + ".toml")), file);
    banks.push_back(open_bank(file));
  }
  std::string hum = first;
  hum.replace(hum.find("clips = [\"hum.wav\"]"), 19, "clips = [\"tone.wav\"]\nlimit = 2");
  folder.write("hum.toml", book_head + hum);
  for (const std::string name : {"version", "hum"}) {
    const ReadBook changed = read_book(folder.path(name + ".toml"));
    const PackOptions options{.patch_of = {folder.path("book.tidebank")}, .patch_name = "patch-" + name, .priority = name == "hum" ? 2 : 1};
    banks.push_back(open_bank(pack(changed.book, folder.path(), options).front().file));
  }
  return banks;
}

/// A busy machine may read streams too late, and a replay plays them in time.
std::string book_without_streams() {
  const std::string key = "stream = true\n";
  std::string unstreamed = book;
  for (std::size_t at = 0; (at = unstreamed.find(key)) != std::string::npos;) unstreamed.erase(at, key.size());
  return unstreamed;
}

void check_replays(int count, const std::function<std::string(std::uint64_t seed)>& difference_of) {
  int different = 0;
  std::string which;
  for (int seed = 1; seed <= count; ++seed) {
    const std::string its = difference_of(static_cast<std::uint64_t>(seed));
    if (its.empty()) continue;
    ++different;
    which += "\n" + std::to_string(seed) + " " + its;
  }
  INFO("other samples in " << different << " of " << count << ": " << which);
  CHECK(different == 0);
}

}  // namespace

TEST_CASE("any session gives the same samples when its journal is played again") {
  const Folder folder;  // what streams is read from it as it plays
  const std::vector<Bank> banks = all_banks(folder, book);
  check_replays(sessions, [&](std::uint64_t seed) { return difference(play_offline(banks, seed), banks, seed % 2 == 0); });
  CHECK(turned > sessions);
}

TEST_CASE("a crowded session that is saved in the middle goes on bit for bit the same in another manager") {
  const Folder folder;
  const std::vector<Bank> banks = all_banks(folder, book);
  check_replays(sessions / 2, [&](std::uint64_t seed) { return difference_after_saving(banks, seed); });
}

TEST_CASE("a saved state that is damaged, of other options or without its banks is refused, and nothing is left of it") {
  const Folder folder;
  const std::vector<Bank> banks = all_banks(folder, book);
  SoundManager manager({.offline = true});
  manager.load(banks[0]);
  manager.raise("hum");
  std::vector<float> block(9000);
  manager.render(block);
  const std::vector<std::byte> saved = manager.save();
  using Catch::Matchers::Contains;
  {
    SoundManager other({.voices = 3, .offline = true});
    CHECK_THROWS_WITH(other.restore(saved, banks), Contains("other options: voices: 64 when it was saved, 3 here"));
  }
  SoundManager other({.offline = true});
  CHECK_THROWS_WITH(other.restore(saved, {}), "the state was saved with a bank 'stage' that is not given");
  folder.write("book.toml", book_head + book + "[events.new]\nstart = \"hum\"\n");
  const std::vector<Bank> changed = {compile_book(folder.path("book.toml"))};
  CHECK_THROWS_WITH(other.restore(saved, changed), "the bank 'stage' is not as it was when the state was saved");
  for (std::size_t size = 0; size < saved.size(); size += 1 + size / 4)
    CHECK_THROWS_AS(other.restore(std::span(saved).first(size), banks), Error);
  std::vector<std::byte> damaged = saved;
  damaged[damaged.size() / 2] ^= std::byte{16};
  CHECK_THROWS_WITH(other.restore(damaged, banks), "the saved state is damaged");
  CHECK(other.stats().playbacks == 0);
  other.restore(saved, banks);
  CHECK(other.stats().playbacks == 1);
  CHECK_THROWS_WITH(other.restore(saved, banks), Contains("that was just made"));
}

TEST_CASE("a restore that fails on the way leaves the manager as it was, and it plays on") {
  const Folder folder;
  const std::vector<Bank> banks = all_banks(folder, book);
  SoundManager manager({.offline = true});
  manager.load(banks[0]);
  for (int i = 0; i < 20; ++i) manager.raise("both"), manager.raise("hum");
  std::vector<float> block(9000);
  manager.render(block);
  manager.update({});
  const std::vector<std::byte> saved = manager.save();
  // A disk that breaks once the bank is open.
  const std::string bytes = folder.read("book.tidebank");
  bool broken = false;
  const BankSource source{bytes.size(), [&](std::uint64_t at, std::span<std::byte> to) {
                            if (broken) return false;
                            std::memcpy(to.data(), bytes.data() + at, to.size());
                            return true;
                          }};
  const std::vector<Bank> brittle = {*read_bank(source, "brittle").value};
  broken = true;
  SoundManager other({.offline = true});
  CHECK(!other.try_restore(saved, brittle).empty());
  CHECK(other.stats().playbacks == 0);
  other.render(block);
  for (const float sample : block) REQUIRE(sample == 0);
  broken = false;
  SoundManager live({.offline = false});
  CHECK_THAT(live.try_restore(saved, banks), Catch::Matchers::Contains("offline: true when it was saved, false here"));
  SoundManager touched({.offline = true});
  touched.set_listener(0, {});
  CHECK_THAT(touched.try_restore(saved, banks), Catch::Matchers::Contains("that was just made"));
  SoundManager good({.offline = true});
  CHECK(good.try_restore(saved, banks).empty());
  CHECK(good.stats().playbacks > 0);
}

TEST_CASE("a session that four threads play live gives the same samples when its journal is played again") {
  const std::string unstreamed = book_without_streams();
  const Folder folder;
  const std::vector<Bank> banks = all_banks(folder, unstreamed);
  check_replays(live_sessions, [&](std::uint64_t seed) { return difference(play_live(banks, seed), banks, seed % 2 == 0); });
}

#ifdef TIDEWATER_HOLD_UPS
TEST_CASE("a live session replays in whatever order its threads come") {
  const std::string unstreamed = book_without_streams();
  const Folder folder;
  const std::vector<Bank> banks = all_banks(folder, unstreamed);
  check_replays(held_up_sessions, [&](std::uint64_t seed) {
    Session session;
    {
      const HeldUp held(seed);
      session = play_live(banks, seed);
    }
    return difference(session, banks, seed % 2 == 0);
  });
}
#endif

TEST_CASE("what is raised while a block is rendered keeps its time inside it: a slow block makes no burst of a steady gun") {
  Stage stage("[sounds.gun]\nclips=[\"n-1.wav\"]\n[events.gun]\nstart=\"gun\"\n", {}, {}, true);
  constexpr int block = 4800;  // a tenth of a second
  std::vector<double> raised;  // seconds
  std::atomic<bool> done{false};
  std::thread audio([&] {
    std::vector<float> samples(std::size_t{2} * block);
    for (auto next = std::chrono::steady_clock::now(); !done; std::this_thread::sleep_until(next += std::chrono::milliseconds(100)))
      stage.manager->render(samples);
  });
  auto next = std::chrono::steady_clock::now();
  for (int i = 0; i < 40; ++i) {
    std::this_thread::sleep_until(next += std::chrono::milliseconds(37));
    raised.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count());
    stage.raise("gun");
  }
  done = true;
  audio.join();
  stage.manager->update({});
  const auto starts = stage.starts();
  REQUIRE(starts.size() == raised.size());
  // Half of them at least, however busy the machine: without it they would be up to a tenth of a second off, and few of them near.
  std::vector<double> off;
  for (std::size_t i = 5; i < starts.size(); ++i)
    off.push_back(std::abs(seconds(starts[i].starts - starts[i - 1].starts, test_rate).value - (raised[i] - raised[i - 1])));
  std::sort(off.begin(), off.end());
  CHECK(off[off.size() / 2] < 0.008);
}
