#pragma once
#include <algorithm>
#include <cstdint>
#include <span>

#include "dsp/channel_gains.hpp"
#include "dsp/kernels.hpp"
#include "dsp/ramp.hpp"
#include "dsp/resample_kernels.hpp"
#include "dsp/smooth.hpp"
#include "mix/command.hpp"

namespace tidewater {

/// Frames that the mixer renders at a time, whatever block the caller asks for: what is heard never depends on it.
inline constexpr int quantum = 64;
static_assert(quantum == kernels::curve_length && quantum == ScopeLaw::quantum);

/// Most frames that are mixed in one go, a whole number of quanta: voices that do not change cost less in long runs.
inline constexpr int most_run = 512;

/// Channels of `most_run` frames each, one after the other: those of the layout, in its order; two at least.
struct Bus {
  float* first = nullptr;

  float* channel(std::size_t number) const { return first + number * most_run; }
  /// Returns the same bus, beginning at a later frame.
  Bus from(int frame) const { return {first + frame}; }
};

/// The scope time at both ends of one quantum, in 1/65536 of a frame, and the time scale at both ends.
struct BentTime {
  std::int64_t begin = 0, end = 0;
  std::int64_t first_scale = unity_scale, last_scale = unity_scale;
};

/// One clip being mixed. Everything it needs is inside; it never allocates.
///
/// `now` is the present time of the voice's scope.
class alignas(64) Voice {
 public:
  void start(const StartVoice& command, ScopeFrame now, double rate);
  // Each takes at least the shortest change, but at once where no ramp is asked for and nothing was heard before frame `now`.
  void stop(const StopVoice& how, ScopeFrame now);
  void set_gain(float gain, std::int64_t ramp, ScopeFrame now);
  void set_lift(const SetVoiceLift& how, ScopeFrame now);
  void set_step(std::uint64_t step, std::int64_t ramp, ScopeFrame now);
  void set_side(float side, std::int64_t ramp, ScopeFrame now);
  /// Those of a voice in the world lie beside it, in `channels`.
  void set_channels(ChannelGains& channels, const Amplitudes& gains, std::int64_t ramp, ScopeFrame now) const;
  void set_filter(StateFilter::Kind kind, float hertz, double rate, std::int64_t ramp, ScopeFrame now);
  /// Fades out over `fade` frames before a hold. A voice that has not begun becomes silent at once.
  void hold(std::int64_t fade, ScopeFrame now);
  /// Fades in after a hold. A voice that has not begun yet will begin without this fade.
  void resume(std::int64_t fade, ScopeFrame now);
  /// Completes all changes of level, pan, pitch and filters at once. For a voice on hold, which is not heard.
  void finish_changes(ChannelGains& channels);
  /// Whether it was told to go, and the fade has begun.
  bool leaves() const { return fade_out_length_ > 0; }
  /// Ends at once. For a stopped voice on hold, which is not heard.
  void give_up() { active_ = false; }

  /// Lines of 64 bytes that a run looks at, from the front.
  static constexpr std::size_t hot_lines = 7;

  bool active() const { return active_; }
  std::uint32_t group() const { return group_; }
  std::uint32_t scope() const { return scope_; }
  bool whole() const { return whole_; }
  bool in_world() const { return in_world_; }
  /// The place in the clip, counted from its head; a loop in memory has gone round.
  ClipPosition position() const;

  static constexpr MixFrame plays_on{-1};
  /// Adds `frames`, a whole number of quanta from frame `at` of the mixer on, to the bus. The scope is at full speed, and its time is `now`
  /// at the first frame. Returns the frame of the mixer on which the voice ended, or `plays_on`. The samples do not depend on how frames
  /// are divided into calls.
  MixFrame mix_into(const Bus& bus, ChannelGains& channels, MixFrame at, ScopeFrame now, int frames);
  /// Adds one quantum of a scope that is not at full speed, from frame `offset` of the bus on.
  MixFrame mix_bent(const Bus& bus, ChannelGains& channels, MixFrame at, const BentTime& time, int offset);
  /// Asks for the memory that the next run will read, so many frames, in two parts: all at once would be waited for.
  void prefetch(int frames, int part, const ChannelGains& channels) const;

  /// See base/state.hpp. Its samples are elsewhere when it is read, and have to be given to it.
  template <class State>
  void state(State& s) {
    s(*this);
  }
  void give(const ClipSamples& clip) { clip_ = clip; }

 private:
  struct Gains {
    Moving left, right;
  };
  /// Where it goes, and how much of it into each channel, if it is in the world.
  struct Into {
    Bus bus;
    ChannelGains& channels;
  };

  struct Stretch;
  /// The way of one quantum through the clip, in a scope that is not at full speed.
  struct Warp;

  bool level_moves() const;
  bool only_gain_moves() const;
  bool flows(int frames) const;
  bool has_ahead(std::int64_t frames, double speed = 1) const;
  void tend_flow(int frames, MixFrame now, double speed = 1);
  std::int64_t source_frame() const { return turned_ + static_cast<std::int64_t>(position_ >> position_bits); }

  void begin_lift(float lift, std::int64_t ramp, ScopeFrame now);
  /// Begins the lift that lies ahead.
  void begin_lift() { begin_lift(lift_next_, lift_ramp_, std::exchange(lift_frame_, ScopeFrame::never())); }
  /// Mixes a quantum in which a lift begins.
  template <class Part>
  MixFrame mix_to_lift(int before, Part part);
  void begin_stop(std::int32_t fade, FadeLaw law);
  /// Mixes a quantum in which a stop begins, `before` frames after its first.
  template <class Part>
  MixFrame mix_to_stop(MixFrame at, int before, Part part);
  MixFrame mix_piece(const Into& into, int at, MixFrame mixed, ScopeFrame now, int frames);
  /// Mixes `count` frames from frame `at` of the bus on. Returns the frame of the mixer on which the voice ended, or `plays_on`.
  MixFrame mix_count(const Into& into, int at, MixFrame mixed, int count, const Warp* warp);
  int mix_heard(const Into& into, int at, int count, const Warp* warp);
  static void add(const float* source, const kernels::Curve* gains, const Stretch& stretch, float* bus);
  static void add(const float* source, const kernels::Curve* left_gains, const kernels::Curve* right_gains, const Stretch& stretch,
                  float* left, float* right);
  static void add(const float* source, const kernels::Curve* gains, const Stretch& stretch, const Gains& parts, float* left, float* right);
  void add_along_gain(const float* samples, const Stretch& stretch, float* bus_left, float* bus_right);
  void add_along(const float* left, const float* right, const Stretch& stretch, float* bus_left, float* bus_right);
  void add_along(const Into& into, int at, const float* samples, const Stretch& stretch);
  void add_to(float* bus_left, float* bus_right, const float* left, const float* right, int count);
  void add_to_channels(const Into& into, int at, const float* samples, int count);
  void add_flat(const Into& into, int at, const float* samples, int count) const;
  const float* exact_source(int count) const;
  int source_frames_left(std::uint64_t step, std::int64_t step_change, int wanted) const;
  template <class Read>
  int go_through(int frames, const Warp* warp, Read&& read);
  template <class Read>
  int go_bent(int frames, const Warp& warp, Read&& read);
  void read_source(const kernels::Walk& walk, std::uint64_t travelled, int count, float* left, float* right) const;
  template <class Sample>
  void read_channel(std::size_t channel, const Sample* samples, const kernels::Walk& walk, std::int64_t span, int count, float* out) const;
  template <class Sample>
  const Sample* unrolled(const Sample* samples, std::int64_t first, std::int64_t length, std::span<Sample> scratch) const;
  const float* streamed(std::size_t channel, std::int64_t first, std::int64_t length, std::span<float> scratch) const;
  void wrap_position();
  Moving level(bool so_far) const;
  std::int64_t knot() const;
  std::int64_t leaving_left() const;
  void move_on(std::int64_t frames);
  Gains gains() const;

  // The members that every run reads come first, in as few cache lines as possible.
  bool active_ = false;
  bool loop_ = false;
  bool in_world_ = false;
  bool filtered_ = false;  ///< one of the filters is at work
  bool whole_ = true;      ///< nothing in it was other than finite
  bool lifted_ = false;    ///< something is on top of its gain, or was
  std::uint8_t scope_ = 0;
  bool held_ = false;  ///< its scope is on hold, or fades before a hold
  Quality quality_ = Quality::standard;
  std::uint32_t group_ = 0;
  ClipSamples clip_;
  std::uint64_t position_ = 0;  ///< source frames since the clip's head, 32 bits below the point; loops unroll
  static constexpr std::int64_t stream_turn = std::int64_t{1} << 30;
  std::int64_t turned_ = 0;  ///< of a stream: source frames that were taken off `position_`, so that it never overflows
  Ramp step_;
  Smooth flow_;  ///< 1 while samples flow; 0 during a hold of the scope, or while the stream is late
  Smooth gain_;
  Smooth side_;
  Gains pan_{{1, 0}, {1, 0}};
  float fold_ = 1;  ///< of a stereo clip, where its channels become one
  std::int32_t shortest_ = 1;
  ScopeFrame start_frame_;
  ScopeFrame stop_frame_ = ScopeFrame::never();  ///< of a stop that lies ahead
  ScopeFrame lift_frame_ = ScopeFrame::never();  ///< of a lift that lies ahead
  float lift_next_ = 1;                          ///< what it lifts to
  std::int32_t lift_ramp_ = 0;
  std::int32_t stop_fade_ = 0;  ///< the length of the stop's fade
  std::int32_t fade_in_length_ = 0;
  std::int32_t fade_in_done_ = 0;     ///< one more than the length once it is over
  std::int32_t fade_out_length_ = 0;  ///< 0 while nobody stopped it
  std::int32_t fade_out_left_ = 0;
  std::int32_t cut_left_ = 0;  ///< 0 while no second, quicker stop came
  FadeLaw stop_law_ = FadeLaw::equal_loudness, in_law_ = FadeLaw::equal_loudness, out_law_ = FadeLaw::equal_loudness;
  Smooth cut_ = Smooth::at(1);
  Lift lift_;  ///< where it is lifted
  StateFilter low_pass_{StateFilter::Kind::low_pass};
  StateFilter high_pass_{StateFilter::Kind::high_pass};
};

static_assert(sizeof(Voice) <= 1024, "a thousand voices must fit into a megabyte");

}  // namespace tidewater
