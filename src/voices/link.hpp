#pragma once
/// The traffic with the audio thread: the present time, commands for their frames, reports in order.

#include <atomic>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "base/ours.hpp"
#include "mix/mixer.hpp"
#include "notebook/notebook.hpp"
#include "tidewater/journal.hpp"

namespace TIDEWATER_OURS tidewater {

class Link {
 public:
  Link(const MixerOptions& options, bool offline);

  Mixer& mixer() { return mixer_; }

  /// Reads the time, and the reports that are known by then; notes what came late. The order of the reports does not depend on blocks.
  void read_clock(Notebook& notebook);
  /// The first report that nobody has taken. Null if all were taken.
  const VoiceFinished* report() const { return next_report_ < reports_.size() ? &reports_[next_report_] : nullptr; }
  void drop_report() { ++next_report_; }
  /// The time of the request or update that is being carried out.
  Mixer::Moment now() const { return now_; }
  /// The frame that delays count from, and on which a start without delay is heard.
  MixFrame base() const { return now_.lands + mixer_.lead(); }
  /// The first frame that the request can change.
  MixFrame changes_from() const { return mixer_.changes_from(now_.lands); }

  /// Counts a request or an update, by which late commands are named. Sends commands that were put off before.
  void count_request();
  /// How many requests and updates there were.
  std::uint64_t requests() const { return request_; }
  /// Sends a command for the frame on which the request lands. Puts the command off if more land there than the queue certainly holds.
  void send(const Command& command);
  /// The same for a start, which `fill(start)` fills in its place: it is large.
  template <class Fill>
  void send_start(Fill fill) {
    if (backlog_.empty() && sent_ < commands_a_block && mixer_.post_start(request_, lands_of_request(), fill)) {
      ++sent_;
      return;
    }
    Command command{StartVoice{}};
    fill(std::get<StartVoice>(command));
    put_off(command);
  }
  /// After each request: its commands are complete.
  void commit() { mixer_.commit(); }

  /// See base/state.hpp: while nobody renders, and the clock was just read.
  template <class State>
  void state(State& s) {
    s(request_, sent_for_, sent_);
    s.list(backlog_), s.list(reports_);
    mixer_.state(s);
  }
  template <class ClipOf>
  void give_clips(ClipOf clip_of) {
    for (Command& waiting : backlog_)
      if (auto* start = std::get_if<StartVoice>(&waiting)) start->clip = clip_of(start->voice);
    mixer_.give_clips(clip_of);
  }

  /// Thread: the audio thread.
  void render(std::span<float> out) noexcept;
  /// Frames since the audio thread began its last call, so that raises keep their distance inside a block.
  std::int64_t into_block() const;

  // For a replay.

  /// Sets the time of the next request, if the clock does not move until then.
  void stand(Mixer::Moment moment) { replayed_ = moment; }
  void come_late(std::vector<noted::Late> requests) { late_ = std::move(requests); }

 private:
  bool post(const Command& command);
  void put_off(Command command);
  void send_put_off();
  MixFrame lands_of_request() const { return late_.empty() ? now_.lands : late_or_now(); }
  MixFrame late_or_now() const;
  void take_reports(Notebook& notebook);

  Mixer mixer_;
  double rate_;
  int channels_;
  bool offline_;
  Mixer::Moment now_;
  std::uint64_t request_ = 0;
  // Putting a command off depends only on the requests, never on how far the audio thread is, so a replay puts off the same commands.
  MixFrame sent_for_;                   ///< the frame that the last commands land on
  std::uint64_t sent_ = 0;              ///< so many
  std::vector<Command> backlog_;        ///< what was put off, the latest of each kind for each voice, group and scope
  std::vector<VoiceFinished> reports_;  ///< that were read
  std::size_t next_report_ = 0;         ///< the first of them that nobody has taken
  std::uint64_t taken_ = 0;             ///< how many of the mixer's reports
  std::optional<Mixer::Moment> replayed_;
  std::vector<noted::Late> late_;
  std::atomic<std::int64_t> call_began_{0};   ///< nanoseconds on the steady clock
  std::atomic<std::int64_t> call_frames_{0};  ///< of the last call of render
};

}  // namespace tidewater
