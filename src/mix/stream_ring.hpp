#pragma once
#include <algorithm>
#include <atomic>
#include <cstdint>

#include "base/frame.hpp"
#include "base/large_memory.hpp"
#include "dsp/resample.hpp"

namespace tidewater {

/// Samples of a clip on their way from a reading thread to the voice that plays them. Frames are numbered as they are
/// heard, from the clip's head on: in a loop the second round goes on counting.
///
/// Threads: one writes, the audio thread reads; neither waits for the other. `begin` comes before both.
class StreamRing {
 public:
  /// Frames that it holds: two thirds of a second at 48 kHz.
  static constexpr std::int64_t capacity = 32768;
  static constexpr MixFrame never{-1};

  /// Empties it; the first frame to come is `frame`. Allocates nothing.
  void begin(std::int64_t frame) {
    first_.store(frame, std::memory_order_relaxed);
    passed_.store(frame, std::memory_order_relaxed);
    late_since_.store(never.value, std::memory_order_relaxed);
    back_at_.store(never.value, std::memory_order_relaxed);
    written_.store(frame, std::memory_order_release);
  }

  /// How far the voice was, and what it told: by these a stream that is begun again goes on as it was.
  struct Marks {
    std::int64_t passed = 0;
    MixFrame late_since = never, back_at = never;
  };
  Marks marks() const { return {passed_.load(), late_since(), back_at()}; }
  void set_told(const Marks& marks) {
    late_since_.store(marks.late_since.value);
    back_at_.store(marks.back_at.value);
  }

  // For the reading thread.

  /// The frame that comes next: after those written, or further on where the voice, which keeps its time, has gone past them.
  std::int64_t next() {
    const std::int64_t written = written_.load(std::memory_order_relaxed);
    const std::int64_t needed = passed_.load(std::memory_order_acquire) - reach;
    if (needed <= written) return written;
    first_.store(needed + skip, std::memory_order_release);
    written_.store(needed + skip, std::memory_order_release);
    return needed + skip;
  }
  /// Frames that it has room for.
  std::int64_t room() const {
    return passed_.load(std::memory_order_acquire) - reach + capacity - written_.load(std::memory_order_relaxed);
  }
  /// Frames that the voice has before it runs dry.
  std::int64_t ahead() const { return written_.load(std::memory_order_relaxed) - passed_.load(std::memory_order_relaxed); }
  /// Interleaved, at most as many as there is room for.
  void write(const float* interleaved, int channels, std::int64_t frames) {
    if (!memory_.there()) memory_ = LargeMemory(2 * capacity * sizeof(float), alignof(float), &MemoryHeld::streams);
    if (!memory_.there()) return;                                            // the voice runs dry, and says so
    auto* const samples = reinterpret_cast<float*>(memory_.bytes().data());  // seen by the voice with what was written
    const std::int64_t written = written_.load(std::memory_order_relaxed);
    for (int channel = 0; channel < channels; ++channel)
      for (std::int64_t i = 0; i < frames; ++i)
        samples[static_cast<std::size_t>(channel * capacity + ((written + i) & (capacity - 1)))] = interleaved[i * channels + channel];
    written_.store(written + frames, std::memory_order_release);
  }

  // For the audio thread.

  bool holds(std::int64_t first, std::int64_t end) const {
    // In this order: whoever sees the new end of a skip sees its beginning, too.
    return end <= written_.load(std::memory_order_acquire) && first >= first_.load(std::memory_order_acquire);
  }
  void copy(std::size_t channel, std::int64_t first, std::int64_t count, float* to) const {
    const float* from = reinterpret_cast<const float*>(memory_.bytes().data()) + channel * static_cast<std::size_t>(capacity);
    const std::int64_t at = first & (capacity - 1);
    const std::int64_t before_end = std::min(count, capacity - at);
    std::copy_n(from + at, before_end, to);
    std::copy_n(from, count - before_end, to + before_end);
  }
  /// Frames more than `reach` before this frame are not needed any more.
  void pass(std::int64_t frame) { passed_.store(frame, std::memory_order_release); }

  // What the audio thread tells: when, on the mixer's clock, the voice last had to fade out for want of samples, and
  // when it came back.
  void note_late(MixFrame now) { late_since_.store(now.value, std::memory_order_relaxed); }
  void note_back(MixFrame now) { back_at_.store(now.value, std::memory_order_relaxed); }
  MixFrame late_since() const { return {late_since_.load(std::memory_order_relaxed)}; }
  MixFrame back_at() const { return {back_at_.load(std::memory_order_relaxed)}; }

 private:
  static constexpr std::int64_t skip = 4096;  ///< how far ahead of a voice that was left without samples reading goes on

  LargeMemory memory_;
  std::atomic<std::int64_t> first_{0};
  std::atomic<std::int64_t> written_{0};
  std::atomic<std::int64_t> passed_{0};
  std::atomic<std::int64_t> late_since_{never.value};
  std::atomic<std::int64_t> back_at_{never.value};
};

}  // namespace tidewater
