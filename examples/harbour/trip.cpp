#include "trip.hpp"

#include <algorithm>
#include <array>

namespace harbour {
namespace {

struct Line {
  double at;  ///< seconds
  const char* happening;
  int passengers = 0;  ///< who walk on or off now
};
/// The player's actions, in real time.
constexpr std::array player = {
    Line{0.1, "menu.moved"},  Line{0.45, "menu.moved"},   Line{0.9, "menu.moved"},  Line{14.2, "game.paused"}, Line{14.5, "menu.moved"},
    Line{14.9, "menu.moved"}, Line{15.5, "game.resumed"}, Line{58.3, "menu.moved"}, Line{58.7, "menu.moved"},
};
/// The plot, in the game's time. Nobody has designed a sound for the whistle yet.
constexpr std::array plot = {
    Line{1.4, "quay.entered"},
    Line{1.4, "trip.began"},
    Line{3.0, "", 4},
    Line{9.0, "ferry.departed"},
    Line{17.5, "rain.began"},
    Line{21.0, "mooring.began"},
    Line{22.4, "mooring.completed"},
    Line{24.2, "", 5},
    Line{27.0, "rain.began"},  // a squall: it rains already
    Line{31.0, "ferry.departed"},
    Line{32.5, "deck.left"},  // a cup of tea below
    Line{36.5, "ferry.whistled"},
    Line{38.0, "photo.taken"},
    Line{38.7, "photo.shown"},
    Line{39.6, "deck.entered"},
    Line{41.0, "rain.ended"},
    Line{43.8, "mooring.began"},
    Line{44.7, "mooring.interrupted"},  // the rope slips
    Line{45.2, "mooring.began"},
    Line{46.4, "mooring.completed"},
    Line{47.0, "", 6},
    Line{48.5, "trip.ended"},  // the music comes to its end by itself
    Line{52.8, "quay.left"},
};

}  // namespace

void Trip::board(int passengers) {
  for (int i = 0; i < passengers; ++i) {
    const double starts = time_ + 0.35 * i + between(0, 0.4);
    walkers_.push_back({.starts = starts, .stops = starts + between(2.2, 4.0), .pace = between(0.8, 1.25), .number = ++walkers_so_far_});
    tickets_.push_back(starts + between(1.0, 1.6));
  }
  next_talk_ = time_ + between(0.8, 1.6);
}

/// From pier to pier, and on to the next: slowly away, quicker, slowly alongside. The engine works before the ferry moves.
void Trip::cross() {
  constexpr double under_way = 11, from_pier_to_pier = 95;
  constexpr std::array departures = {10.5, 32.5};
  way_ = speed_ = throttle_ = 0;
  for (const double departure : departures) {
    const double part = std::clamp((time_ - departure) / under_way, 0.0, 1.0);
    way_ += from_pier_to_pier * part * part * (3 - 2 * part);
    speed_ += from_pier_to_pier * 6 * part * (1 - part) / under_way;
    const double on = std::clamp((time_ - departure + 1) / 3, 0.0, 1.0), off = std::clamp((departure + under_way - time_) / 3, 0.0, 1.0);
    throttle_ += std::min(on, off);
  }
}

bool Trip::is_walking(std::uint64_t number) const {
  return std::any_of(walkers_.begin(), walkers_.end(), [&](const Walker& its) { return its.number == number; });
}

/// Moves the passengers: down the pier on planks, over the steel gangway, and onto the deck.
void Trip::walk(std::vector<Happening>& happened) {
  for (Walker& walker : walkers_) {
    if (time_ < walker.starts) continue;
    const double part = (time_ - walker.starts) / (walker.stops - walker.starts);
    const char* surface = part > 0.4 && part < 0.75 ? "steel" : "planks";
    if (walker.surface == surface) continue;
    walker.surface = surface;
    happened.push_back({"passenger.walked", surface, walker.number});
  }
  std::erase_if(walkers_, [&](const Walker& w) { return time_ >= w.stops; });
}

/// Moves the game's time on, and opens and closes the player's menu, which stops it.
void Trip::pass_the_time(double now, std::vector<Happening>& happened) {
  time_ += speed_of_time_ * (now - now_);
  now_ = now;
  for (; next_of_player_ < player.size() && player[next_of_player_].at <= now; ++next_of_player_) {
    happened.push_back({player[next_of_player_].happening});
    if (happened.back().event == "game.paused") speed_of_time_ = 0;
    if (happened.back().event == "game.resumed") speed_of_time_ = 1;
  }
}

std::vector<Happening> Trip::advance(double now) {
  std::vector<Happening> happened;
  pass_the_time(now, happened);
  cross();
  for (; next_line_ < plot.size() && plot[next_line_].at <= time_; ++next_line_) {
    const Line& line = plot[next_line_];
    if (line.passengers > 0) {
      board(line.passengers);
      continue;
    }
    happened.push_back({line.happening});
    if (happened.back().event == "photo.taken") speed_of_time_ = slow;
    if (happened.back().event == "photo.shown") speed_of_time_ = 1;
  }
  walk(happened);
  for (const double ticket : tickets_)
    if (time_ >= ticket) happened.push_back({"ticket.punched"});
  std::erase_if(tickets_, [&](double ticket) { return time_ >= ticket; });
  if (time_ >= next_talk_ && time_ < 52) {
    happened.push_back({"passengers.talked"});
    next_talk_ = time_ + between(2.0, 5.5);
  }
  if (time_ >= next_gull_ && time_ < 54) {
    for (int gull = 0; gull < flock_; ++gull) happened.push_back({"gulls.cried"});
    flock_ = flock_ % 3 + 1;
    next_gull_ = time_ + between(2.5, 7.5);
  }
  if (time_ >= next_bell_ && time_ < 54) {
    happened.push_back({"buoy.rang"});
    next_bell_ += 2.4 + 0.5 * static_cast<double>(static_cast<int>(time_) % 3);
  }
  return happened;
}

}  // namespace harbour
