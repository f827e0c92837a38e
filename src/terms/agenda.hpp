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
  std::uint32_t number = 0;  ///< the layer's slot; of a response see `Agenda::response`
};

/// A response that waits. What it names may be in another bank by then, so that the names are kept, as hashes.
struct PutOff {
  PlaybackId id;
  std::uint64_t event = 0, target = 0;
  Verb verb = Verb::start;
  std::uint32_t ticket = 0;  ///< which the agenda gave it
  Seconds time = {};
};

/// All that is due, the earliest first. It is of plain bytes. Who adds something gets a ticket, by which it leaves at once if it is not
/// wanted any more.
class Agenda {
 public:
  using Ticket = std::uint32_t;
  static constexpr Ticket no_ticket = ~0U;

  void reserve(std::size_t layers, std::size_t responses) {
    queue_.reserve(layers + responses);
    slots_.reserve(layers + responses);
    free_.reserve(layers + responses);
    put_off_.reserve(responses);
  }
  /// How many responses wait.
  std::size_t responses() const { return put_off_.size(); }

  Ticket add_layer(ScopeFrame frame, std::uint32_t slot) { return add(frame, {Due::Kind::layer, slot}); }
  Ticket add_response(ScopeFrame frame, const PutOff& response) {
    const Ticket ticket = add(frame, {Due::Kind::response, static_cast<std::uint32_t>(put_off_.size())});
    put_off_.push_back(response);
    put_off_.back().ticket = ticket;
    return ticket;
  }
  void remove(Ticket ticket) {
    if (slots_[ticket].due.kind == Due::Kind::response) {
      const std::uint32_t number = slots_[ticket].due.number;
      put_off_[number] = put_off_.back();
      slots_[put_off_[number].ticket].due.number = number;
      put_off_.pop_back();
    }
    const std::size_t at = slots_[ticket].at;
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
  const PutOff& response(const Due& due) const { return put_off_[due.number]; }

  /// Calls `act(ticket, due)` for everything on it.
  template <class Act>
  void each(Act act) const {
    for (const Turn& turn : queue_) act(turn.ticket, slots_[turn.ticket].due);
  }

  template <class State>
  void state(State& s) {
    s(count_);
    s.list(queue_), s.list(slots_), s.list(free_), s.list(put_off_);
    if (!is_whole()) s.damage();
  }

 private:
  struct Turn {
    ScopeFrame frame;
    std::uint64_t number = 0;  ///< of two on one frame the lower comes first
    Ticket ticket = 0;

    bool before(const Turn& other) const { return std::pair(frame, number) < std::pair(other.frame, other.number); }
  };
  struct Slot {
    std::uint32_t at = 0;  ///< its place in the queue
    Due due;
  };

  Ticket add(ScopeFrame frame, const Due& due) {
    if (free_.empty()) {
      free_.push_back(static_cast<Ticket>(slots_.size()));
      slots_.emplace_back();
    }
    const Ticket ticket = free_.back();
    free_.pop_back();
    slots_[ticket].due = due;
    queue_.push_back({frame, ++count_, ticket});
    rise(queue_.size() - 1);
    return ticket;
  }
  void put(std::size_t at, const Turn& turn) {
    queue_[at] = turn;
    slots_[turn.ticket].at = static_cast<std::uint32_t>(at);
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
  /// Whether a state that was read holds together.
  bool is_whole() const {
    if (queue_.size() + free_.size() != slots_.size()) return false;
    std::size_t responses = 0;
    for (std::size_t at = 0; at < queue_.size(); ++at) {
      const Ticket ticket = queue_[at].ticket;
      if (ticket >= slots_.size() || slots_[ticket].at != at) return false;
      const Due& due = slots_[ticket].due;
      if (due.kind != Due::Kind::response) continue;
      ++responses;
      if (due.number >= put_off_.size() || put_off_[due.number].ticket != ticket) return false;
    }
    for (const Ticket ticket : free_)
      if (ticket >= slots_.size()) return false;
    return responses == put_off_.size();
  }

  std::vector<Turn> queue_;  ///< a heap
  std::vector<Slot> slots_;  ///< by ticket
  std::vector<Ticket> free_;
  std::vector<PutOff> put_off_;
  std::uint64_t count_ = 0;  ///< how many were added so far
};

}  // namespace tidewater
