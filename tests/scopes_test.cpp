#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <random>

#include "base/random.hpp"
#include "scope_delays.hpp"
#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// A loop of a prime number of frames, so that no two places in it are alike; and what is heard of it from `first` on.
std::vector<float> loop_samples() {
  std::mt19937 random(3);
  std::normal_distribution<float> draw(0, 0.05F);
  std::vector<float> samples(10007);
  float last = 0;
  for (float& sample : samples) sample = last = 0.9F * last + 0.1F * draw(random);
  return samples;
}

const std::string world =
    "[scopes.world]\n[scopes.water]\nparent=\"world\"\n[scopes.menu]\n"
    "[groups.out]\nscope=\"world\"\n[groups.far-out]\nparent=\"out\"\n";

/// A stage whose sounds belong to the scope "world" by their group, but for those that say otherwise.
struct Scoped : Stage {
  explicit Scoped(const std::string& sounds, ManagerOptions options = {})
      : Stage(world + sounds, std::move(options), [](const Folder& folder) {
          folder.write_clip("clips/loop.wav", loop_samples());
          folder.write_clip("clips/tick.wav", std::vector<float>(50, 0.5F));
        }) {}

  /// Frames in blocks, with an update after each; of the left channel.
  std::vector<float> blocks(std::int64_t frames, int block) {
    std::vector<float> all, out;
    while (frames > 0) {
      const auto count = std::min<std::int64_t>(frames, block);
      out.resize(2 * static_cast<std::size_t>(count));
      manager->render(out);
      manager->update(seconds({count}, test_rate));
      for (std::size_t i = 0; i < out.size(); i += 2) all.push_back(out[i]);
      frames -= count;
    }
    return all;
  }
};

std::string looped(const std::string& more = {}) {
  return "[sounds.loop]\nclips=[\"loop.wav\"]\nloop=true\ngroup=\"out\"\n" + more + "[events.loop]\nstart=\"loop\"\n";
}
const std::string ticks =
    "[sounds.tick]\nclips=[\"tick.wav\"]\ngroup=\"far-out\"\n[events.tick]\nstart=\"tick\"\n"
    "[events.late]\nresponses=[{start=\"tick\", delay=\"500 ms\"}]\n"
    "[sounds.click]\nclips=[\"tick.wav\"]\nscope=\"menu\"\n[events.click]\nstart=\"click\"\n";

/// How far into `plain` the samples from `from` on lie, at `least` or after; -1 if nowhere.
std::int64_t place_in(const std::vector<float>& plain, const std::vector<float>& heard, std::size_t from, std::size_t least) {
  constexpr std::size_t enough = 400;
  for (std::size_t at = least; at + enough < plain.size(); ++at)
    if (std::equal(heard.begin() + static_cast<std::ptrdiff_t>(from), heard.begin() + static_cast<std::ptrdiff_t>(from + enough),
                   plain.begin() + static_cast<std::ptrdiff_t>(at)))
      return static_cast<std::int64_t>(at);
  return -1;
}

std::size_t differing(const std::vector<float>& heard, std::size_t from, const std::vector<float>& plain, std::size_t place,
                      std::size_t count) {
  std::size_t differ = 0;
  for (std::size_t i = 0; i < count; ++i) differ += heard[from + i] != plain[place + i] ? 1 : 0;
  return differ;
}

std::vector<std::size_t> onsets(const std::vector<float>& heard) {
  std::vector<std::size_t> found;
  for (std::size_t i = 0; i < heard.size(); ++i)
    if (heard[i] != 0 && (i == 0 || heard[i - 1] == 0)) found.push_back(i);
  return found;
}

}  // namespace

TEST_CASE("the time of a scope never goes back, is found again by its frame, and ends its ramps on whole frames") {
  Random random(5);
  const auto pick = [&](std::int64_t low, std::int64_t high) { return low + random.below(static_cast<std::uint32_t>(high - low + 1)); };
  for (int session = 0; session < times(2000, 200); ++session) {
    ScopeLaw law;
    law.time = pick(0, 1) * pick(0, 1 << 20);
    std::int64_t frame = 0;
    for (int change = 0; change < 8; ++change) {
      frame += 64 * pick(0, 2000);
      switch (pick(0, 3)) {
        case 0: law.hold({frame}, 64 * pick(4, 10)); break;
        case 1: law.resume({frame}); break;
        default: law.scale({frame}, pick(0, 2) > 0 ? unity_scale : pick(unity_scale / 64, 4 * unity_scale), pick(0, 200'000));
      }
      for (int look = 0; look < 20; ++look) {
        const MixFrame at{frame + pick(0, 100'000)};
        const std::int64_t time = law.time_at(at);
        const bool stands = law.stands_at(at);
        REQUIRE((stands ? law.time_at(at + 1) == time : law.time_at(at + 1) > time));
        const MixFrame found = law.frame_of(time);
        if (stands) {
          REQUIRE(found == MixFrame::never());  // nothing is due while it stands
        } else {
          REQUIRE(law.time_at(found) >= time);
          REQUIRE((found == law.frame || law.time_at(found - 1) < time));
        }
        REQUIRE(law.without_past(at).time_at(at + 5000) == law.time_at(at + 5000));
      }
      if (!law.holds() && law.to == unity_scale && law.quanta > 0)
        REQUIRE(law.time_at(law.frame + law.quanta * ScopeLaw::quantum) % unity_scale == 0);
    }
  }
}

TEST_CASE("in a tree of scopes that change at random, all comes due on its frame and in order") {
  const ScopeDelays delays = random_scope_delays(times(100, 6));
  CHECK(delays.due > static_cast<std::size_t>(times(10'000, 600)));
  CHECK(delays.wrong_frame == 0);
  CHECK(delays.out_of_order == 0);
  CHECK(delays.missed == 0);
}

TEST_CASE("a loop that is paused is silent, and goes on with the very next frame") {
  const std::string pitch = GENERATE(std::string(), std::string("pitch=\"2.2 st\"\nlow-pass=\"2 kHz\"\n"));
  const int block = GENERATE(64, 100, 480, 1024, 4096);
  Scoped plain(looped(pitch)), paused(looped(pitch));
  plain.raise("loop"), paused.raise("loop");
  const std::vector<float> as_ever = plain.blocks(400'000, block);
  const std::vector<float> before = paused.blocks(44'800, block);
  CHECK(paused.manager->pause("world") == Outcome::done);
  const std::vector<float> fades = paused.blocks(9'600, block);
  const std::vector<float> silence = paused.blocks(960'000, 4096);
  CHECK(std::all_of(silence.begin(), silence.end(), [](float sample) { return sample == 0; }));
  CHECK(paused.manager->resume("world") == Outcome::done);
  const std::vector<float> after = paused.blocks(150'000, block);
  const auto last = std::find_if(fades.rbegin(), fades.rend(), [](float sample) { return sample != 0; });
  const std::size_t heard = before.size() + static_cast<std::size_t>(fades.rend() - last);
  const auto first =
      static_cast<std::size_t>(std::find_if(after.begin(), after.end(), [](float sample) { return sample != 0; }) - after.begin());
  INFO("block " << block << ", heard until " << heard << ", again from " << first);
  CHECK(first < 512 + static_cast<std::size_t>(block));
  const std::size_t settled = first + 2000;
  const std::int64_t place = place_in(as_ever, after, settled, before.size());
  REQUIRE(place > 0);
  // What lies between the last frame that was heard and the first that is again: none, but for those that a fade made too faint.
  CHECK(std::abs(place - 2000 - static_cast<std::int64_t>(heard)) <= 4);
  CHECK(differing(after, settled, as_ever, static_cast<std::size_t>(place), 140'000) == 0);
}

TEST_CASE("a loop that is slowed down is lower meanwhile, and afterwards as if it had never been") {
  const bool varied = GENERATE(false, true);
  const int block = GENERATE(64, 480, 4096);
  const std::string pitch = varied ? "pitch=\"2.2 st\"\n" : "";
  Scoped plain(looped(pitch)), slowed(looped(pitch));
  plain.raise("loop"), slowed.raise("loop");
  const std::vector<float> as_ever = plain.blocks(300'000, block);
  slowed.blocks(6'400, block);
  CHECK(slowed.manager->set_time_scale("world", 0.25, Seconds{0.3}) == Outcome::done);
  slowed.blocks(144'000, block);
  CHECK(slowed.manager->set_time_scale("world", 1, Seconds{0.3}) == Outcome::done);
  const std::vector<float> after = slowed.blocks(100'000, block);
  constexpr std::size_t settled = 20'000;
  if (!varied) {
    const std::int64_t place = place_in(as_ever, after, settled, 0);
    REQUIRE(place > 0);
    CHECK(differing(after, settled, as_ever, static_cast<std::size_t>(place), 80'000) == 0);
    return;
  }
  double nearest = std::numeric_limits<double>::max(), power = 0;
  std::size_t place = 0;
  for (std::size_t at = 30'000; at < 130'000; ++at) {
    double apart = 0;
    for (std::size_t i = 0; i < 300; ++i) apart += std::pow(static_cast<double>(after[settled + i] - as_ever[at + i]), 2);
    if (apart < nearest) nearest = apart, place = at;
  }
  double apart = 0;
  for (std::size_t i = 0; i < 60'000; ++i) {
    apart += std::pow(static_cast<double>(after[settled + i] - as_ever[place + i]), 2);
    power += std::pow(static_cast<double>(as_ever[place + i]), 2);
  }
  CHECK(10 * std::log10(apart / power) < -120);
}

TEST_CASE("a scope at half speed plays an octave lower") {
  Scoped stage("[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nscope=\"world\"\n[events.hum]\nstart=\"hum\"\n");
  stage.raise("hum");
  CHECK(stage.render(Seconds{0.5}).pitch() == Approx(500).margin(0.5));
  stage.manager->set_time_scale("world", 0.5, Seconds{0.1});
  stage.render(Seconds{0.2});
  CHECK(stage.render(Seconds{0.5}).pitch() == Approx(250).margin(0.5));
  stage.manager->set_time_scale("root", 0.5, Seconds{0.1});  // one above it
  stage.render(Seconds{0.2});
  CHECK(stage.render(Seconds{0.5}).pitch() == Approx(125).margin(0.5));
}

TEST_CASE("changes of speed and pauses leave no click") {
  Scoped stage("[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nscope=\"world\"\n[events.hum]\nstart=\"hum\"\n");
  stage.raise("hum");
  std::vector<float> heard = stage.blocks(9'600, 480);
  const auto more = [&](std::int64_t frames) {
    const std::vector<float> its = stage.blocks(frames, 480);
    heard.insert(heard.end(), its.begin(), its.end());
  };
  const double steady = clicks(heard);
  stage.manager->set_time_scale("world", 0.3, Seconds{0.2});
  more(4'800);
  stage.manager->set_time_scale("world", 2, Seconds{0.1});  // while it moves
  more(9'600);
  stage.manager->pause("world");
  more(9'600);
  stage.manager->resume("world");
  more(240);
  stage.manager->pause("world");  // while it comes back
  more(9'600);
  stage.manager->set_time_scale("world", 0, Seconds{0.2});
  stage.manager->resume("world");
  more(4'800);
  stage.manager->set_time_scale("world", 1, Seconds{0.2});
  more(19'200);
  CHECK(clicks(heard) < std::max(steady + 6, -70.0));
}

TEST_CASE("delays count in the time of their scope") {
  Scoped stage(ticks);
  stage.raise("late");
  std::vector<float> heard = stage.blocks(6'400, 64);
  stage.manager->pause("world");
  const std::vector<float> paused = stage.blocks(480'000, 480);
  CHECK(onsets(paused).empty());
  stage.manager->resume("world");
  const std::vector<float> after = stage.blocks(48'000, 64);
  const auto found = onsets(after);
  REQUIRE(found.size() == 1);
  // A change reaches the first quantum that lies the limiter's delay and a quantum but one behind its call, and a pause fades for 512
  // frames.
  const auto reaches = [](std::int64_t call) { return (call + latency_frames) / 64 * 64; };
  const std::int64_t held = reaches(6'400) + 512, resumes = reaches(486'400);
  CHECK(static_cast<std::int64_t>(found[0]) == resumes + (latency_frames + 24'000 - held) - 486'400);
}

TEST_CASE("in a paused scope short sounds are refused, long ones begin and wait, and other scopes go on") {
  Scoped stage(looped() + ticks + "[sounds.long]\nclips=[\"long.wav\"]\npitch=\"-1 st\"\nscope=\"water\"\n[events.long]\nstart=\"long\"\n");
  stage.manager->pause("world");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("tick").outcome == Outcome::paused);
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Contains("scope 'world' has been paused since 0.00"));
  CHECK(stage.raise("click").outcome == Outcome::started);
  CHECK(stage.raise("loop").outcome == Outcome::started);
  CHECK(stage.raise("long").outcome == Outcome::started);
  const Take menu = stage.render(Seconds{1});
  CHECK(menu.peak() > 0.3);  // the click
  CHECK(menu.part(0.1, 0.9).peak() == 0);
  stage.manager->resume("world");
  CHECK(stage.render(Seconds{0.5}).part(0.1, 0.4).peak() > 0.2);
}

TEST_CASE("voices that stand still leave all others to those who sound") {
  ManagerOptions options;
  options.voices = 4;
  Scoped stage(looped() + "[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nscope=\"menu\"\n[events.hum]\nstart=\"hum\"\n", options);
  for (int i = 0; i < 4; ++i) stage.raise("loop");
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().voices == 4);
  stage.manager->pause("world");
  CHECK(stage.manager->stats().voices == 0);
  CHECK(stage.manager->stats().held == 4);
  for (int i = 0; i < 4; ++i) CHECK(stage.raise("hum").outcome == Outcome::started);
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().voices == 4);
  stage.manager->pause("menu");
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().voices == 0);
  stage.manager->resume("menu");
  stage.manager->resume("world");
  stage.render(Seconds{0.2});
  CHECK(stage.manager->stats().voices == 4);
  CHECK(stage.manager->stats().held == 0);
  CHECK(stage.manager->stats().playbacks == 8);
}

TEST_CASE("what is stopped while it stands still ends at once, unheard") {
  Scoped stage(looped());
  const Raised loop = stage.raise("loop");
  stage.render(Seconds{0.2});
  stage.manager->pause("world");
  stage.render(Seconds{0.2});
  CHECK(loop.playback().stop(Seconds{10}) == Outcome::done);
  CHECK(stage.render(Seconds{0.1}).peak() == 0);
  CHECK(loop.playback().ended());
}

TEST_CASE("an unknown scope, and numbers that are none, are outcomes") {
  Scoped stage(ticks);
  CHECK(stage.manager->pause("wrold") == Outcome::unknown_scope);
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Contains("no loaded bank has a scope 'wrold'; did you mean 'world'?"));
  CHECK(stage.manager->set_time_scale("world", std::nan("")) == Outcome::not_a_number);
  CHECK(stage.manager->set_time_scale("world", -1, Seconds{0}) == Outcome::done);
  stage.render(Seconds{0.1});
  CHECK(stage.raise("tick").outcome == Outcome::paused);
  CHECK(stage.manager->set_time_scale("world", 1e9, Seconds{0}) == Outcome::done);
  stage.render(Seconds{0.1});
  CHECK(stage.raise("tick").outcome == Outcome::started);
}

TEST_CASE("a thousand pauses in a frame are as many as the last says") {
  Scoped stage(looped());
  stage.raise("loop");
  stage.render(Seconds{0.2});
  for (int i = 0; i < 1000; ++i) {
    stage.manager->pause("world");
    stage.manager->resume("world");
  }
  CHECK(stage.render(Seconds{0.2}).part(0.1, 0.1).peak() > 0.01);
  for (int i = 0; i < 1000; ++i) {
    stage.manager->resume("world");
    stage.manager->pause("world");
  }
  CHECK(stage.render(Seconds{0.2}).part(0.1, 0.1).peak() == 0);
}

TEST_CASE("a scope that ends stops all that is in it and below it, and nothing starts in it until it begins") {
  Scoped stage(looped("fade-out=\"200 ms\"\n") + ticks +
               "[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nscope=\"menu\"\n[events.hum]\nstart=\"hum\"\n");
  const Raised loop = stage.raise("loop");
  stage.raise("hum");
  stage.raise("late");
  stage.render(Seconds{0.2});
  CHECK(stage.manager->end("world", Seconds{0.1}) == Outcome::done);
  stage.render(Seconds{0.2});
  CHECK(loop.playback().ended());
  CHECK(stage.manager->stats().playbacks == 1);  // the hum in the menu; the delayed tick has gone
  CHECK(stage.raise("tick").outcome == Outcome::scope_ended);
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Contains("scope 'world' ended at 0.20") && Contains("call begin(\"world\") first"));
  CHECK(stage.manager->end("water") == Outcome::already_ended);
  CHECK(stage.manager->end("world") == Outcome::already_ended);
  CHECK(stage.manager->begin("world") == Outcome::done);
  CHECK(stage.raise("loop").outcome == Outcome::started);
  CHECK(stage.raise("tick").outcome == Outcome::started);
}

TEST_CASE("when a scope restarts, a loop that is asked for again goes on without a seam, and all else leaves") {
  const std::string two = "[sounds.other]\nclips=[\"loop.wav\"]\nloop=true\nscope=\"world\"\n[events.other]\nstart=\"other\"\n";
  Scoped plain(looped()), stage(looped() + two + "[sounds.long]\nclips=[\"long.wav\"]\nscope=\"world\"\n[events.long]\nstart=\"long\"\n");
  const Raised before = stage.raise("loop"), other = stage.raise("other"), shot = stage.raise("long");
  plain.raise("loop");
  const std::vector<float> as_ever = plain.blocks(144'000, 480);
  stage.blocks(24'000, 480);
  CHECK(stage.manager->begin("world") == Outcome::done);  // it runs from here on, and what plays goes on
  stage.blocks(4'800, 480);
  CHECK(!shot.playback().ended());
  CHECK(stage.manager->begin("world") == Outcome::done);
  stage.blocks(4'800, 480);
  CHECK(shot.playback().ended());
  const Raised again = stage.raise("loop");
  CHECK(again.outcome == Outcome::went_on);
  CHECK(again.playback().id() == before.playback().id());
  CHECK(!other.playback().ended());
  stage.blocks(48'000, 480);
  CHECK(other.playback().ended());  // a second later
  CHECK(!before.playback().ended());
  const std::vector<float> after = stage.blocks(24'000, 480);
  const std::size_t now = 24'000 + 4'800 + 4'800 + 48'000;
  CHECK(differing(after, 0, as_ever, now, 24'000) == 0);
  CHECK(stage.raise("loop").outcome == Outcome::started);  // nobody waits any more: another begins
}

TEST_CASE("a restart ends a pause and slow motion, and what was paused goes on") {
  Scoped stage(looped());
  stage.raise("loop");
  stage.manager->begin("world");
  stage.manager->set_time_scale("world", 0.25, Seconds{0});
  stage.render(Seconds{0.2});
  stage.manager->pause("world");
  stage.render(Seconds{0.2});
  stage.manager->begin("world");
  CHECK(stage.raise("loop").outcome == Outcome::went_on);
  CHECK(stage.render(Seconds{0.5}).part(0.2, 0.3).peak() > 0.01);
  CHECK(stage.manager->stats().voices == 1);
}

TEST_CASE("a raise overrides the scope of an emitter, and an emitter that of a sound; it goes when the scope ends") {
  Scoped stage(ticks);
  const Emitter thing = stage.manager->make_emitter({.scope = "menu"});
  const Emitter on_it = stage.manager->make_emitter({.parent = thing});
  stage.manager->pause("world");
  stage.render(Seconds{0.1});
  CHECK(stage.raise("tick").outcome == Outcome::paused);
  CHECK(stage.manager->raise("tick", thing).outcome == Outcome::started);
  CHECK(stage.manager->raise("tick", on_it).outcome == Outcome::started);
  CHECK(stage.manager->raise("tick", {}, thing, {.scope = "water"}).outcome == Outcome::paused);
  CHECK(stage.manager->raise("tick", {.scope = "nowhere"}).outcome == Outcome::unknown_scope);
  CHECK(stage.manager->raise("click", {.scope = "root", .delay = Seconds{0.2}}).outcome == Outcome::started);
  stage.manager->end("menu");
  stage.render(Seconds{0.1});
  CHECK(!stage.manager->place(thing, {1, 2, 3}));
  CHECK(stage.manager->place(on_it, {1, 2, 3}));
}

TEST_CASE("a delay of a raise is on top of those of its responses") {
  Scoped stage(ticks);
  stage.manager->raise("late", {.delay = Seconds{0.25}});
  const auto found = onsets(stage.blocks(48'000, 480));
  REQUIRE(found.size() == 1);
  CHECK(found[0] == 36'000 + latency_frames);
}

TEST_CASE("spacing and limits look within a scope, and what is paused holds back only its own scope") {
  Scoped stage(
      "[sounds.tick]\nclips=[\"tick.wav\"]\nscope=\"world\"\nspacing=\"10 s\"\n[events.tick]\nstart=\"tick\"\n"
      "[sounds.song]\nclips=[\"loop.wav\"]\nloop=true\nscope=\"world\"\nretrigger=\"ignore\"\n[events.song]\nstart=\"song\"\n");
  CHECK(stage.raise("tick").outcome == Outcome::started);
  CHECK(stage.raise("tick").outcome == Outcome::too_soon);
  CHECK(stage.manager->raise("tick", {.scope = "menu"}).outcome == Outcome::started);
  CHECK(stage.manager->raise("tick", {.scope = "menu"}).outcome == Outcome::too_soon);
  CHECK(stage.raise("song").outcome == Outcome::started);
  CHECK(stage.manager->raise("song", {.scope = "menu"}).outcome == Outcome::already_playing);
  stage.manager->pause("world");
  CHECK(stage.raise("song").outcome == Outcome::already_playing);
  CHECK(stage.manager->raise("song", {.scope = "menu"}).outcome == Outcome::started);
}

TEST_CASE("the steps of a cadence stand still with their scope") {
  Scoped stage("[sounds.step]\nclips=[\"tick.wav\"]\nscope=\"world\"\ncadence=\"500 ms\"\n[events.walk]\nstart=\"step\"\n");
  stage.raise("walk");
  CHECK(onsets(stage.blocks(48'000, 480)).size() == 2);
  stage.manager->pause("world");
  CHECK(onsets(stage.blocks(480'000, 480)).empty());
  stage.manager->resume("world");
  CHECK(onsets(stage.blocks(96'000, 480)).size() == 4);
  stage.manager->set_time_scale("world", 0.5, Seconds{0});
  CHECK(onsets(stage.blocks(192'000, 480)).size() == 4);
}

TEST_CASE("a playback says what it is doing and where it is, and a manager whether a sound plays") {
  ManagerOptions options;
  options.voices = 1;
  Scoped stage(looped() +
                   "[sounds.hum]\nclips=[\"hum.wav\"]\nloop=true\nrank=9\nscope=\"menu\"\n[events.hum]\nstart=\"hum\"\n"
                   "[sounds.once]\nclips=[\"long.wav\"]\n[events.once]\nresponses=[{start=\"once\", delay=\"800 ms\"}]\n",
               options);
  const Emitter thing = stage.manager->make_emitter();
  CHECK(!stage.manager->plays("loop"));
  const Playback loop = stage.manager->raise("loop", thing).playback();
  CHECK(loop.state() == PlaybackState::sounds);
  CHECK(stage.manager->plays("loop"));
  CHECK(stage.manager->plays("loop", thing));
  CHECK(!stage.manager->plays("loop", Emitter{77}));
  CHECK(!stage.manager->plays("hum"));
  CHECK(!stage.manager->plays("nothing"));
  stage.render(Seconds{0.1});
  CHECK(loop.position().value == Approx(0.1 - latency_frames / 48000.0).margin(0.001));
  const Playback hum = stage.raise("hum").playback();
  stage.render(Seconds{0.1});
  CHECK(loop.state() == PlaybackState::dormant);
  CHECK(loop.position().value == Approx(0.2 - latency_frames / 48000.0).margin(0.001));
  const Playback once = stage.raise("once").playback();
  CHECK(once.state() == PlaybackState::waits);
  CHECK(once.position().value == 0);
  stage.manager->pause("root");
  stage.render(Seconds{0.1});
  CHECK(hum.state() == PlaybackState::held);
  CHECK(loop.state() == PlaybackState::held);
  const Seconds stood = loop.position();
  stage.render(Seconds{1});
  CHECK(loop.position() == stood);
  stage.manager->resume("root");
  Playback gone = hum;
  gone.stop(Seconds{0});
  CHECK(!stage.manager->plays("hum"));
  stage.render(Seconds{0.1});
  CHECK(gone.state() == PlaybackState::over);
  CHECK(gone.position() == Seconds{0});
  CHECK(Playback().state() == PlaybackState::over);
}

TEST_CASE("a stop without a time goes by the book's fade-out") {
  Scoped stage(looped("fade-out=\"400 ms\"\n"));
  Playback loop = stage.raise("loop").playback();
  stage.render(Seconds{0.2});
  CHECK(loop.stop() == Outcome::done);
  stage.render(Seconds{0.3});
  CHECK(!loop.ended());
  stage.render(Seconds{0.2});
  CHECK(loop.ended());
}

TEST_CASE("a delay that is nearly over when its scope pauses ends on its frame after the pause") {
  Scoped stage(ticks);
  stage.raise("late");
  const std::int64_t call = 12'000;  // a quarter of a second before it is heard it would ask for a voice
  std::vector<float> heard = stage.blocks(call, 480);
  stage.manager->pause("world");
  CHECK(onsets(stage.blocks(48'000, 480)).empty());
  stage.manager->resume("world");
  const auto found = onsets(stage.blocks(48'000, 480));
  REQUIRE(found.size() == 1);
  const auto reaches = [](std::int64_t at) { return (at + latency_frames) / 64 * 64; };
  CHECK(static_cast<std::int64_t>(found[0]) == reaches(call + 48'000) + (latency_frames + 24'000 - reaches(call) - 512) - call - 48'000);
}
