#pragma once
/// The options of a manager.

#include <cstddef>
#include <cstdint>

#include "tidewater/export.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/layout.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct ManagerOptions {
  Hertz rate{48000};          ///< of the output, from 8 to 192 kHz
  std::uint32_t voices = 64;  ///< layers that sound at once, from 1 to 4096; beyond them the least important yields
  std::uint64_t seed = 1;     ///< of all draws: the same banks, requests and seed give the same samples
  JournalSink journal = {};   ///< receives every request and every decision
  Layout layout = Layout::stereo;
  Quality quality = Quality::standard;  ///< of sounds whose book does not say

  /// Renders on the thread that calls: `render` reads what streams from disk, so that nothing is late and equal calls give equal samples.
  /// False for a sound card: a thread of the manager's own reads ahead, and what is raised while a block plays keeps its time inside the
  /// block.
  bool offline = false;
  /// A thread of the manager's own reads streams, and clips that are not in memory yet. False: only `read_for` reads, on the thread that
  /// calls it.
  bool reading_thread = true;
  // Capacities. Beyond one of the first three, the outcome is `no_room`. Their memory is reserved at once and used as it fills.
  std::uint32_t journal_lines = 65536;  ///< lines that wait for `update`; 300 bytes each
  std::uint32_t playbacks = 65536;      ///< playbacks, dormant ones included; 300 bytes each
  std::uint32_t emitters = 16384;       ///< emitters at once; 60 bytes each
  /// Bytes of samples in memory; 0 for no bound. Beyond it, clips that are not preloaded make room, the longest unused first. Clips that
  /// sound, sleep or are preloaded stay.
  std::size_t clip_memory = 0;
  /// Holds the output below -1 dBTP (ITU-R BS.1770-4). Samples of an output that stays below -1.4 dBTP are not changed.
  bool limiter = true;
};

}  // namespace tidewater
