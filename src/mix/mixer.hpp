#pragma once
/// All of the audio thread: voices, groups and the block renderer. Knows no names, files or rules.
///
/// Threads: `render` belongs to one thread, the audio thread; it never allocates, locks, logs, waits or throws.
/// `post` and `poll` belong to whoever holds the control side, one thread at a time.

#include <readerwriterqueue/readerwriterqueue.h>

#include <atomic>
#include <concepts>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "base/most_groups.hpp"
#include "base/ours.hpp"
#include "dsp/limiter.hpp"
#include "mix/command.hpp"
#include "mix/loudness_meter.hpp"
#include "mix/mix_tap.hpp"
#include "mix/voice.hpp"
#include "tidewater/layout.hpp"

namespace TIDEWATER_OURS tidewater {

/// Commands that are sent for one block at most; further ones wait for the next.
inline constexpr std::size_t commands_a_block = 4096;

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

  /// Commands of one request, which is carried out as a whole on the frame it is for: the `lands` of the moment it was asked in.
  /// Requests are numbered, and their frames never go back. False when the queue is full: keep the command, and send it
  /// again later, in order. Nothing posted is heard before `commit`.
  bool post(const Command& command, std::uint64_t request, MixFrame lands);
  /// The same for a start, which `fill(start)` fills in its place in the queue.
  template <class Fill>
  bool post_start(std::uint64_t request, MixFrame lands, Fill fill) {
    if (!commands_.try_emplace(request, lands, fill)) return false;
    ++posted_;
    return true;
  }
  void commit() { committed_.store(posted_, std::memory_order_release); }
  /// As soon as possible.
  bool post(const Command& command);
  /// Takes the next report that control may know by `at`. Returns false if there is none.
  bool poll(VoiceFinished& report, MixFrame at);
  bool poll(CameLate& report) { return late_.try_dequeue(report); }
  /// How many reports there have been. If as many were polled, there is nothing to poll.
  std::uint64_t reported() const { return reported_.load(std::memory_order_acquire); }
  /// Late requests that found no room for their report, since this was last asked.
  std::uint64_t take_lost_late() { return lost_late_.exchange(0, std::memory_order_relaxed); }
  /// After the last call of `render`: reports the commands that can no longer be on time.
  void end();

  /// Fills interleaved frames of the layout. Any size gives the same samples in the end.
  void render(std::span<float> out) noexcept;

  /// All that what comes next depends on: see base/state.hpp. While nobody renders, and all reports were taken.
  template <class State>
  void state(State& s);
  /// After a state was restored: `clip_of(voice)` returns the samples of a voice.
  template <class ClipOf>
  void give_clips(ClipOf clip_of);

  /// Where time stands, read at once. Thread: any.
  struct Moment {
    MixFrame at;     ///< frames that finished calls of `render` have handed out
    MixFrame lands;  ///< the end of the call that is running, or else `at`
  };
  Moment moment() const;
  /// The first of these. Thread: any.
  MixFrame clock() const { return moment().at; }

  /// How far behind `lands` a start must lie so that it is never late: what the limiter holds back, and what is left of a
  /// quantum. What starts at once starts there, so its latency does not wander.
  std::int64_t lead() const { return delay() + quantum - 1; }

  /// The first frame that a request which lands there can change: what lies before has been mixed.
  MixFrame changes_from(MixFrame lands) const {
    return lands == MixFrame{} ? lands : MixFrame{(lands.value + delay() + quantum - 1) / quantum * quantum};
  }

  /// Lets a tap hear what each voice and each group adds. While nobody renders.
  void listen(std::unique_ptr<MixTap> tap) { tap_ = std::move(tap); }
  /// How far the ducks of a group have lowered it, in dB. For a tap, while it is called.
  float ducked_by(std::uint32_t group) const { return groups_[group].depth; }

  /// Thread: any.
  GroupMeter read_meter(std::uint32_t group);
  /// Starts or stops measuring the loudness of a group. The first call for a group allocates. Thread: the control side.
  void watch_loudness(std::uint32_t group, bool on);
  /// Null if the group was never watched.
  const LoudnessMeter* loudness(std::uint32_t group) const { return loudness_meters_[group].get(); }

  /// The group in which samples were last found that are not finite, and made silent; `no_group` where none were since the
  /// last call. Thread: any.
  static constexpr std::uint32_t no_group = ~0U;
  std::uint32_t take_broken_group() { return broken_group_.exchange(no_group, std::memory_order_relaxed); }

 private:
  /// Two channels at a time.
  struct Filters {
    StateFilter low_pass{StateFilter::Kind::low_pass};
    StateFilter high_pass{StateFilter::Kind::high_pass};
    bool active() const { return low_pass.active() || high_pass.active(); }
  };
  /// A bit for each channel of a bus.
  using Channels = std::uint32_t;
  struct Group {
    Bus bus;
    // Its level is the product of three factors. Each moves by itself, so that no change cuts another one short.
    Smooth gain = Smooth::at(1);  ///< its own: the book's, the game's and the player's
    Smooth mood = Smooth::at(1);
    double ducked = 1;  ///< amplitude at the end of the previous quantum
    float depth = 0;    ///< the same in dB
    std::array<Duck, most_ducks> ducks;
    std::array<float, most_run / quantum> powers{};  ///< of each quantum of the run: mean square of the output
    std::array<Filters, most_channels / 2> filters;
    std::uint32_t parent = 0;
    Channels heard = front;  ///< those that something may be in; what the others hold does not count
    bool used = false;
  };
  static constexpr Channels front = 3;
  /// The time of a scope in the mixer. After a command that came late, the next quanta bring the time back to the law.
  struct Clock {
    ScopeLaw law;
    std::int64_t time = 0;                  ///< at `rendered_`, in 1/65536 of a frame; never decreases
    MixFrame holds_at = MixFrame::never();  ///< the law's, or later if a late command needs time to fade
    bool used = false;                      ///< a command has set a law
    // Values of the present run.
    bool plain = true;  ///< full speed, on whole frames
    int quanta = 0;     ///< entries of `bent`: those before a hold
    std::array<BentTime, most_run / quantum> bent{};
    ScopeFrame now() const { return {-(-time >> scale_bits)}; }
  };
  struct Meter {
    std::atomic<float> peak{0};
    std::atomic<float> rms{0};
  };

  struct Posted {
    Posted() = default;
    Posted(std::uint64_t whose, MixFrame when, const Command& what) : request(whose), lands(when), command(what) {}
    template <std::invocable<StartVoice&> Fill>
    Posted(std::uint64_t whose, MixFrame when, Fill fill) : request(whose), lands(when), command(std::in_place_type<StartVoice>) {
      fill(std::get<StartVoice>(command));
    }
    std::uint64_t request = 0;
    MixFrame lands;
    Command command;
  };
  /// Thread: the audio thread, and after it `end`.
  void count_report(bool reported) noexcept {
    if (reported) reported_.store(reported_.load(std::memory_order_relaxed) + 1, std::memory_order_release);
  }

  /// The commands that wait for the audio thread. While nobody renders.
  std::vector<Posted> take_posted();
  void put_posted(const std::vector<Posted>& posted);
  std::int64_t delay() const { return options_.limiter ? Limiter::delay : 0; }
  void render_call(float* out, std::int64_t frames) noexcept;
  int carry_out_due(int frames) noexcept;
  void note_late(const Posted& posted, MixFrame landed) noexcept;
  void render_run(int frames) noexcept;
  void set_scope(const SetScope& command) noexcept;
  void wind_clocks(int frames) noexcept;
  ScopeFrame now_of(std::uint32_t scope) const {
    const Clock& clock = clocks_[scope];
    return clock.used ? clock.now() : ScopeFrame{rendered_.value};
  }
  MixFrame mix_voice(Voice& voice, ChannelGains& channels, int frames) noexcept;
  void mix_voices(int frames) noexcept;
  void hand_out(float* to, int from, int count) const noexcept;
  void carry_out(const Command& command) noexcept;
  void set_filter(const SetFilter& command) noexcept;
  void order_groups() noexcept;
  void mix_groups(int frames) noexcept;
  static kernels::Curve level_curve(Group& group, Moving duck, int count) noexcept;
  float step_ducks(Group& group, std::size_t which) noexcept;
  LoudnessMeter* watched_meter(std::uint32_t group) const noexcept {
    return (loudness_watched_.load(std::memory_order_acquire) >> group & 1) != 0 ? loudness_meters_[group].get() : nullptr;
  }
  void measure(LoudnessMeter& meter, const Group& group, int from, const kernels::Curve& gain, int count) const noexcept;
  void mix_group_into_parent(std::uint32_t index, int frames) noexcept;
  bool filter_pair(Group& group, std::size_t pair, int at) noexcept;
  template <class Act>
  void each_channel(Channels which, Act act) const {
    for (std::size_t c = 0; c < width_; ++c)
      if ((which >> c & 1) != 0) act(c);
  }
  void mend(std::uint32_t group, int frames) noexcept;
  void mend_output(int frames) noexcept;
  void open(Group& group, Channels which, int frames) noexcept;
  static void clear(const Group& group, std::size_t pair, int frames) noexcept;

  MixerOptions options_;
  std::size_t width_;  ///< channels of a bus
  Limiter limiter_;
  std::vector<Voice> voices_;
  std::vector<ChannelGains> channels_;  ///< of voices in the world, by voice
  std::unique_ptr<float[]> samples_;    ///< of all buses
  std::unique_ptr<Group[]> groups_;
  std::array<std::uint32_t, most_groups> order_{};  ///< the groups as they are mixed
  std::uint32_t groups_in_order_ = 0;
  bool order_is_old_ = true;
  std::unique_ptr<Clock[]> clocks_;
  std::uint32_t clocks_used_ = 0;  ///< one more than the highest number of a scope that has a law
  std::unique_ptr<Meter[]> meters_;
  std::array<std::unique_ptr<LoudnessMeter>, most_groups> loudness_meters_;  ///< of the groups that are or were watched
  std::atomic<std::uint64_t> loudness_watched_{0};                           ///< a bit for each group
  std::unique_ptr<MixTap> tap_;                                              ///< null in a game
  moodycamel::ReaderWriterQueue<Posted, 64> commands_;
  moodycamel::ReaderWriterQueue<VoiceFinished> finished_;
  moodycamel::ReaderWriterQueue<CameLate> late_;
  std::atomic<std::uint64_t> lost_late_{0};
  std::atomic<std::uint64_t> reported_{0};
  std::uint64_t posted_ = 0;  ///< commands so far, on the control side
  std::atomic<std::uint64_t> committed_{0};
  std::uint64_t taken_ = 0;      ///< commands so far, on the audio thread
  std::uint64_t may_take_ = 0;   ///< in this call
  std::uint64_t last_late_ = 0;  ///< request that was reported to be late
  MixFrame call_begins_;         ///< the clock at this call
  MixFrame call_ends_;
  Bus output_;
  int output_size_ = 0;                   ///< frames in `output_`
  int output_left_ = 0;                   ///< frames of `output_` not handed out yet
  int to_skip_ = 0;                       ///< frames that the limiter's delay puts before the first
  bool sounding_ = false;                 ///< a voice is: changes of groups must be smooth
  MixFrame rendered_;                     ///< frames mixed, at most a quantum and the limiter's delay ahead of the clock
  std::atomic<std::uint64_t> moment_{0};  ///< clock, and frames of the call that is running, in one word
  std::atomic<std::uint32_t> broken_group_{no_group};
};

template <class State>
void Mixer::state(State& s) {
  s(rendered_, call_begins_, call_ends_, posted_, taken_, may_take_, last_late_);
  for (std::size_t c = 0; c < width_; ++c)
    for (int i = 0; i < most_run; ++i) s(output_.channel(c)[i]);
  s(output_size_, output_left_, to_skip_, sounding_);
  s.atomic(moment_);
  s.atomic(committed_);
  s.atomic(broken_group_);
  limiter_.state(s);
  s(clocks_used_);
  for (std::uint32_t scope = 0; scope < most_scopes; ++scope) s(clocks_[scope]);
  for (Voice& voice : voices_) voice.state(s);
  s.list(channels_);
  for (std::uint32_t g = 0; g < most_groups; ++g) {
    s(groups_[g].gain, groups_[g].mood, groups_[g].ducked, groups_[g].depth, groups_[g].ducks);
    s(groups_[g].filters, groups_[g].parent, groups_[g].used);
    s.atomic(meters_[g].peak);
    s.atomic(meters_[g].rms);
  }
  order_is_old_ = true;
  std::vector<Posted> posted = take_posted();
  s.list(posted);
  put_posted(posted);
}

template <class ClipOf>
void Mixer::give_clips(ClipOf clip_of) {
  for (std::uint32_t v = 0; v < voices_.size(); ++v)
    if (voices_[v].active()) voices_[v].give(clip_of(v));
  std::vector<Posted> posted = take_posted();
  for (Posted& its : posted)
    if (auto* start = std::get_if<StartVoice>(&its.command)) start->clip = clip_of(start->voice);
  put_posted(posted);
}

}  // namespace tidewater
