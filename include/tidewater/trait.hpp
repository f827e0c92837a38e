#pragma once
#include "tidewater/export.hpp"
#include "tidewater/name.hpp"

namespace TIDEWATER_API tidewater {

/// A category that comes with an event: surface = planks.
struct Trait {
  Name name;
  Name value;
};

}  // namespace tidewater
