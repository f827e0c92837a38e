#pragma once
/// All of the audio thread: voices, groups and the block renderer. Knows no names, files or rules.
///
/// Threads: `render` belongs to one thread, the audio thread; it never allocates, locks, logs, waits or throws.
/// `post` and `poll` belong to whoever holds the control side, one thread at a time.

#include <readerwriterqueue/readerwriterqueue.h>

#include <atomic>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "mix/command.hpp"
#include "mix/voice.hpp"

namespace tidewater {

inline constexpr int output_channels = 2;
inline constexpr std::uint32_t most_groups = 64;

/// How loud a group was, as amplitudes.
struct GroupMeter {
  float peak = 0;  ///< the highest since the meter was last read
  float rms = 0;   ///< over the last 64 frames
};

class Mixer {
 public:
  explicit Mixer(std::uint32_t voices);

  /// False when the queue is full: keep the command, and send it again later, in order.
  bool post(const Command& command);
  bool poll(VoiceFinished& report);

  /// Fills interleaved stereo: the size must be even. Any size gives the same samples in the end.
  void render(std::span<float> out) noexcept;

  /// Frames handed out by `render` so far. Thread: any.
  std::int64_t clock() const { return clock_.load(std::memory_order_acquire); }

  /// Thread: any.
  GroupMeter read_meter(std::uint32_t group);

 private:
  struct Group {
    StereoBus bus;
    Ramp gain = Ramp::at(1);
    std::uint32_t parent = 0;
    bool used = false;
  };
  struct Meter {
    std::atomic<float> peak{0};
    std::atomic<float> rms{0};
  };

  void render_quantum() noexcept;
  void carry_out(const Command& command) noexcept;
  void mix_group_into_parent(std::uint32_t index) noexcept;

  std::vector<Voice> voices_;
  std::unique_ptr<Group[]> groups_;
  std::unique_ptr<Meter[]> meters_;
  moodycamel::ReaderWriterQueue<Command> commands_;
  moodycamel::ReaderWriterQueue<VoiceFinished> finished_;
  StereoBus output_{};
  int output_left_ = 0;        ///< frames of `output_` not handed out yet
  std::int64_t rendered_ = 0;  ///< frames mixed, at most a quantum ahead of the clock
  std::atomic<std::int64_t> clock_{0};
};

}  // namespace tidewater
