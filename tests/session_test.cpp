#include <catch2/catch.hpp>

#include "base/random.hpp"
#include "stage.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

#ifdef TIDEWATER_SANITIZED
constexpr int sessions = 30;
#else
constexpr int sessions = 300;
#endif

const std::string book = R"(
[groups.effects]
[groups.near]
parent = "effects"
[groups.music]
[sounds.step]
group = "near"
clips = ["n-*.wav"]
pitch = "-3 st .. 3 st"
gain = "-12 dB .. -6 dB"
[sounds.hum]
group = "music"
clips = ["hum.wav"]
loop = true
gain = "-12 dB"
fade-in = "20 ms"
fade-out = "150 ms"
[sounds.both]
group = "effects"
rank = 6
layers = [ { clips = ["hum.wav"], loop = true, start-at = "anywhere" }, { clips = ["longer.wav"], delay = "0 ms .. 300 ms", chance = "70 %" }, { clips = ["tone.wav"] } ]
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
clips = ["longer.wav"]
loop = true
stream = true
rank = 7
[events.step]
responses = [ { start = "step" }, { start = "step", delay = "77 ms" } ]
[events.hum]
start = "hum"
[events.hush]
responses = [ { stop = "hum" }, { stop = "song", fade = "90 ms" } ]
[events.both]
start = "both"
[events.again]
start = "again"
[events.few]
start = "few"
[events.walk]
start = "pieces"
[events.song]
start = "song"
)";

/// Comes and goes beside it, and has one event of its own in the same name.
const std::string other_book = R"(
[book]
name = "other"
[groups.master]
gain = "-3 dB"
[groups.far]
high-pass = "200 Hz"
[sounds.horn]
group = "far"
clips = ["low.wav"]
loop = true
fade-out = "200 ms"
limit = 2
[sounds.step]
group = "far"
clips = ["n-4.wav", "n-5.wav"]
rank = 8
[events.horn]
start = "horn"
[events.step]
start = "step"
)";

/// A game that asks for anything at any time, in orders and in blocks that nobody would write.
class Session {
 public:
  Session(std::span<const Bank> banks, std::uint64_t seed) : random_(seed), banks_(banks) {
    ManagerOptions options{.voices = 1 + random_.below(6), .seed = seed};
    options.journal = [&](const JournalEntry& entry) { journal += to_json(entry) + "\n"; };
    options.offline = true;
    manager_ = std::make_unique<SoundManager>(std::move(options));
    if (random_.below(8) != 0) manager_->load(banks_[0]);
  }

  void play() {
    std::int64_t left = 4 * 48000;
    while (left > 0) {
      ask();
      if (random_.below(8) != 0) manager_->update(Seconds{0.01});
      ask();
      if (random_.below(12) == 0) manager_->update(Seconds{0.01});
      for (std::uint32_t i = 0; i <= random_.below(2); ++i) render(1 + random_.below(random_.below(4) == 0 ? 4000 : 900), left);
    }
    manager_.reset();
  }

  std::string journal;
  std::vector<float> samples;

 private:
  void render(std::int64_t frames, std::int64_t& left) {
    std::vector<float> block(static_cast<std::size_t>(2 * frames));
    manager_->render(block);
    samples.insert(samples.end(), block.begin(), block.end());
    left -= frames;
  }

  void ask() {
    for (std::uint32_t i = random_.below(4); i > 0; --i) request();
  }

  Playback& someone() {
    if (playbacks_.empty()) playbacks_.emplace_back();
    return playbacks_[random_.below(static_cast<std::uint32_t>(playbacks_.size()))];
  }

  Seconds time() { return Seconds{random_.below(3) == 0 ? 0 : random_.between(0, 0.4)}; }

  void request() {
    static const std::vector<const char*> events = {"step", "hum", "hush", "both", "again", "few", "walk", "song", "nobody", "horn"};
    static const std::vector<const char*> groups = {"master", "effects", "near", "music", "none", "far"};
    static const std::vector<const char*> surfaces = {"steel", "planks", "mud"};
    const Name group(groups[random_.below(static_cast<std::uint32_t>(groups.size()))]);
    switch (random_.below(24)) {
      case 0: someone().stop(time()); break;
      case 1: someone().set_gain(Decibels{random_.between(-30, 6)}, time()); break;
      case 2: someone().bend(Semitones{random_.between(-14, 14)}, time()); break;
      case 3: someone().set_pan(Pan{random_.between(-1, 1)}, time()); break;
      case 4: someone().set_low_pass(Hertz{random_.between(200, 9000)}, time()); break;
      case 5: someone().set_high_pass(Hertz{random_.below(2) == 0 ? 0 : random_.between(20, 900)}, time()); break;
      case 6: manager_->set_gain(group, Decibels{random_.between(-20, 3)}, time()); break;
      case 7: manager_->set_mute(group, random_.below(2) == 0); break;
      case 8: manager_->set_low_pass(group, Hertz{random_.between(300, 12000)}, time()); break;
      case 9: manager_->set_high_pass(group, Hertz{random_.below(2) == 0 ? 0 : random_.between(20, 400)}, time()); break;
      case 10:
        if (random_.below(12) == 0) manager_->stop_all(time());
        break;
      case 11:
        if (random_.below(8) == 0 && manager_->unload(a_bank().name()) && random_.below(2) == 0) manager_->update({});
        break;
      case 12:
        if (random_.below(3) == 0) load(a_bank());
        break;
      default: {
        const std::vector<Trait> traits = {{"surface", surfaces[random_.below(3)]}};
        const Name event(events[random_.below(static_cast<std::uint32_t>(events.size()))]);
        const Raised raised =
            manager_->raise(event, random_.below(2) == 0 ? std::span<const Trait>(traits) : std::span<const Trait>(), random_.below(5));
        for (std::size_t i = 0; i < raised.count; ++i) playbacks_.push_back(raised.playbacks[i]);
      }
    }
  }

  const Bank& a_bank() { return banks_[random_.below(static_cast<std::uint32_t>(banks_.size()))]; }

  /// A bank that is there already is refused, before anything is noted.
  void load(const Bank& bank) {
    try {
      manager_->load(bank);
    } catch (const Error&) {
    }
  }

  Random random_;
  std::span<const Bank> banks_;
  std::unique_ptr<SoundManager> manager_;
  std::vector<Playback> playbacks_;
};

}  // namespace

TEST_CASE("any session gives the same samples when its journal is played again") {
  Folder folder;
  write_stage_clips(folder);
  folder.write("book.toml", book_head + book);
  folder.write("other.toml", other_book);
  const std::vector<Bank> banks = {compile_book(folder.path("book.toml")), compile_book(folder.path("other.toml"))};
  int different = 0;
  std::string which;
  for (int seed = 1; seed <= sessions; ++seed) {
    Session session(banks, static_cast<std::uint64_t>(seed));
    session.play();
    const JournalScript script = parse_journal(session.journal, "j");
    SoundManager manager(options_of(script));
    std::vector<float> again;
    again.reserve(session.samples.size());
    replay(script, banks, manager, [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
    if (again != session.samples) {
      ++different;
      which += std::to_string(seed) + " ";
    }
  }
  INFO("other samples in " << different << " of " << sessions << ": " << which);
  CHECK(different == 0);
}
