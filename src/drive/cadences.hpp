#pragma once
/// Sounds that start again and again: when each is to start next. What a start is, others know.

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "base/state.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// A trait that came with a raise, by its hashes.
struct KeptTrait {
  std::uint64_t name = 0, value = 0;
};

/// What starts again and again, from one raise.
struct Cadence {
  StartRef start;
  bool in_world = false;
  std::uint64_t event = 0;  ///< hash of its name
  static constexpr std::size_t most_traits = 8;
  std::array<KeptTrait, most_traits> traits{};
  std::size_t trait_count = 0;
  Pan pan;                          ///< as they were drawn for it: where the game has turned them, that holds for its beats
  Hertz low_pass;                   ///< the same
  std::uint32_t count = 0;          ///< times that it has started
  std::array<StartRef, 32> last{};  ///< the latest starts: more than are decided ahead
  std::int64_t at = 0;              ///< the frame that `left` counts from
  double left = 0;                  ///< seconds of its own cadence to the next
  std::uint64_t looked_at = 0;      ///< update in which it was last asked
  bool held = false;                ///< a gauge holds its steps back
  bool heard(std::uint64_t update) const { return looked_at + 1 >= update; }
};

class Cadences {
 public:
  /// A rhythm that is slower than its own by more than this stands still.
  static constexpr double slowest = 1e-3;

  /// So many starts there may be.
  explicit Cadences(std::size_t starts) : at_(starts, none) { cadences_.reserve(at_a_time); }
  /// For those that begin before this is asked again: in an update.
  void make_room();
  void add(const Cadence& cadence);
  void remove(StartRef start);
  /// Returns null if the start has no cadence.
  Cadence* find(StartRef start);
  template <class Act>
  void each(Act act) {
    for (Cadence& its : cadences_) act(its);
  }

  /// Goes on to `now`, the first frame on which anything can be heard. `times` is how often it starts, against its own cadence, from now
  /// on. Returns how many starts are left out because their frames are past; the rhythm is kept. One that is late by less than a quarter of
  /// the rhythm is not left out: it starts now.
  static std::uint64_t go_on(Cadence& its, std::int64_t now, double times, Seconds mean, Hertz rate);
  /// The frame of the next start, if that comes before `until`.
  static std::optional<std::int64_t> next(const Cadence& its, std::int64_t until, double times, Hertz rate);
  /// It has started on that frame; the next comes so much later.
  static void started(Cadence& its, std::int64_t frame, Seconds interval, double times, Hertz rate);

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
  std::vector<std::uint32_t> at_;  ///< of each start, where in that
};

}  // namespace tidewater
