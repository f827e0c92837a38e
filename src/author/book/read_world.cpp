#include "author/book/read_world.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "author/book/keys.hpp"
#include "base/nearest.hpp"

namespace tidewater {
namespace {

constexpr Metres least_near{0.01};
constexpr std::size_t most_falloff_points = 64;

/// "2 m" and "-6 dB"; false where it is something else, of which the book says so.
bool read_point(Problems& problems, const toml::node& node, FalloffPoint& point) {
  const auto* pair = node.as_array();
  const auto* at = pair == nullptr || pair->size() != 2 ? nullptr : pair->get_as<std::string>(0);
  const auto* level = at == nullptr ? nullptr : pair->get_as<std::string>(1);
  if (level == nullptr) {
    problems.add(problems.at(node), "a point of 'distance' is a distance and a level, such as [\"30 m\", \"-24 dB\"]");
    return false;
  }
  const Read<Metres> metres = read_metres(at->get());
  const Read<Decibels> decibels = read_decibels(level->get());
  for (const std::string* problem : {&metres.problem, &decibels.problem})
    if (!problem->empty()) problems.add(problems.at(node), "'distance': " + *problem);
  if (!metres.value || !decibels.value) return false;
  point = {*metres.value, *decibels.value};
  return true;
}

void read_points(Problems& problems, const toml::node& node, const toml::array& list, WorldDesign& world) {
  world.falloff = Falloff::points;
  if (list.size() < 2 || list.size() > most_falloff_points)
    return problems.add(problems.at(node), fmt::format("'distance' has {} points; it needs from 2 to {}, such as [[\"2 m\", \"0 dB\"], "
                                                       "[\"30 m\", \"-24 dB\"]]",
                                                       list.size(), most_falloff_points));
  for (const auto& item : list) {
    FalloffPoint point;
    if (!read_point(problems, item, point)) return;
    if (!world.points.empty() && point.at <= world.points.back().at)
      return problems.add(problems.at(item),
                          fmt::format("the point at {} comes after the one at {}; put points in order of distance, each at one of its own",
                                      to_text(point.at), to_text(world.points.back().at)));
    world.points.push_back(point);
  }
}

void read_distance(Problems& problems, const Keys& table, WorldDesign& world) {
  const toml::node* node = table.get("distance");
  if (node == nullptr) return;
  if (const auto* list = node->as_array()) return read_points(problems, *node, *list, world);
  std::string word;
  read_word(problems, table, "distance", {falloff_words.begin(), falloff_words.end()}, word);
  const auto found = std::find(falloff_words.begin(), falloff_words.end(), word);
  if (found != falloff_words.end()) world.falloff = static_cast<Falloff>(found - falloff_words.begin());
}

void read_cone(Problems& problems, const Keys& table, ConeDesign& cone) {
  const toml::node* node = table.get("cone");
  if (node == nullptr) return;
  const auto* its = node->as_table();
  if (its == nullptr)
    return problems.add(problems.at(*node), "'cone' is a table, such as { inner = \"90 deg\", outer = \"200 deg\", outside = \"-12 dB\" }");
  check_keys(problems, *its, "a cone", {"inner", "outer", "outside"});
  read_quantity(problems, *its, "inner", read_degrees, cone.inner);
  if (!its->contains("outer")) cone.outer = cone.inner;
  read_quantity(problems, *its, "outer", read_degrees, cone.outer);
  cone.outside = {-12};
  read_quantity(problems, *its, "outside", read_decibels, cone.outside);
  if (!its->contains("inner")) problems.add(problems.at(*node), "a cone needs its inner angle, such as inner = \"90 deg\"");
  if (cone.outer < cone.inner)
    problems.add(problems.at(*node),
                 fmt::format("the cone's outer angle, {}, is smaller than its inner one, {}", to_text(cone.outer), to_text(cone.inner)));
  if (cone.outside > Decibels{0})
    problems.add(problems.at(*node), "outside its cone a sound cannot be louder than inside; 0 dB is the most");
}

}  // namespace

void read_world(Problems& problems, const Keys& table, BookSound& sound) {
  WorldDesign& world = sound.world;
  read_distance(problems, table, world);
  read_cone(problems, table, world.cone);
  const auto wrong = [&](std::string_view key, std::string message) { problems.add(problems.at(*table.get(key)), std::move(message)); };
  if (world.place == Where::screen) {
    world = {};  // what it may have taken over from another has no effect; checking says so of what it has itself
    return;
  }
  if (table.contains("near") && world.full_within < least_near) wrong("near", "'near' must be 1 cm at least: the level is full within");
  if (world.silent_from <= world.full_within) {
    const std::string_view key = table.contains("far") ? "far" : "near";
    if (table.contains(key))
      wrong(key, fmt::format("near, {}, must be less than far, {}: between them the level falls", to_text(world.full_within),
                             to_text(world.silent_from)));
  }
  if (table.contains("radius") && world.radius >= world.silent_from)
    wrong("radius", fmt::format("the radius, {}, must be less than far, {}", to_text(world.radius), to_text(world.silent_from)));
  if (!world.points.empty() && world.points.back().at > world.silent_from)
    wrong("distance", fmt::format("its last point, {}, lies beyond far, {}, where nothing is heard any more",
                                  to_text(world.points.back().at), to_text(world.silent_from)));
}

}  // namespace tidewater
