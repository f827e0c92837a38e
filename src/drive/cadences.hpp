#pragma once
/// Cadences: when each sound that starts again and again starts next.

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "base/frame.hpp"
#include "base/state.hpp"
#include "terms/agenda.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// One cadence, which one raise has begun.
struct Cadence {
  StartRef start;
  bool in_world = false;
  std::uint64_t event = 0;  ///< hash of the event's name
  static constexpr std::size_t most_traits = 8;
  std::array<KeptTrait, most_traits> traits{};
  std::size_t trait_count = 0;
  Decibels gain;                    ///< added to each step by the response
  std::uint64_t action = 0;         ///< the action that began it
  Pan pan;                          ///< as drawn; if the game has turned the cadence's pan since, that holds for its steps
  Hertz low_pass;                   ///< in the same way
  std::uint32_t count = 0;          ///< how many steps were started
  std::array<StartRef, 32> last{};  ///< the latest starts: more than are decided ahead
  ScopeFrame at;                    ///< the frame that `left` counts from
  double left = 0;                  ///< seconds of its own rhythm until the next step
  std::uint64_t looked_at = 0;      ///< the update that looked at it last
  bool held = false;                ///< a gauge holds its steps back
  bool heard(std::uint64_t update) const { return looked_at + 1 >= update; }
};

class Cadences {
 public:
  /// A rhythm that gauges slow down to less than this share stands still.
  static constexpr double slowest = 1e-3;

  /// `starts` is the most there may be.
  explicit Cadences(std::size_t starts) : at_(starts, none) { cadences_.reserve(at_a_time); }
  /// Makes room for cadences that begin before the next call. In an update.
  void make_room();
  void add(const Cadence& cadence);
  void remove(StartRef start);
  /// Returns null if the start has no cadence.
  Cadence* find(StartRef start);
  template <class Act>
  void each(Act act) {
    for (Cadence& its : cadences_) act(its);
  }

  /// Advances to `now`, the first frame on which anything can be heard. `times` is the speed of the rhythm from now on, 1 for its own.
  /// Returns how many steps are left out because their frames are past; the rhythm is kept. A step that is late by less than a quarter of
  /// the rhythm starts now.
  static std::uint64_t go_on(Cadence& its, ScopeFrame now, double times, Seconds mean, Hertz rate);
  /// The frame of the next step, if it comes before `until`.
  static std::optional<ScopeFrame> next(const Cadence& its, ScopeFrame until, double times, Hertz rate);
  /// A step was started on `frame`; the next comes `interval` later.
  static void started(Cadence& its, ScopeFrame frame, Seconds interval, double times, Hertz rate);

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s.list(cadences_), s.list(at_);
  }

 private:
  static constexpr std::uint32_t none = ~0U;
  static constexpr std::size_t at_a_time = 64;
  static constexpr double late_enough = 0.25;
  std::vector<Cadence> cadences_;
  std::vector<std::uint32_t> at_;  ///< by start: its place in `cadences_`
};

}  // namespace tidewater
