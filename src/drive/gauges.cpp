#include "drive/gauges.hpp"

#include <algorithm>
#include <cmath>

namespace tidewater {

bool is_there(const GaugeDesign& design, double value, double aim) {
  constexpr double parts = 4096;
  return std::abs(value - aim) * parts <= design.to - design.from;
}

std::uint32_t Gauges::add(std::string_view name, const GaugeDesign& design) {
  const std::uint32_t number = names_.add(name);
  if (number == Numbers::none) return number;
  const HeldTo<double> hold(design);
  if (number == gauges_.size()) {
    gauges_.push_back({design, hold(design.initial), hold(design.initial)});
    return number;
  }
  Gauge& its = gauges_[number];
  if (its.design == design) return number;
  its.design = design;
  its.aim = hold(its.aim);
  its.value = std::clamp(its.value, design.from, design.to);
  ++changes_;
  return number;
}

bool Gauges::set(std::uint32_t gauge, double value) {
  Gauge& its = gauges_[gauge];
  const double aim = HeldTo<double>(its.design)(value);
  if (aim == its.aim) return false;
  its.aim = aim;
  ++changes_;
  return true;
}

void Gauges::step(Seconds time) {
  for (Gauge& its : gauges_) {
    if (its.value == its.aim) continue;
    its.value += (its.aim - its.value) * part_of_the_way(its.design, time.value);
    if (is_there(its.design, its.value, its.aim)) its.value = its.aim;
  }
}

}  // namespace tidewater
