#pragma once
/// Points at which a test build may hold a thread up, so that a test tries orders of threads that a quiet machine never shows.
/// Any other build compiles them to nothing.

#include <cstddef>

#ifdef TIDEWATER_HOLD_UPS
#include <array>
#include <atomic>
#include <chrono>
#include <cstdint>
#include <thread>
#endif

namespace tidewater {

enum class HoldUp : std::size_t {
  audio_published,  ///< the audio thread has said where its call ends, and has not looked which commands are complete
  audio_took,       ///< it knows which commands it may take, and has not mixed
  audio_ends,       ///< it has mixed, and has not said so
  audio_next,       ///< between two calls
  asker_locks,      ///< before a game thread takes the lock
  asker_settled,    ///< it has read where time stands, and has not acted
  asker_commits,    ///< it has acted, and the audio thread may not see that yet
  update_listens,   ///< between the first act of an update and its second
  update_closes,    ///< between its second act and its third
  reader_has_read,  ///< the reading thread has a clip, and has not handed it over
  update_begins,
  update_ended,
  count
};

#ifdef TIDEWATER_HOLD_UPS

/// How often each point holds its thread up, and for how long at most. Set by a test while no thread is at a point.
struct HoldUps {
  struct One {
    std::atomic<std::uint32_t> chance{0};   ///< of 65536
    std::atomic<std::uint32_t> longest{0};  ///< microseconds; 0 gives the rest of the thread's time away
  };
  std::array<One, static_cast<std::size_t>(HoldUp::count)> points;
  std::atomic<std::uint64_t> seeds{1};

  void clear() {
    for (One& point : points) point.chance = 0;
  }
};

inline HoldUps hold_ups;

inline void hold_up(HoldUp where) noexcept {
  const HoldUps::One& point = hold_ups.points[static_cast<std::size_t>(where)];
  const std::uint32_t chance = point.chance.load(std::memory_order_relaxed);
  if (chance == 0) return;
  thread_local std::uint64_t bits = hold_ups.seeds.fetch_add(0x9E3779B97F4A7C15ULL) * 0xD1B54A32D192ED03ULL | 1;
  bits ^= bits << 13, bits ^= bits >> 7, bits ^= bits << 17;
  if ((bits >> 40 & 0xffff) >= chance) return;
  const std::uint32_t longest = point.longest.load(std::memory_order_relaxed);
  if (longest == 0) return std::this_thread::yield();
  std::this_thread::sleep_for(std::chrono::microseconds((bits & 0xffffffff) % longest));
}

#else

inline void hold_up(HoldUp) noexcept {}

#endif

}  // namespace tidewater
