#pragma once
/// The gauges that a manager knows: their designs, and where those are that hold for all that sounds.

#include <cstdint>
#include <deque>
#include <string>
#include <string_view>

#include "base/held_to.hpp"
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
  static constexpr std::uint32_t none = ~0U;
  static constexpr std::size_t most = 64;

  /// Known from here on, under a number that it keeps; one that is known takes the design over. None where there are too many.
  std::uint32_t add(std::string_view name, const GaugeDesign& design);
  std::uint32_t find(Name name) const;
  std::size_t count() const { return gauges_.size(); }
  const std::string& name(std::uint32_t gauge) const { return gauges_[gauge].name; }
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
    s.each(gauges_, [&](Gauge& its) {
      s.text(its.name);
      s(its.hash, its.design, its.aim, its.value);
    });
  }

 private:
  struct Gauge {
    std::string name;
    std::uint64_t hash = 0;
    GaugeDesign design;
    double aim = 0, value = 0;
  };
  std::deque<Gauge> gauges_;  ///< never moved: journals name them
  std::uint64_t changes_ = 0;
};

}  // namespace tidewater
