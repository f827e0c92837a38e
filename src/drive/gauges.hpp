#pragma once
/// The gauges that a manager knows: their designs, and the values that the game has set for every sound.

#include <cstdint>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/held_to.hpp"
#include "base/numbers.hpp"
#include "tidewater/gauge.hpp"

namespace tidewater {

/// A value that has changed by more than this is kept: 1/64 of the range.
inline double worth_keeping(const GaugeDesign& design) { return (design.to - design.from) / 64; }
/// The share of the way to a new value that a follower goes in `seconds`.
inline double part_of_the_way(const GaugeDesign& design, double seconds) {
  return seconds > 0 ? seconds / (seconds + design.smoothing.value / 3) : 0;
}
/// Whether a value is so near its aim that no difference is heard.
bool is_there(const GaugeDesign& design, double value, double aim);

class Gauges {
 public:
  /// The names, and which gauge each is.
  const Numbers& names() const { return names_; }
  /// Returns the number of the gauge. A known gauge takes the design over. Returns `Numbers::none` if there are too many.
  std::uint32_t add(std::string_view name, const GaugeDesign& design);
  std::size_t count() const { return gauges_.size(); }
  const GaugeDesign& design(std::uint32_t gauge) const { return gauges_[gauge].design; }

  /// Returns false if nothing changes.
  bool set(std::uint32_t gauge, double value);
  double aim(std::uint32_t gauge) const { return gauges_[gauge].aim; }
  /// The present value, on its way to the aim.
  double value(std::uint32_t gauge) const { return gauges_[gauge].value; }
  /// How often a gauge was set to another value.
  std::uint64_t changes() const { return changes_; }
  /// Moves all values on their way by a time.
  void step(Seconds time);

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s(changes_);
    names_.state(s);
    s.list(gauges_);
    if (gauges_.size() != names_.size()) s.damage();
  }

 private:
  struct Gauge {
    GaugeDesign design;
    double aim = 0, value = 0;
  };
  Numbers names_{most_gauges};
  std::vector<Gauge> gauges_;  ///< by number
  std::uint64_t changes_ = 0;
};

}  // namespace tidewater
