#pragma once
#include <fmt/format.h>

#include <cmath>
#include <stdexcept>
#include <string>

#include "tidewater/author/walk.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

/// Of --gauge: "throttle=0.6" or "throttle=0..1". Throws Error with what to write.
inline WalkGauge gauge_in(const std::string& text) {
  const auto equals = text.find('=');
  WalkGauge gauge{text.substr(0, equals), 0, 0};
  const auto number = [&](const std::string& its) {
    std::size_t end = 0;
    double value = 0;
    try {
      value = std::stod(its, &end);
    } catch (const std::exception&) {
      end = 0;
    }
    if (its.empty() || end != its.size() || !std::isfinite(value))
      throw Error(fmt::format("--gauge {}: write a gauge as {}=0.6, or {}=0..1 for all between", text, gauge.gauge, gauge.gauge));
    return value;
  };
  const std::string value = equals == std::string::npos ? "" : text.substr(equals + 1);
  const auto dots = value.find("..");
  gauge.from = number(value.substr(0, dots));
  gauge.to = dots == std::string::npos ? gauge.from : number(value.substr(dots + 2));
  return gauge;
}

}  // namespace tidewater::tool
