#include "author/book/event_circles.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>
#include <limits>
#include <map>
#include <set>
#include <unordered_map>
#include <utility>

namespace tidewater {
namespace {

constexpr std::size_t none = ~std::size_t{0};

/// A response that raises an event.
struct Edge {
  std::size_t to = 0;
  double delay = 0, chance = 1;
  const BookResponse* response = nullptr;
};

/// The raises of each event, by its number in the book.
using Graph = std::vector<std::vector<Edge>>;
/// A value for each trait; empty for one that no response asks for.
using Traits = std::map<std::string, std::string>;

Graph graph_of(const Book& book) {
  std::unordered_map<std::string, std::size_t> numbers;
  for (std::size_t e = 0; e < book.events.size(); ++e) numbers.emplace(book.events[e].name, e);
  Graph graph(book.events.size());
  for (std::size_t e = 0; e < book.events.size(); ++e)
    for (const BookResponse& its : book.events[e].responses) {
      if (its.verb != Verb::raise || its.left_out >= 1) continue;
      if (const auto to = numbers.find(its.target); to != numbers.end())
        graph[e].push_back({to->second, its.delay.low.value, 1 - its.left_out, &its});
    }
  return graph;
}

/// Returns every combination of values of the traits that raises ask for. If there are too many, returns one that meets every `when`.
std::vector<Traits> choices_of(const Graph& graph) {
  constexpr std::size_t most = 4096;
  std::map<std::string, std::set<std::string>> values;
  for (const auto& edges : graph)
    for (const Edge& edge : edges)
      for (const BookTrait& trait : edge.response->when) values[trait.name].insert(trait.value);
  std::vector<Traits> choices = {{}};
  for (const auto& [trait, its] : values) {
    std::vector<Traits> more;
    for (const Traits& choice : choices) {
      Traits other = choice;
      other[trait];
      more.push_back(other);
      for (const std::string& value : its) {
        other[trait] = value;
        more.push_back(other);
      }
    }
    choices = std::move(more);
    if (choices.size() > most) return {{}};
  }
  return choices;
}

/// A trait that is missing in `traits` counts as met.
bool meets(const BookResponse& response, const Traits& traits) {
  std::map<std::string, bool> met;
  for (const BookTrait& asked : response.when) {
    const auto its = traits.find(asked.name);
    bool& any = met[asked.name];
    any = any || its == traits.end() || its->second == asked.value;
  }
  return std::all_of(met.begin(), met.end(), [](const auto& its) { return its.second; });
}

Graph only(const Graph& graph, const Traits& traits) {
  Graph some = graph;
  for (auto& edges : some) std::erase_if(edges, [&](const Edge& edge) { return !meets(*edge.response, traits); });
  return some;
}

/// Returns the strongly connected components (R. Tarjan, Depth-first search and linear graph algorithms, 1972), without recursion.
std::vector<std::vector<std::size_t>> components_of(const Graph& graph) {
  std::vector<std::size_t> index(graph.size(), none), low(graph.size(), 0), next(graph.size(), 0), open, path;
  std::vector<bool> is_open(graph.size(), false);
  std::vector<std::vector<std::size_t>> components;
  std::size_t count = 0;
  const auto enter = [&](std::size_t v) {
    index[v] = low[v] = count++;
    open.push_back(v);
    is_open[v] = true;
    path.push_back(v);
  };
  for (std::size_t root = 0; root < graph.size(); ++root) {
    if (index[root] != none) continue;
    enter(root);
    while (!path.empty()) {
      const std::size_t v = path.back();
      if (next[v] < graph[v].size()) {
        const std::size_t to = graph[v][next[v]++].to;
        if (index[to] == none)
          enter(to);
        else if (is_open[to])
          low[v] = std::min(low[v], index[to]);
        continue;
      }
      path.pop_back();
      if (!path.empty()) low[path.back()] = std::min(low[path.back()], low[v]);
      if (low[v] != index[v]) continue;
      std::vector<std::size_t>& its = components.emplace_back();
      for (std::size_t member = none; member != v;) {
        member = open.back();
        open.pop_back();
        is_open[member] = false;
        its.push_back(member);
      }
    }
  }
  return components;
}

/// Returns the shortest delay from any event of a component back to itself (E. Dijkstra, 1959, from each event).
double least_around_of(const Graph& graph, const std::vector<std::size_t>& component, const std::vector<bool>& inside) {
  double least = std::numeric_limits<double>::infinity();
  for (const std::size_t start : component) {
    std::map<std::size_t, double> known;
    std::set<std::pair<double, std::size_t>> todo = {{0, start}};
    while (!todo.empty()) {
      const auto [so_far, at] = *todo.begin();
      todo.erase(todo.begin());
      if (so_far >= least) break;
      for (const Edge& edge : graph[at]) {
        if (!inside[edge.to]) continue;
        const double there = so_far + edge.delay;
        if (edge.to == start) least = std::min(least, there);
        const auto before = known.find(edge.to);
        if (edge.to == start || (before != known.end() && before->second <= there)) continue;
        if (before != known.end()) todo.erase({before->second, edge.to});
        known[edge.to] = there;
        todo.insert({there, edge.to});
      }
    }
  }
  return least;
}

/// Returns the spectral radius of the matrix of chances, by power iteration. The diagonal is raised by 1, because the iteration then
/// converges for circles of any length.
double growth_of(const Graph& graph, const std::vector<std::size_t>& component, const std::vector<bool>& inside) {
  constexpr int rounds = 500;
  std::map<std::size_t, double> now;
  for (const std::size_t event : component) now[event] = 1.0 / static_cast<double>(component.size());
  double radius = 0;
  for (int round = 0; round < rounds; ++round) {
    std::map<std::size_t, double> then = now;
    for (const auto& [event, share] : now)
      for (const Edge& edge : graph[event])
        if (inside[edge.to]) then[edge.to] += share * edge.chance;
    radius = 0;
    for (const auto& its : then) radius += its.second;
    for (auto& its : then) its.second /= radius;
    now = std::move(then);
  }
  return radius - 1;
}

}  // namespace

std::vector<EventCircle> circles_of(const Book& book) {
  const Graph graph = graph_of(book);
  std::set<std::string> called_off;
  for (const BookEvent& event : book.events)
    for (const BookResponse& response : event.responses)
      if (response.verb == Verb::call_off) called_off.insert(response.target);

  std::map<std::vector<std::size_t>, EventCircle> circles;
  for (const Traits& traits : choices_of(graph)) {
    const Graph some = only(graph, traits);
    for (std::vector<std::size_t>& component : components_of(some)) {
      std::vector<bool> inside(graph.size(), false);
      for (const std::size_t event : component) inside[event] = true;
      const double least = least_around_of(some, component, inside);
      if (least == std::numeric_limits<double>::infinity()) continue;  // one event that does not raise itself
      std::sort(component.begin(), component.end());
      EventCircle circle;
      circle.least = {least};
      circle.growth = growth_of(some, component, inside);
      for (const std::size_t event : component) {
        circle.events.push_back(book.events[event].name);
        circle.called_off = circle.called_off || called_off.contains(book.events[event].name);
      }
      const auto& edges = some[component.front()];
      circle.place = std::find_if(edges.begin(), edges.end(), [&](const Edge& edge) { return inside[edge.to]; })->response->place;
      const auto [known, fresh] = circles.try_emplace(component, circle);
      if (fresh) continue;
      known->second.least = std::min(known->second.least, circle.least);
      known->second.growth = std::max(known->second.growth, circle.growth);
    }
  }
  std::vector<EventCircle> all;
  for (auto& its : circles) all.push_back(std::move(its.second));
  return all;
}

std::string what_is_wrong_with(const EventCircle& circle) {
  const std::string who = circle.events.size() == 1
                              ? fmt::format("event '{}' raises itself", circle.events.front())
                              : fmt::format("the events '{}' raise each other in a circle", fmt::join(circle.events, "', '"));
  if (circle.too_quick())
    return fmt::format("{}, and that may take only {}: give one of its raises a delay, so that it takes {} at least", who,
                       circle.least == Seconds{} ? "no time" : to_text(circle.least), to_text(least_around));
  if (circle.grows())
    return fmt::format("{}, and each raise leads to {:.3g} more on average, so that they multiply: give them a lower chance", who,
                       circle.growth);
  return {};
}

}  // namespace tidewater
