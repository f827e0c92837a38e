#include <catch2/catch.hpp>

#include "base/nearest.hpp"

using namespace tidewater;

TEST_CASE("a misspelt name finds the one that was meant") {
  const std::vector<std::string_view> known = {"ferry.docked", "ferry.departed", "rain.began", "bell"};
  CHECK(nearest_name("ferry.doked", known) == "ferry.docked");
  CHECK(nearest_name("Ferry_Docked", known) == "ferry.docked");
  CHECK(nearest_name("bel", known) == "bell");
  CHECK(nearest_name("menu.opened", known).empty());
  CHECK(did_you_mean("rain.begun", known) == "; did you mean 'rain.began'?");
}
