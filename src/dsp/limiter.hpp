#pragma once
/// Holds a signal of some channels below a true peak, and leaves it alone, bit for bit, while it is below.
///
/// The true peak is estimated at eight times the rate; above 20 kHz (at 48 kHz) the estimate over-reads, where no short
/// filter can tell, so that full-band noise does not slip through. The gain looks ahead: the least that any frame in reach
/// needs, held for a while so that a low tone is not reshaped between its crests, then released slowly, then averaged over
/// the look-ahead, so that it is down in time and never jumps.

#include <array>
#include <bit>
#include <cstdint>
#include <vector>

#include "base/ours.hpp"

namespace tidewater {

/// Rows of the filter that estimates the true peak, for kernels::peaks with `Limiter::phases` phases. Thread: any.
TIDEWATER_OURS const float* true_peak_rows();

class Limiter {
 public:
  static constexpr int taps = 64;
  static constexpr int filter_delay = taps / 2;
  static constexpr int look_ahead = 38;
  static constexpr int delay = look_ahead + filter_delay;  ///< frames between input and output
  static constexpr int most_frames = 64;                   ///< at a time

  /// Allocates; nothing else does.
  explicit Limiter(double rate, std::size_t channels = 2);

  /// In place; the output lags by `delay` frames. All channels get the same gain. `stride` floats lie from one channel's first sample to
  /// the next one's.
  void run(float* samples, std::ptrdiff_t stride, int count);

  static constexpr int phases = 8;  ///< of the filter that estimates the true peak

  /// The gain in force after the last frame, as amplitude: 1 while nothing is limited.
  double gain() const { return gain_; }

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    for (Past& past : past_) s(past.samples, past.quiet_frames);
    s(peaks_, peak_before_, released_, turn_, released_sum_, reached_, gain_, quiet_frames_);
    least_.state(s);
  }

 private:
  static constexpr int history = 128;  // at least `delay`, and the filter's length

  /// The least of the values of the last so many frames, in a time that does not grow with them.
  class SlidingLeast {
   public:
    explicit SlidingLeast(std::int64_t frames) : frames_(frames), kept_(std::bit_ceil(static_cast<std::size_t>(frames))) {}
    double add(double value);
    template <class State>
    void state(State& s) {
      s.list(kept_);
      s(first_, count_, frame_);
    }

   private:
    struct Kept {
      double value;
      std::int64_t frame;
    };
    std::int64_t frames_;
    std::vector<Kept> kept_;  ///< in a circle, a power of two: each greater than the one before it
    std::size_t first_ = 0, count_ = 0;
    std::int64_t frame_ = 0;
  };

  void measure(int count);
  double limited_gain(double needed);

  struct Past {
    std::array<float, history + most_frames> samples{};  ///< and behind it what is being limited
    std::int64_t quiet_frames = 0;                       ///< since this channel had anything at all
  };
  std::vector<Past> past_;
  std::array<float, most_frames> peaks_{};  ///< of the frames `filter_delay` before those
  float peak_before_ = 0;
  SlidingLeast least_;
  std::array<double, look_ahead> released_{};  ///< the least, rising slowly
  std::size_t turn_ = 0;
  double released_sum_ = look_ahead;
  double release_step_;
  double reached_ = 1;
  double gain_ = 1;
  std::int64_t quiet_frames_;  ///< since a sample was so loud that it had to be measured
  std::int64_t rests_after_;   ///< quiet frames until nothing of what was loud is left
};

}  // namespace tidewater
