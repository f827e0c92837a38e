/// The header that `tidewater_names` writes, as a game uses it. tests/names/book.toml has the book.

#include <catch2/catch.hpp>
#include <type_traits>

#include "names.hpp"
#include "process.hpp"
#include "stage.hpp"
#include "tidewater/guards.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

// A name is refused in the place of another kind, while any text is accepted.
static_assert(std::is_convertible_v<const char*, EventName> && std::is_convertible_v<std::string, EventName>);
static_assert(std::is_convertible_v<Name, GroupName> && std::is_convertible_v<EventName, Name>);
static_assert(!std::is_convertible_v<GroupName, EventName> && !std::is_constructible_v<ScopeName, GaugeName>);
template <class N>
concept CanBeRaised = requires(SoundManager& manager, N name) {
  manager.raise(name);
};
static_assert(CanBeRaised<decltype(Kelp_Quay::event::new_)> && !CanBeRaised<decltype(Kelp_Quay::group::music)>);
template <class N>
concept CanBePaused = requires(SoundManager& manager, N name) {
  manager.pause(name);
};
static_assert(CanBePaused<decltype(Kelp_Quay::scope::world)> && !CanBePaused<decltype(Kelp_Quay::event::new_)>);

TEST_CASE("a game raises events, sets groups and passes traits by the names of a book") {
  namespace quay = Kelp_Quay;
  CHECK(quay::event::passenger_stepped.text() == "passenger.stepped");
  CHECK(quay::event::passenger_stepped.hash() == Name("passenger.stepped").hash());
  CHECK(quay::event::n2nd_bell.text() == "2nd bell");
  CHECK(quay::event::fu00e4hre_links.text() == "f\xc3\xa4hre--links");
  CHECK(quay::group::far_away.text() == "far away");
  CHECK(quay::gauge::throttle.text() == "throttle");
  CHECK(quay::sound::step.text() == "step");
  CHECK(quay::event_::class_.name.text() == "event");
  REQUIRE(quay::surface::all.size() == 3);
  CHECK(quay::surface::all[1].value.text() == "wet planks");
  CHECK(quay::surface::all_.value.text() == "all");

  SoundManager manager({.offline = true});
  manager.load(compile_book(NAMES_BOOK));
  CHECK(plays(manager.raise(quay::event::passenger_stepped, {quay::surface::wet_planks}).outcome));
  CHECK(manager.set_gain(quay::group::music, Decibels{-3}) == Outcome::done);
  CHECK(manager.pause(quay::scope::world) == Outcome::done);
  CHECK(manager.set_gauge(quay::gauge::throttle, 0.5) == Outcome::done);
  CHECK(manager.plays(quay::sound::step));
  Action haul = manager.begin_action(quay::action::net_hauled);
  CHECK(plays(haul.begun().outcome));
  CHECK(haul.complete().outcome == Outcome::done);
}

TEST_CASE("names that come out alike are refused, and a header is written only if it changes") {
  const Folder folder;
  const auto book = [&](const std::string& events) {
    std::string text = "[book]\nname = \"quay\"\n[sounds.step]\nsketch = { like = \"step\" }\n";
    for (const char* name : {"one", "two"}) text += std::string("[events.\"bell.") + name + "\"]\nstart = \"step\"\n";
    folder.write("book.toml", text + events);
  };
  const std::string call = "names " + folder.path("book.toml") + " --output " + folder.path("names.hpp");
  book("");
  const Ran first = run(folder, BUILD_FOLDER "/tidewater " + call);
  CHECK(first.exit == 0);
  CHECK_THAT(first.out, Contains("names; quay::event::NAME is an event"));
  CHECK_THAT(folder.read("names.hpp"), Contains("inline constexpr tidewater::EventName bell_one{\"bell.one\", 0x"));
  const auto written = std::filesystem::last_write_time(folder.path("names.hpp"));
  CHECK_THAT(run(folder, BUILD_FOLDER "/tidewater " + call).out, Contains("as they were"));
  CHECK(std::filesystem::last_write_time(folder.path("names.hpp")) == written);

  book("[events.bell-one]\nstart = \"step\"\n");
  const Ran alike = run(folder, BUILD_FOLDER "/tidewater " + call);
  CHECK(alike.exit == 1);
  CHECK_THAT(alike.err, Contains("the events 'bell-one' and 'bell.one' would both be 'bell_one' in code"));

  book("[events.bad]\nstart = \"stepp\"\n");  // code still compiles while somebody works on the book
  const Ran unfinished = run(folder, BUILD_FOLDER "/tidewater " + call + " --json");
  CHECK(unfinished.exit == 0);
  CHECK_THAT(unfinished.err, Contains("there is no sound 'stepp'"));
  CHECK_THAT(folder.read("names.hpp"), Contains("\"identifier\": \"bell_two\"") && Contains("\"hash\": \""));
}
