#pragma once
#include <algorithm>
#include <cstdint>
#include <utility>
#include <vector>

#include "bank/bank_data.hpp"

namespace tidewater {

/// A clip of a loaded bank.
struct LiveClip {
  ClipData data;                 ///< empty if it is not in memory
  bool stays = true;             ///< it is never dropped
  bool there = true;             ///< decisions count it as being in memory; only requests change that
  bool held = false;             ///< its samples are in memory, or were when the state was saved
  bool wanted = false;           ///< the reading thread was asked for it
  std::uint32_t users = 0;       ///< layers that are not over
  std::uint64_t idle_since = 0;  ///< a number that grows: when the last of them ended
  LiveClip *older = nullptr, *newer = nullptr;

  /// Whether it may be dropped.
  bool idle() const { return there && !stays && users == 0; }
};

/// The clips that may be dropped, in the order in which they fell idle.
class IdleClips {
 public:
  /// Null if there is none.
  LiveClip* oldest() const { return oldest_; }

  void add(LiveClip& clip, std::uint64_t number) {
    clip.idle_since = number;
    clip.older = newest_;
    clip.newer = nullptr;
    (newest_ != nullptr ? newest_->newer : oldest_) = &clip;
    newest_ = &clip;
  }
  void remove(LiveClip& clip) {
    (clip.older != nullptr ? clip.older->newer : oldest_) = clip.newer;
    (clip.newer != nullptr ? clip.newer->older : newest_) = clip.older;
    clip.older = clip.newer = nullptr;
  }

 private:
  LiveClip *oldest_ = nullptr, *newest_ = nullptr;
};

/// The clips of a loaded bank, by number, and how many layers use each.
class LiveClips {
 public:
  explicit LiveClips(std::size_t count = 0) : all_(count) {}

  std::size_t size() const { return all_.size(); }
  /// How many may be dropped.
  std::size_t away() const {
    return static_cast<std::size_t>(std::count_if(all_.begin(), all_.end(), [](const LiveClip& clip) { return !clip.stays; }));
  }
  LiveClip& operator[](std::size_t number) { return all_[number]; }
  std::uint32_t number_of(const LiveClip& clip) const { return static_cast<std::uint32_t>(&clip - all_.data()); }

  void use(LiveClip& clip) {
    if (clip.idle()) idle_.remove(clip);
    ++clip.users;
  }
  /// `number` grows with each call for any bank.
  void leave(LiveClip& clip, std::uint64_t number) {
    --clip.users;
    if (clip.idle()) idle_.add(clip, number);
  }
  /// Its samples are in memory.
  void give(LiveClip& clip, ClipData data) {
    bytes_ += data.bytes();
    clip.data = std::move(data);
    clip.held = true;
  }
  /// It came, as far as decisions go.
  void came(LiveClip& clip, std::uint64_t number) {
    clip.there = true;
    if (clip.idle()) idle_.add(clip, number);
  }
  /// It is to go, and nobody uses it. Whoever takes its samples destroys them.
  ClipData drop(LiveClip& clip) {
    idle_.remove(clip);
    clip.there = clip.held = false;
    bytes_ -= clip.data.bytes();
    return std::exchange(clip.data, {});
  }
  /// The one that has been idle for longest; null where none is.
  LiveClip* oldest_idle() const { return idle_.oldest(); }
  /// That samples take.
  std::size_t bytes() const { return bytes_; }

  /// See base/state.hpp. Samples are not in it: those that are held are to be read again.
  template <class State>
  void state(State& s) {
    for (LiveClip& clip : all_) s(clip.stays, clip.there, clip.held, clip.wanted, clip.users, clip.idle_since);
    if constexpr (State::reading) {
      std::vector<LiveClip*> idle;
      for (LiveClip& clip : all_)
        if (clip.idle()) idle.push_back(&clip);
      std::sort(idle.begin(), idle.end(), [](auto* a, auto* b) { return a->idle_since < b->idle_since; });
      for (LiveClip* clip : idle) idle_.add(*clip, clip->idle_since);
    }
  }

 private:
  std::vector<LiveClip> all_;
  IdleClips idle_;
  std::size_t bytes_ = 0;
};

}  // namespace tidewater
