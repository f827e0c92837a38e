#pragma once
#include "tidewater/name.hpp"

namespace tidewater {

/// A category that comes with an event: surface = planks.
struct Trait {
  Name name;
  Name value;
};

}  // namespace tidewater
