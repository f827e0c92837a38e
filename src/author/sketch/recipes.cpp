#include "tidewater/author/sketch.hpp"

namespace tidewater {
namespace {

using S = SketchSource;

Recipe tone(double hertz, double length, double glide = 0, std::vector<Semitones> notes = {}) {
  return {.source = S::tone, .pitch = {hertz}, .glide = {glide}, .notes = std::move(notes), .length = {length}};
}
Recipe noise(double length, double low_pass, double high_pass = 0, double attack = 0.003) {
  return {.source = S::noise, .length = {length}, .attack = {attack}, .low_pass = {low_pass}, .high_pass = {high_pass}};
}
Recipe strike(S source, double hertz, double length, double low_pass = 0) {
  return {.source = source, .pitch = {hertz}, .length = {length}, .low_pass = {low_pass}};
}
Recipe bed(S source, double hertz, double low_pass, double high_pass = 0) {
  return {.source = source, .pitch = {hertz}, .length = {3}, .hold = true, .low_pass = {low_pass}, .high_pass = {high_pass}};
}

}  // namespace

const std::vector<ReadyRecipe>& ready_recipes() {
  static const std::vector<ReadyRecipe> recipes = {
      {"step", "a foot on wood", noise(0.12, 900)},
      {"step-gravel", "a foot on gravel", {.source = S::crackle, .pitch = {900}, .length = {0.18}, .low_pass = {4000}}},
      {"step-metal", "a foot on a grating", strike(S::bell, 420, 0.2, 3000)},
      {"jump", "a leap", tone(260, 0.22, 12)},
      {"land", "feet after a leap", noise(0.2, 400)},
      {"roll", "a tumble", noise(0.4, 700, 0, 0.08)},
      {"hit", "something is struck", noise(0.14, 2500)},
      {"hurt", "somebody is struck", tone(330, 0.25, -7)},
      {"block", "a blow is held off", strike(S::bell, 700, 0.25, 5000)},
      {"miss", "a blow goes wide", noise(0.22, 3000, 600, 0.08)},
      {"whoosh", "something fast goes by", noise(0.45, 2200, 300, 0.18)},
      {"swing", "a blade is swung", noise(0.28, 4000, 900, 0.1)},
      {"throw", "something leaves the hand", noise(0.25, 1800, 400, 0.05)},
      {"shot", "a gun", noise(0.35, 5000)},
      {"blast", "an explosion", noise(1.4, 500)},
      {"zap", "a spark of energy", tone(1400, 0.25, -24)},
      {"charge", "power gathers", tone(140, 1.2, 24)},
      {"pick-up", "something is taken", tone(700, 0.18, 0, {{0}, {7}})},
      {"drop", "something is put down", strike(S::pluck, 120, 0.25, 1200)},
      {"confirm", "yes", tone(520, 0.24, 0, {{0}, {5}})},
      {"deny", "no", tone(240, 0.3, 0, {{0}, {-5}})},
      {"click", "a button is pressed", noise(0.03, 6000, 800, 0.0005)},
      {"hover", "the pointer is over something", tone(900, 0.05)},
      {"page", "a page is turned", noise(0.3, 6000, 1500, 0.12)},
      {"win", "all is well", tone(440, 0.9, 0, {{0}, {4}, {7}, {12}})},
      {"lose", "all is lost", tone(330, 1, 0, {{0}, {-2}, {-5}, {-9}})},
      {"alarm", "look out", tone(800, 0.8, 0, {{0}, {-4}, {0}, {-4}})},
      {"door", "a door falls shut", strike(S::pluck, 70, 0.5, 600)},
      {"door-open", "a door creaks open", tone(180, 0.7, 9)},
      {"lock", "a key turns", {.source = S::crackle, .pitch = {60}, .length = {0.3}, .low_pass = {5000}, .high_pass = {700}}},
      {"knock", "knuckles on wood", {.source = S::pluck, .pitch = {160}, .notes = {{0}, {0}, {-1}}, .length = {0.6}, .low_pass = {1500}}},
      {"splash", "something falls into water", noise(0.6, 3500, 250, 0.02)},
      {"drip", "a drop falls", tone(900, 0.09, 14)},
      {"bell", "a small bell", strike(S::bell, 880, 1.6)},
      {"gong", "a large bell", strike(S::bell, 150, 3)},
      {"pluck", "a string", strike(S::pluck, 220, 0.9)},
      {"glass", "glass breaks", {.source = S::crackle, .pitch = {300}, .length = {0.6}, .high_pass = {2500}}},
      {"fire", "a fire, to be looped", bed(S::crackle, 40, 5000)},
      {"wind", "wind, to be looped", bed(S::noise, 440, 500, 80)},
      {"rain", "rain, to be looped", bed(S::noise, 440, 9000, 1200)},
      {"engine", "an engine, to be looped", bed(S::tone, 60, 400)},
      {"hum", "a machine, to be looped", bed(S::tone, 110, 600)},
  };
  return recipes;
}

}  // namespace tidewater
