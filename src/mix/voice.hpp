#pragma once
#include <cstdint>
#include <span>

#include "dsp/ramp.hpp"
#include "mix/command.hpp"

namespace tidewater {

/// Frames that the mixer renders at a time, whatever block the caller asks for: what is heard never depends on it.
inline constexpr int quantum = 64;

/// A cut shorter than this clicks: 5 ms at 48 kHz.
inline constexpr std::int64_t shortest_fade = 240;

/// One quantum of one stereo bus.
struct StereoBus {
  alignas(64) float left[quantum];
  alignas(64) float right[quantum];
};

/// One clip being mixed. Everything it needs is inside; it never allocates.
class Voice {
 public:
  void start(const StartVoice& command, std::int64_t now);
  void stop(std::int64_t fade);
  void set_gain(float gain, std::int64_t ramp) { gain_.go(gain, ramp); }
  void set_step(std::uint64_t step, std::int64_t ramp) { step_.go(static_cast<double>(step), ramp); }

  bool active() const { return active_; }
  std::uint32_t group() const { return group_; }

  /// Adds the quantum that begins at frame `now` to the bus. Returns the frame the voice ended at, or -1.
  std::int64_t mix_into(StereoBus& bus, std::int64_t now);

 private:
  int source_frames_left(std::uint64_t step, std::int64_t step_change, int wanted) const;
  void read_source(std::uint64_t step, std::int64_t step_change, int count, float* left, float* right);
  const float* unrolled(int channel, std::int64_t first, std::int64_t length, std::span<float> scratch) const;
  void wrap_position();
  double fade_at(std::int64_t frames_from_now) const;

  ClipSamples clip_;
  std::uint64_t position_ = 0;  ///< source frames since the clip's head, 32 bits below the point; loops unroll
  Ramp step_;
  Ramp gain_;
  std::int64_t start_frame_ = 0;
  std::int64_t fade_in_length_ = 0;
  std::int64_t fade_in_done_ = 0;
  std::int64_t fade_out_length_ = 0;  ///< 0 while nobody stopped it
  std::int64_t fade_out_left_ = 0;
  std::uint32_t group_ = 0;
  bool loop_ = false;
  bool active_ = false;
};

}  // namespace tidewater
