#pragma once
#include <algorithm>
#include <cstdint>
#include <limits>
#include <optional>

#include "base/frame.hpp"
#include "tidewater/journal.hpp"

namespace tidewater {

/// Records when `update` was called, and whether before or after the requests of that frame. Updates wake sleepers, so the order decides
/// who has a voice. Calls at an even pace are one run.
class UpdateLog {
 public:
  void request(MixFrame frame) {
    if (asked_at_ != frame) asked_ = 0;
    asked_at_ = frame;
    ++asked_;
    if (last_ && last_->frame == frame) last_->followed = true;
  }

  /// The first update at a frame is kept; further ones change nothing. `write` takes a run that is over.
  template <class Write>
  bool update(MixFrame frame, std::int64_t ahead, Write write) {
    if (frame == MixFrame{} || (last_ && last_->frame == frame)) return false;
    settle(write);
    last_ = Update{frame, ahead, asked_at_ == frame ? asked_ : 0, false};
    return true;
  }

  template <class Write>
  void finish(Write write) {
    settle(write);
    flush(write);
  }

 private:
  /// The most updates in a run: a second at sixty a second. A crash loses the run that is not written yet.
  static constexpr std::uint64_t longest = 60;

  struct Update {
    MixFrame frame;
    std::int64_t ahead = 0;    ///< from there to where it lands
    std::uint32_t behind = 0;  ///< requests of its frame that came before it
    bool followed = false;     ///< some came after it
  };

  /// Now that nothing more can come at its frame, the last update joins the run or begins one.
  template <class Write>
  void settle(Write write) {
    if (!last_) return;
    const bool between = last_->behind > 0 && last_->followed;
    const bool tied = last_->behind > 0 || last_->followed;
    const std::uint32_t after = between ? last_->behind : last_->behind > 0 ? noted::Updates::all : 0;
    const std::int64_t every = last_->frame - run_end_;
    const bool joins = run_.times > 0 && run_.ahead.value == last_->ahead && !between && !closed_ &&
                       (run_.times == 1 || run_.every.value == every) && (!tied || !run_tied_ || after == run_.after);
    if (!joins) {
      flush(write);
      run_ = {{last_->frame.value}, {1}, 0, 0, {last_->ahead}};
      run_tied_ = false;
      closed_ = between;
    } else {
      run_.every = {every};
    }
    if (tied) {
      run_.after = after;
      run_tied_ = true;
    }
    ++run_.times;
    run_end_ = last_->frame;
    last_.reset();
    if (run_.times < run_length_) return;
    flush(write);
    run_length_ = std::min(longest, 2 * run_length_);
  }

  template <class Write>
  void flush(Write write) {
    if (run_.times > 0) write(run_);
    run_.times = 0;
  }

  noted::Updates run_;
  std::uint64_t run_length_ = 1;  ///< the first runs are short, so that a game that crashes in its first second leaves its pace
  bool run_tied_ = false, closed_ = false;
  MixFrame run_end_;
  std::optional<Update> last_;
  MixFrame asked_at_{-1};
  std::uint32_t asked_ = 0;
};

}  // namespace tidewater
