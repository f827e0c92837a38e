#pragma once
/// Figures beside their yardsticks. A benchmark is named "what/yardstick" or "what/ours"; both run in turn, several
/// times, and the least of each counts: noise only ever adds.

#include <benchmark/benchmark.h>

namespace tidewater::bench {

/// Counts the frames of one iteration, so that the table can say nanoseconds a frame.
inline void count_frames(benchmark::State& state, double frames_per_iteration) {
  state.counters["frames"] = benchmark::Counter(frames_per_iteration, benchmark::Counter::kIsIterationInvariantRate);
}

}  // namespace tidewater::bench
