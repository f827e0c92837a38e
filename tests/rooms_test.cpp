#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <string>
#include <vector>

// How the rooms of src/ may use one another, as CONTRIBUTING.md draws it.

namespace {

namespace fs = std::filesystem;

/// A room uses those above it.
const std::vector<std::string> in_order = {"base",  "dsp",    "mix",    "media",  "bank",  "request", "terms", "notebook",
                                           "world", "choose", "voices", "scopes", "drive", "groups",  "music", "play"};
/// These do not know one another: only `play` knows them all.
const std::array<std::string, 7> siblings = {"world", "choose", "voices", "scopes", "drive", "groups", "music"};
/// Side wings, which no room uses, with what they may use besides rooms.
const std::map<std::string, std::vector<std::string>> wings = {
    {"journal", {}}, {"author", {"journal"}}, {"device", {}}, {"picture", {"journal"}}, {"settings", {}}, {"desk", {"journal", "author"}}};

std::ptrdiff_t place(const std::string& room) { return std::find(in_order.begin(), in_order.end(), room) - in_order.begin(); }
bool is_sibling(const std::string& room) { return std::find(siblings.begin(), siblings.end(), room) != siblings.end(); }

/// Returns why an include is forbidden, or an empty text.
std::string problem_of(const std::string& from, const std::string& to) {
  if (from == to) return {};
  if (const auto wing = wings.find(from); wing != wings.end()) {
    const bool may = !wings.contains(to) || std::find(wing->second.begin(), wing->second.end(), to) != wing->second.end();
    return may ? "" : "a side wing uses another";
  }
  if (wings.contains(to)) return "a room uses a side wing";
  if (place(to) == static_cast<std::ptrdiff_t>(in_order.size())) return "there is no such room";
  if (place(to) > place(from)) return "an arrow goes up";
  return is_sibling(from) && is_sibling(to) ? "siblings know one another" : "";
}

}  // namespace

TEST_CASE("rooms use only rooms above them, and siblings do not know one another") {
  const std::regex include(R"re(^#include "([a-z]+)/[^"]+")re");
  std::size_t arrows = 0;
  for (const auto& file : fs::recursive_directory_iterator(PROJECT_FOLDER "/src")) {
    if (file.path().extension() != ".hpp" && file.path().extension() != ".cpp") continue;
    const fs::path inside = fs::relative(file.path(), PROJECT_FOLDER "/src");
    const std::string from = inside.begin()->string();
    std::ifstream text(file.path());
    for (std::string line; std::getline(text, line);) {
      std::smatch found;
      if (!std::regex_search(line, found, include) || found[1] == "tidewater") continue;
      INFO(inside.string() << ": " << line);
      CHECK(problem_of(from, found[1]) == "");
      ++arrows;
    }
  }
  CHECK(arrows > 500);
}

TEST_CASE("what the rule of rooms forbids is found") {
  CHECK(problem_of("voices", "bank") == "");
  CHECK(problem_of("play", "world") == "");
  CHECK(problem_of("journal", "play") == "");
  CHECK(problem_of("voices", "world") == "siblings know one another");
  CHECK(problem_of("bank", "play") == "an arrow goes up");
  CHECK(problem_of("play", "journal") == "a room uses a side wing");
}
