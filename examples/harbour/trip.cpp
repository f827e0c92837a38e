#include "trip.hpp"

#include <algorithm>
#include <array>

namespace harbour {
namespace {

/// The minute's plot. Names of happenings are events of the book, but for one that nobody has designed yet.
struct Line {
  double at;
  const char* happening;
  int passengers = 0;  ///< who walk on or off now
};
constexpr std::array plot = {
    Line{0.1, "menu.moved"},
    Line{0.45, "menu.moved"},
    Line{0.9, "menu.moved"},
    Line{1.4, "quay.entered"},
    Line{1.4, "trip.began"},
    Line{3.0, "", 4},
    Line{9.0, "ferry.departed"},
    Line{17.5, "rain.began"},
    Line{22.0, "ferry.docked"},
    Line{24.2, "", 5},
    Line{27.0, "rain.began"},  // a squall: it rains already
    Line{31.0, "ferry.departed"},
    Line{36.5, "ferry.whistled"},
    Line{41.0, "rain.ended"},
    Line{45.0, "ferry.docked"},
    Line{47.0, "", 6},
    Line{54.5, "quay.left"},
    Line{54.5, "trip.ended"},
    Line{55.8, "menu.moved"},
    Line{56.2, "menu.moved"},
};

}  // namespace

void Trip::board(double now, int passengers) {
  for (int i = 0; i < passengers; ++i) {
    const double starts = now + 0.35 * i + between(0, 0.4);
    walkers_.push_back({starts, starts + between(2.2, 4.0), starts, between(0.42, 0.62), ++walkers_so_far_});
    tickets_.push_back(starts + between(1.0, 1.6));
  }
  next_talk_ = now + between(0.8, 1.6);
}

/// From pier to pier, and on to the next: slowly away, quicker, slowly alongside. The engine works before the ferry moves.
void Trip::cross(double now) {
  constexpr double under_way = 11, from_pier_to_pier = 95;
  constexpr std::array departures = {10.5, 32.5};
  way_ = speed_ = throttle_ = 0;
  for (const double departure : departures) {
    const double part = std::clamp((now - departure) / under_way, 0.0, 1.0);
    way_ += from_pier_to_pier * part * part * (3 - 2 * part);
    speed_ += from_pier_to_pier * 6 * part * (1 - part) / under_way;
    const double on = std::clamp((now - departure + 1) / 3, 0.0, 1.0), off = std::clamp((departure + under_way - now) / 3, 0.0, 1.0);
    throttle_ += std::min(on, off);
  }
}

bool Trip::is_walking(std::uint64_t number) const {
  return std::any_of(walkers_.begin(), walkers_.end(), [&](const Walker& its) { return its.number == number; });
}

std::vector<Happening> Trip::advance(double now) {
  std::vector<Happening> happened;
  cross(now);
  for (; next_line_ < plot.size() && plot[next_line_].at <= now; ++next_line_) {
    const Line& line = plot[next_line_];
    if (line.passengers > 0)
      board(now, line.passengers);
    else
      happened.push_back({line.happening});
  }
  for (Walker& walker : walkers_)
    if (now >= walker.next_step && now < walker.stops) {
      // The gangway between pier and deck is steel.
      const double part = (now - walker.starts) / (walker.stops - walker.starts);
      happened.push_back({"passenger.stepped", part > 0.4 && part < 0.75 ? "steel" : "planks", walker.number});
      walker.next_step += walker.stride * between(0.94, 1.06);
    }
  std::erase_if(walkers_, [&](const Walker& w) { return now >= w.stops; });
  for (const double ticket : tickets_)
    if (now >= ticket) happened.push_back({"ticket.punched"});
  std::erase_if(tickets_, [&](double ticket) { return now >= ticket; });
  if (now >= next_talk_ && now < 53) {
    happened.push_back({"passengers.talked"});
    next_talk_ = now + between(2.0, 5.5);
  }
  if (now >= next_gull_ && now < 56) {
    for (int gull = 0; gull < flock_; ++gull) happened.push_back({"gulls.cried"});
    flock_ = flock_ % 3 + 1;
    next_gull_ = now + between(2.5, 7.5);
  }
  if (now >= next_bell_ && now < 56) {
    happened.push_back({"buoy.rang"});
    next_bell_ += 2.4 + 0.5 * static_cast<double>(static_cast<int>(now) % 3);
  }
  return happened;
}

}  // namespace harbour
