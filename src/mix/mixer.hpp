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

#include "dsp/limiter.hpp"
#include "mix/command.hpp"
#include "mix/voice.hpp"
#include "tidewater/layout.hpp"

namespace tidewater {

inline constexpr std::uint32_t most_groups = 64;

struct MixerOptions {
  std::uint32_t voices = 64;
  double rate = 48000;
  Layout layout = Layout::stereo;
  bool limiter = false;
};

/// How loud a group was, as amplitudes.
struct GroupMeter {
  float peak = 0;  ///< the highest since the meter was last read
  float rms = 0;   ///< over the last 64 frames
};

class Mixer {
 public:
  explicit Mixer(const MixerOptions& options);

  /// False when the queue is full: keep the command, and send it again later, in order.
  bool post(const Command& command);
  bool poll(VoiceFinished& report);

  /// Fills interleaved frames of the layout. Any size gives the same samples in the end.
  void render(std::span<float> out) noexcept;

  /// Frames handed out by `render` so far. Thread: any.
  std::int64_t clock() const { return clock_.load(std::memory_order_acquire); }

  /// The end of the call of `render` that is running, or else the clock. Thread: any.
  std::int64_t lands() const { return std::max(lands_.load(std::memory_order_acquire), clock()); }

  /// How far behind `lands` a start must lie so that it is never late: what the limiter holds back, and what is left of a
  /// quantum. What starts at once starts there, so its latency does not wander.
  std::int64_t lead() const { return (options_.limiter ? Limiter::delay : 0) + quantum - 1; }

  /// The first frame that a command posted now can still change: what lies before has been mixed. Thread: any.
  std::int64_t next_frame() const { return next_frame_.load(std::memory_order_acquire); }

  /// Thread: any.
  GroupMeter read_meter(std::uint32_t group);

  /// The group in which samples were last found that are not finite, and made silent; `no_group` where none were since the
  /// last call. Thread: any.
  static constexpr std::uint32_t no_group = ~0U;
  std::uint32_t take_broken_group() { return broken_group_.exchange(no_group, std::memory_order_relaxed); }

 private:
  struct Group {
    StereoBus bus;
    Smooth gain = Smooth::at(1);
    StateFilter low_pass{StateFilter::Kind::low_pass};
    StateFilter high_pass{StateFilter::Kind::high_pass};
    std::uint32_t parent = 0;
    bool used = false;
  };
  struct Meter {
    std::atomic<float> peak{0};
    std::atomic<float> rms{0};
  };

  void render_run(int frames) noexcept;
  void mix_voices(int frames) noexcept;
  void hand_out(float* to, int from, int count) const noexcept;
  void carry_out(const Command& command) noexcept;
  void mix_group_into_parent(std::uint32_t index, int frames) noexcept;
  void mend(std::uint32_t group, int frames) noexcept;

  MixerOptions options_;
  Limiter limiter_;
  std::vector<Voice> voices_;
  std::unique_ptr<Group[]> groups_;
  std::unique_ptr<Meter[]> meters_;
  moodycamel::ReaderWriterQueue<Command> commands_;
  moodycamel::ReaderWriterQueue<VoiceFinished> finished_;
  StereoBus output_{};
  int output_size_ = 0;        ///< frames in `output_`
  int output_left_ = 0;        ///< frames of `output_` not handed out yet
  int to_skip_ = 0;            ///< frames that the limiter's delay puts before the first
  bool sounding_ = false;      ///< a voice is: changes of groups must be smooth
  std::int64_t rendered_ = 0;  ///< frames mixed, at most a quantum and the limiter's delay ahead of the clock
  std::atomic<std::int64_t> next_frame_{0};
  std::atomic<std::int64_t> lands_{0};
  std::atomic<std::int64_t> clock_{0};
  std::atomic<std::uint32_t> broken_group_{no_group};
};

}  // namespace tidewater
