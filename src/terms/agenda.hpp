#pragma once
#include <array>
#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

#include "base/frame.hpp"
#include "terms/scope_times.hpp"
#include "terms/start_ref.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/design.hpp"

namespace tidewater {

/// One entry of the agenda: a layer asks for a voice after its delay, a response is carried out, the grace of a restarted
/// scope ends, or a change of music is placed.
struct Due {
  enum class Kind : std::uint8_t { layer, response, grace, music };

  Kind kind = Kind::layer;
  ScopeNumber scope = 0;
  std::uint32_t number = 0;  ///< layer: its slot. Response: see `Agenda::response`. Grace: the scope's count of restarts.
                             ///< Music: the number of the stand
};

/// A trait that came with a raise, by its hashes.
struct KeptTrait {
  std::uint64_t name = 0, value = 0;
  friend bool operator==(const KeptTrait&, const KeptTrait&) = default;
};

/// A response that waits. What it names may be in another bank by then, so that the names are kept, as hashes.
struct PutOff {
  static constexpr std::size_t most_traits = 8;

  PlaybackId id;
  std::uint64_t event = 0, target = 0;
  ResponseDesign response = {};
  ScopeFrame frame = {};     ///< the frame on which it takes effect; a raise is carried out shortly before
  std::uint32_t ticket = 0;  ///< which the agenda gave it
  // Of the raise.
  std::uint64_t emitter = 0, action = 0;
  std::optional<Whereabouts> at = {};
  std::optional<ScopeNumber> scope = {};
  Decibels gain = {};
  std::array<KeptTrait, most_traits> traits{};
  std::size_t trait_count = 0;
};

/// A queue for each scope of the things that are due later, ordered by scope time. Consists of plain bytes. Adding an entry returns a
/// ticket, by which the entry can be removed in logarithmic time.
class Agenda {
 public:
  using Ticket = std::uint32_t;
  static constexpr Ticket no_ticket = ~0U;

  explicit Agenda(const ScopeTimes& times) : times_(&times) {}

  void reserve(std::size_t layers, std::size_t responses) {
    queues_[0].reserve(layers + responses);
    slots_.reserve(layers + responses);
    free_.reserve(layers + responses);
    put_off_.reserve(responses);
    room_ = layers + responses;
  }
  /// Reserves memory for entries of a scope, so that adding one allocates nothing.
  void know_scope(ScopeNumber scope) { queues_[scope].reserve(room_); }
  /// Returns the time of each scope.
  const ScopeTimes& times() const { return *times_; }
  /// How many responses wait.
  std::size_t responses() const { return put_off_.size(); }

  Ticket add_layer(ScopeNumber scope, ScopeFrame frame, std::uint32_t slot) { return add(frame, {Due::Kind::layer, scope, slot}); }
  Ticket add_response(ScopeNumber scope, ScopeFrame frame, const PutOff& response) {
    const Ticket ticket = add(frame, {Due::Kind::response, scope, static_cast<std::uint32_t>(put_off_.size())});
    put_off_.push_back(response);
    put_off_.back().ticket = ticket;
    return ticket;
  }
  Ticket add_grace(ScopeNumber scope, ScopeFrame frame, std::uint32_t restarts) { return add(frame, {Due::Kind::grace, scope, restarts}); }
  Ticket add_music(ScopeNumber scope, ScopeFrame frame, std::uint32_t stand) { return add(frame, {Due::Kind::music, scope, stand}); }
  /// Removes the responses that wait in these scopes. Layers leave when their starts do.
  void remove_responses(ScopeMask scopes) {
    remove_responses([&](ScopeNumber scope, const PutOff&) { return (bit_of(scope) & scopes) != 0; });
  }
  /// Removes the responses for which `is(scope, response)` holds. Returns how many there were.
  template <class Is>
  std::size_t remove_responses(Is is) {
    const std::size_t before = put_off_.size();
    for (std::size_t at = before; at-- > 0;)
      if (const Ticket ticket = put_off_[at].ticket; is(slots_[ticket].due.scope, put_off_[at])) remove(ticket);
    return before - put_off_.size();
  }
  /// Forgets the place of responses whose emitter was removed.
  void forget_place_of(std::uint64_t emitter) {
    for (PutOff& its : put_off_)
      if (its.emitter == emitter) its.at.reset();
  }
  void remove(Ticket ticket) {
    const Due its = slots_[ticket].due;
    if (its.kind == Due::Kind::response) {
      put_off_[its.number] = put_off_.back();
      slots_[put_off_[its.number].ticket].due.number = its.number;
      put_off_.pop_back();
    }
    Queue& queue = queues_[its.scope];
    const std::size_t at = slots_[ticket].at;
    free_.push_back(ticket);
    const Turn last = queue.back();
    queue.pop_back();
    if (queue.empty()) waiting_ &= ~bit_of(its.scope);
    if (at == queue.size()) return;
    put(queue, at, last);
    sink(queue, at);
    rise(queue, at);
  }
  /// Returns the ticket of the first entry that is due at `frame` or before, and the frame of the mixer on which it is due. Returns
  /// `no_ticket` if there is none.
  std::pair<Ticket, MixFrame> due_by(MixFrame frame) const {
    std::pair<Ticket, MixFrame> first{no_ticket, frame};
    std::uint64_t number = 0;
    each_scope(waiting_, [&](ScopeNumber scope) {
      const Turn& turn = queues_[scope].front();
      const MixFrame due = times_->mixed(scope, turn.frame);
      if (due > first.second || (due == first.second && first.first != no_ticket && turn.number > number)) return;
      first = {turn.ticket, due};
      number = turn.number;
    });
    return first;
  }
  const Due& operator[](Ticket ticket) const { return slots_[ticket].due; }
  const PutOff& response(const Due& due) const { return put_off_[due.number]; }

  /// Calls `act(ticket, due)` for everything on it.
  template <class Act>
  void each(Act act) const {
    for (const Queue& queue : queues_)
      for (const Turn& turn : queue) act(turn.ticket, slots_[turn.ticket].due);
  }

  template <class State>
  void state(State& s) {
    s(count_, waiting_);
    for (Queue& queue : queues_) s.list(queue);
    s.list(slots_), s.list(free_), s.list(put_off_);
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

  using Queue = std::vector<Turn>;  ///< a heap

  Ticket add(ScopeFrame frame, const Due& due) {
    if (free_.empty()) {
      free_.push_back(static_cast<Ticket>(slots_.size()));
      slots_.emplace_back();
    }
    const Ticket ticket = free_.back();
    free_.pop_back();
    slots_[ticket].due = due;
    Queue& queue = queues_[due.scope];
    queue.push_back({frame, ++count_, ticket});
    waiting_ |= bit_of(due.scope);
    rise(queue, queue.size() - 1);
    return ticket;
  }
  void put(Queue& queue, std::size_t at, const Turn& turn) {
    queue[at] = turn;
    slots_[turn.ticket].at = static_cast<std::uint32_t>(at);
  }
  void rise(Queue& queue, std::size_t at) {
    const Turn its = queue[at];
    for (; at > 0 && its.before(queue[(at - 1) / 2]); at = (at - 1) / 2) put(queue, at, queue[(at - 1) / 2]);
    put(queue, at, its);
  }
  void sink(Queue& queue, std::size_t at) {
    const Turn its = queue[at];
    for (std::size_t child = 2 * at + 1; child < queue.size(); child = 2 * at + 1) {
      if (child + 1 < queue.size() && queue[child + 1].before(queue[child])) ++child;
      if (!queue[child].before(its)) break;
      put(queue, at, queue[child]);
      at = child;
    }
    put(queue, at, its);
  }
  /// Whether a state that was read holds together.
  bool is_whole() const {
    std::size_t waiting = 0, responses = 0;
    for (const Queue& queue : queues_) waiting += queue.size();
    if (waiting + free_.size() != slots_.size()) return false;
    for (std::size_t scope = 0; scope < queues_.size(); ++scope) {
      if (queues_[scope].empty() == ((waiting_ >> scope & 1) != 0)) return false;
      for (std::size_t at = 0; at < queues_[scope].size(); ++at) {
        const Ticket ticket = queues_[scope][at].ticket;
        if (ticket >= slots_.size() || slots_[ticket].at != at || slots_[ticket].due.scope != scope) return false;
        const Due& due = slots_[ticket].due;
        if (due.kind != Due::Kind::response) continue;
        ++responses;
        if (due.number >= put_off_.size() || put_off_[due.number].ticket != ticket) return false;
      }
    }
    for (const Ticket ticket : free_)
      if (ticket >= slots_.size()) return false;
    return responses == put_off_.size();
  }

  const ScopeTimes* times_;
  std::array<Queue, most_scopes> queues_;
  ScopeMask waiting_ = 0;  ///< scopes with an entry
  std::size_t room_ = 0;
  std::vector<Slot> slots_;  ///< by ticket
  std::vector<Ticket> free_;
  std::vector<PutOff> put_off_;
  std::uint64_t count_ = 0;  ///< how many were added so far
};

}  // namespace tidewater
