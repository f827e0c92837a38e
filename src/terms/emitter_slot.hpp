#pragma once
#include <cstdint>

#include "tidewater/world.hpp"

namespace tidewater {

/// An emitter's number has the slot in its lower half, from 1 on, and in its upper half how often the slot was used before.
constexpr std::uint32_t slot_in(Emitter emitter) { return static_cast<std::uint32_t>(emitter.number) - 1; }
constexpr std::uint32_t generation_in(Emitter emitter) { return static_cast<std::uint32_t>(emitter.number >> 32U); }
constexpr Emitter emitter_in(std::uint32_t slot, std::uint32_t generation) {
  return {static_cast<std::uint64_t>(generation) << 32U | (slot + 1)};
}

}  // namespace tidewater
