#include "drive/gauges.hpp"

#include <algorithm>
#include <cmath>

namespace tidewater {

bool is_there(const GaugeDesign& design, double value, double aim) {
  constexpr double parts = 4096;
  return std::abs(value - aim) * parts <= design.to - design.from;
}

std::uint32_t Gauges::add(std::string_view name, const GaugeDesign& design) {
  const std::uint32_t known = find(Name(name));
  if (known != none) {
    Gauge& its = gauges_[known];
    if (its.design == design) return known;
    its.design = design;
    its.aim = HeldTo<double>(design)(its.aim);
    its.value = std::clamp(its.value, design.from, design.to);
    ++changes_;
    return known;
  }
  if (gauges_.size() == most) return none;
  gauges_.push_back(
      {std::string(name), Name(name).hash(), design, HeldTo<double>(design)(design.initial), HeldTo<double>(design)(design.initial)});
  return static_cast<std::uint32_t>(gauges_.size() - 1);
}

std::uint32_t Gauges::find(Name name) const {
  for (std::uint32_t gauge = 0; gauge < gauges_.size(); ++gauge)
    if (gauges_[gauge].hash == name.hash()) return gauge;
  return none;
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
