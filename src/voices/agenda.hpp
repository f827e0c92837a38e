#pragma once
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

#include "voices/live.hpp"

namespace tidewater {

/// Layers that wait for their delay, the earliest first. Each layer knows its place in the heap, so that a layer that is stopped leaves at
/// once.
class Agenda {
 public:
  /// The frame of a layer that waits for something else.
  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();

  void reserve(std::size_t count) { due_.reserve(count); }

  void add(LiveLayer& layer, std::int64_t frame) {
    due_.push_back({frame, ++count_, &layer});
    rise(due_.size() - 1);
  }
  void remove(LiveLayer& layer) {
    const std::size_t at = std::exchange(layer.turn, LiveLayer::no_turn);
    const Due last = due_.back();
    due_.pop_back();
    if (at == due_.size()) return;
    put(at, last);
    sink(at);
    rise(at);
  }
  /// The first layer that is due by a frame. Null if none is.
  LiveLayer* due_by(std::int64_t frame) const { return due_.empty() || due_.front().frame > frame ? nullptr : due_.front().layer; }

  /// `layer(pointer)` keeps which layer waits.
  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s(count_);
    s.each(due_, [&](Due& due) {
      s(due.frame, due.number);
      layer(due.layer);
    });
  }

 private:
  struct Due {
    std::int64_t frame = 0;
    std::uint64_t number = 0;  ///< of two layers on one frame the lower comes first
    LiveLayer* layer = nullptr;

    bool before(const Due& other) const { return std::pair(frame, number) < std::pair(other.frame, other.number); }
  };

  void put(std::size_t at, const Due& due) {
    due_[at] = due;
    due.layer->turn = static_cast<std::uint32_t>(at);
  }
  void rise(std::size_t at) {
    const Due its = due_[at];
    for (; at > 0 && its.before(due_[(at - 1) / 2]); at = (at - 1) / 2) put(at, due_[(at - 1) / 2]);
    put(at, its);
  }
  void sink(std::size_t at) {
    const Due its = due_[at];
    for (std::size_t child = 2 * at + 1; child < due_.size(); child = 2 * at + 1) {
      if (child + 1 < due_.size() && due_[child + 1].before(due_[child])) ++child;
      if (!due_[child].before(its)) break;
      put(at, due_[child]);
      at = child;
    }
    put(at, its);
  }

  std::vector<Due> due_;
  std::uint64_t count_ = 0;  ///< how many layers were added so far
};

}  // namespace tidewater
