#pragma once
#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/ours.hpp"
#include "terms/bend_curve.hpp"
#include "terms/bent.hpp"
#include "terms/level.hpp"

namespace TIDEWATER_OURS tidewater {

/// How a sound follows its gauges: pure functions of their values.
class Following {
 public:
  /// A gauge that it follows.
  struct Gauge {
    bool ready = false;  ///< `number` is that of a ReadyGauge; otherwise of a gauge of the manager
    std::uint32_t number = 0;
    std::optional<On> on = {};  ///< a new value counts from such a boundary on
  };
  using Values = std::array<double, most_followed>;

  /// `number(name)` returns the manager's number of a gauge.
  Following(const BankSound& sound, const std::function<std::uint32_t(Name)>& number);

  bool empty() const { return follows_.empty(); }
  /// The gauges that it follows; values are in this order.
  std::span<const Gauge> gauges() const { return gauges_; }
  /// Whether any of them waits for a boundary.
  bool waits() const { return waits_; }
  /// Whether a gauge of the game bends a level.
  bool bends_levels() const { return bends_levels_; }

  /// What a layer is bent to. In the world what the ready gauges do to the whole sound's level is in how it is heard from its place.
  Bent bend(std::size_t layer, const Values& values, bool in_world) const;
  /// A gauge by its name, and its value.
  struct By {
    std::string_view gauge;
    double value = 0;
  };
  /// The gauge that makes a layer silent, or takes most of its level if no single one does; nothing if none bends its level.
  std::optional<By> quietened_by(std::size_t layer, const Values& values) const;
  /// The gauge that holds all steps back; nothing if steps are due.
  std::optional<By> held_by(const Values& values) const;
  /// The speed of its cadence, 1 for its own.
  double times_as_often(const Values& values) const;
  /// By how much the game's own gauges change how loud it is: the whole of it, and of its layers the one that they leave the loudest.
  /// Who looks for the loudest goes by this.
  Level louder(const Values& values) const;
  /// The most that this can be, with the ready gauges of the whole sound.
  Level loudest() const { return loudest_; }

 private:
  static constexpr std::size_t whole_sound = ~std::size_t{0};
  struct Follow {
    std::size_t gauge = 0;  ///< which of its gauges
    std::size_t layer = whole_sound;
    bool ready = false;
    const FollowDesign* design = nullptr;
    std::vector<BendCurve> curves;
  };
  void add(const std::vector<FollowDesign>& designs, std::size_t layer, const std::function<std::uint32_t(Name)>& number);
  template <class Of>
  Level sum(Of of) const;

  std::vector<Gauge> gauges_;
  std::vector<Follow> follows_;
  std::size_t layers_ = 0;
  bool bends_levels_ = false;
  bool waits_ = false;
  Level loudest_;
};

}  // namespace tidewater
