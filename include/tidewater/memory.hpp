#pragma once
/// Where the library takes what is large from: samples, tables of banks, and what streams. All else is small, and comes from `operator
/// new`, which a program may replace.
///
///     set_memory({.take = [](std::size_t bytes, std::size_t alignment, void*) { return arena.take(bytes, alignment); },
///                 .give_back = [](void* memory, std::size_t bytes, void*) { arena.give_back(memory, bytes); }});
///
/// Thread: any, for what is called here and for what the library calls; never the audio thread.

#include <cstddef>
#include <cstdint>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

struct MemoryFunctions {
  /// So many bytes at a multiple of the alignment, a power of two; null where there is no room: what needed it is not loaded, and says so.
  void* (*take)(std::size_t bytes, std::size_t alignment, void* user) = nullptr;
  void (*give_back)(void* memory, std::size_t bytes, void* user) = nullptr;
  void* user = nullptr;
};

/// From here on. Before the first bank is opened; without functions it is as it was in the beginning.
void set_memory(const MemoryFunctions& functions);

/// What the library holds of it.
struct MemoryHeld {
  std::uint64_t samples = 0;  ///< bytes of clips in memory; what several managers play counts once
  std::uint64_t tables = 0;   ///< of opened banks' tables, while they are read
  std::uint64_t streams = 0;  ///< of samples on their way from disk
  std::uint64_t all() const { return samples + tables + streams; }
};
MemoryHeld memory_held();

}  // namespace tidewater
