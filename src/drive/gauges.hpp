#pragma once
/// The gauges that a manager knows: their designs, and where those are that hold for all that sounds.

#include <cstdint>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/held_to.hpp"
#include "base/numbers.hpp"
#include "tidewater/gauge.hpp"

namespace tidewater {

/// What has changed by more than this is worth to be kept: a 64th of the range.
inline double worth_keeping(const GaugeDesign& design) { return (design.to - design.from) / 64; }
/// Part of the way to where a gauge was set that what follows it goes in a time.
inline double part_of_the_way(const GaugeDesign& design, double seconds) {
  return seconds > 0 ? seconds / (seconds + design.smoothing.value / 3) : 0;
}
/// Nearer than can be heard.
bool is_there(const GaugeDesign& design, double value, double aim);

class Gauges {
 public:
  /// The names, and which gauge each is.
  const Numbers& names() const { return names_; }
  /// Returns the number of the gauge. A known gauge takes the design over. Returns `Numbers::none` if there are too many.
  std::uint32_t add(std::string_view name, const GaugeDesign& design);
  std::size_t count() const { return gauges_.size(); }
  const GaugeDesign& design(std::uint32_t gauge) const { return gauges_[gauge].design; }

  /// False where nothing changes.
  bool set(std::uint32_t gauge, double value);
  double aim(std::uint32_t gauge) const { return gauges_[gauge].aim; }
  /// On its way there.
  double value(std::uint32_t gauge) const { return gauges_[gauge].value; }
  /// So often one was set to something else.
  std::uint64_t changes() const { return changes_; }
  /// Time goes on.
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
