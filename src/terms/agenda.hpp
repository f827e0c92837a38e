#pragma once
#include <cstdint>
#include <utility>
#include <vector>

#include "base/frame.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/design.hpp"

namespace tidewater {

/// What is due on a frame: a layer that waits for its delay asks for a voice, or a response is carried out.
struct Due {
  enum class Kind : std::uint32_t { layer, response };

  Kind kind = Kind::layer;
  std::uint32_t layer = 0;  ///< its slot
  StartRef start;           ///< of the layer; of a response the id is its own, and the slot says nothing
  // Of a response. What it names may be in another bank by then, so that the names are kept, as hashes.
  std::uint64_t event = 0, target = 0;
  Verb verb = Verb::start;
  Seconds time = {};
};

/// All that is due, the earliest first. It is of plain bytes. Who adds something gets a ticket, by which it leaves at once if it is not
/// wanted any more.
class Agenda {
 public:
  using Ticket = std::uint32_t;
  static constexpr Ticket no_ticket = ~0U;

  void reserve(std::size_t count) {
    queue_.reserve(count);
    slots_.reserve(count);
    free_.reserve(count);
  }
  /// Responses that wait.
  std::size_t responses() const { return responses_; }

  Ticket add(ScopeFrame frame, const Due& due) {
    if (free_.empty()) {
      free_.push_back(static_cast<Ticket>(slots_.size()));
      slots_.emplace_back();
    }
    const Ticket ticket = free_.back();
    free_.pop_back();
    slots_[ticket].due = due;
    if (due.kind == Due::Kind::response) ++responses_;
    queue_.push_back({frame, ++count_, ticket});
    rise(queue_.size() - 1);
    return ticket;
  }
  void remove(Ticket ticket) {
    const std::size_t at = slots_[ticket].at;
    if (slots_[ticket].due.kind == Due::Kind::response) --responses_;
    free_.push_back(ticket);
    const Turn last = queue_.back();
    queue_.pop_back();
    if (at == queue_.size()) return;
    put(at, last);
    sink(at);
    rise(at);
  }
  /// The ticket of the first that is due by a frame, and the frame on which it was. Returns `no_ticket` if none is.
  std::pair<Ticket, ScopeFrame> due_by(ScopeFrame frame) const {
    if (queue_.empty() || queue_.front().frame > frame) return {no_ticket, {}};
    return {queue_.front().ticket, queue_.front().frame};
  }
  const Due& operator[](Ticket ticket) const { return slots_[ticket].due; }

  /// Calls `act(ticket, due)` for everything on it.
  template <class Act>
  void each(Act act) const {
    for (const Turn& turn : queue_) act(turn.ticket, slots_[turn.ticket].due);
  }

  template <class State>
  void state(State& s) {
    s(count_, responses_);
    s.list(queue_), s.list(slots_), s.list(free_);
    bool whole = queue_.size() + free_.size() == slots_.size();
    for (std::size_t at = 0; whole && at < queue_.size(); ++at)
      whole = queue_[at].ticket < slots_.size() && slots_[queue_[at].ticket].at == at;
    for (const Ticket ticket : free_) whole = whole && ticket < slots_.size();
    if (!whole) s.damage();
  }

 private:
  struct Turn {
    ScopeFrame frame;
    std::uint64_t number = 0;  ///< of two on one frame the lower comes first
    Ticket ticket = 0;

    bool before(const Turn& other) const { return std::pair(frame, number) < std::pair(other.frame, other.number); }
  };
  struct Slot {
    std::size_t at = 0;  ///< its place in the queue
    Due due;
  };

  void put(std::size_t at, const Turn& turn) {
    queue_[at] = turn;
    slots_[turn.ticket].at = at;
  }
  void rise(std::size_t at) {
    const Turn its = queue_[at];
    for (; at > 0 && its.before(queue_[(at - 1) / 2]); at = (at - 1) / 2) put(at, queue_[(at - 1) / 2]);
    put(at, its);
  }
  void sink(std::size_t at) {
    const Turn its = queue_[at];
    for (std::size_t child = 2 * at + 1; child < queue_.size(); child = 2 * at + 1) {
      if (child + 1 < queue_.size() && queue_[child + 1].before(queue_[child])) ++child;
      if (!queue_[child].before(its)) break;
      put(at, queue_[child]);
      at = child;
    }
    put(at, its);
  }

  std::vector<Turn> queue_;  ///< a heap
  std::vector<Slot> slots_;  ///< by ticket
  std::vector<Ticket> free_;
  std::uint64_t count_ = 0;    ///< how many were added so far
  std::size_t responses_ = 0;  ///< how many of them wait
};

}  // namespace tidewater
