#include <catch2/catch.hpp>
#include <optional>
#include <thread>

#include "stage.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

const std::string haul =
    "[sounds.creak]\nclips=[\"hum.wav\"]\nloop=true\nfade-out=\"200 ms\"\n[sounds.thud]\nclips=[\"tone.wav\"]\n"
    "[sounds.snap]\nclips=[\"low.wav\"]\n[events.creaked]\nstart=\"creak\"\n"
    "[events.\"net.hauled.begun\"]\nstart=\"creak\"\n"
    "[events.\"net.hauled.completed\"]\nresponses=[{stop=\"creak\"}, {start=\"thud\"}]\n"
    "[events.\"net.hauled.called-off\"]\nresponses=[{stop=\"creak\"}, {start=\"snap\"}]\n";

/// The events that were raised, in order.
std::vector<std::string> raised(const Stage& stage) {
  std::vector<std::string> events;
  for (const asked::Raise& raise : stage.requests<asked::Raise>()) events.emplace_back(raise.event.text());
  return events;
}

}  // namespace

TEST_CASE("what plays while a guard lives stops by the book when the guard goes") {
  Stage stage(haul);
  {
    const PlayingWhile creak = stage.manager->play_while("creaked");
    CHECK(creak.raised().outcome == Outcome::started);
    CHECK(stage.render(Seconds{0.3}).part(0.1, 0.2).peak() > 0.1);
  }
  CHECK(stage.render(Seconds{0.1}).peak() > 0.1);  // it fades for 200 ms
  stage.render(Seconds{0.15});
  CHECK(stage.render(Seconds{0.1}).peak() == 0);
}

TEST_CASE("a guard that is moved stops once, and one that takes another's place stops its own first") {
  Stage stage(haul);
  PlayingWhile first = stage.manager->play_while("creaked");
  PlayingWhile second = std::move(first);
  first.stop();  // NOLINT: it is of nothing now
  stage.render(Seconds{0.1});
  CHECK(stage.manager->stats().voices == 1);
  second = stage.manager->play_while("creaked");
  CHECK(stage.manager->stats().voices == 1);
  CHECK(stage.manager->stats().fading == 1);
  second.stop();
  second.stop();
  CHECK(stage.manager->stats().voices == 0);
}

TEST_CASE("an action raises its stages once each, and is called off if nobody ends it") {
  Stage stage(haul);
  const Emitter winch = stage.manager->make_emitter();
  {
    Action one = stage.manager->begin_action("net.hauled", winch);
    CHECK(one.begun().outcome == Outcome::started);
    CHECK(one.under_way());
    CHECK(one.complete().outcome == Outcome::started);
    CHECK(one.complete().outcome == Outcome::already_ended);
    CHECK(one.interrupt().outcome == Outcome::already_ended);
  }
  {
    Action two = stage.manager->begin_action("net.hauled", winch);
    Action moved = std::move(two);
    CHECK(!two.under_way());  // NOLINT
    CHECK(two.complete().outcome == Outcome::already_ended);
  }
  {
    Action three = stage.manager->begin_action("net.hauled");
    CHECK(three.interrupt().outcome == Outcome::done);  // the book has no sound for that, and none is missed
  }
  stage.render(Seconds{0.1});
  CHECK(raised(stage) == std::vector<std::string>{"net.hauled.begun", "net.hauled.completed", "net.hauled.begun", "net.hauled.called-off",
                                                  "net.hauled.begun"});
}

TEST_CASE("an action that no bank knows is told once") {
  Stage stage(haul);
  {
    Action action = stage.manager->begin_action("net.hauld");
    CHECK(action.begun().outcome == Outcome::unknown_event);
  }
  stage.render(Seconds{0.1});
  CHECK_THAT(stage.why(), Catch::Matchers::Contains("no loaded bank has this event"));
}

TEST_CASE("handles and guards may outlive their manager, on any thread") {
  std::optional<PlayingWhile> wind;
  std::optional<Action> action;
  Playback playback;
  {
    Stage stage(haul);
    wind = stage.manager->play_while("creaked");
    action = stage.manager->begin_action("net.hauled");
    playback = wind->raised().playback();
    CHECK(!playback.ended());
    std::thread elsewhere([&] {
      for (int i = 0; i < 1000; ++i) playback.set_gain(Decibels{-1.0 * (i % 20)});
    });
    stage.render(Seconds{0.05});
    elsewhere.join();
  }
  Stage other(haul);  // one in its place
  other.raise("creaked");
  std::thread([&] {
    CHECK(playback.ended());
    CHECK(playback.state() == PlaybackState::over);
    CHECK(playback.stop() == Outcome::already_ended);
    CHECK(action->complete().outcome == Outcome::already_ended);
    wind.reset();
  }).join();
  CHECK(other.manager->stats().voices == 1);
}

TEST_CASE("a manager that goes while handles are used waits for them") {
  for (int round = 0; round < times(50, 10); ++round) {
    auto stage = std::make_unique<Stage>(haul);
    const Playback playback = stage->raise("creaked").playback();
    std::thread user([&] {
      Playback its = playback;
      while (its.set_gain(Decibels{-3}) == Outcome::done) {
      }
    });
    stage->manager.reset();
    user.join();
  }
}
