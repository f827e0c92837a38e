#pragma once
#include <string_view>

#include "tidewater/design.hpp"
#include "tidewater/name.hpp"

namespace tidewater {

/// The boundary and the crossing of a change between two tracks.
struct ChangeRules {
  On on = On::now;
  By by = By::cut;
  Seconds over;
  std::string_view bridge;
};

/// Collects the rules of a change. A key for the pair of tracks wins over a key of the track that comes, and that over a key of the track
/// that is left. `left` is null if nothing plays; `comes` is null if silence follows.
inline ChangeRules rules_between(const TrackDesign* left, std::string_view left_name, const TrackDesign* comes) {
  constexpr Seconds usual_crossing{1};
  std::optional<On> on;
  std::optional<By> by;
  ChangeRules rules;
  const auto add = [&](const TrackDesign* track, auto is) {
    if (track == nullptr) return;
    for (const ChangeDesign& its : track->changes) {
      if (!is(its)) continue;
      if (!on) on = its.on;
      if (!by && its.by) by = its.by, rules.bridge = its.bridge;
      if (rules.over == Seconds{}) rules.over = its.over;
    }
  };
  const auto own = [](const ChangeDesign& its) { return its.from.empty(); };
  add(comes, [&](const ChangeDesign& its) { return !its.from.empty() && same_name(Name(its.from), Name(left_name)); });
  add(comes, own);
  add(left, own);
  const bool timed = left != nullptr && left->tempo.value > 0;
  rules.on = on.value_or(timed && comes != nullptr ? On::bar : On::now);
  rules.by = by.value_or(timed ? By::cut : By::cross);
  if (rules.over == Seconds{}) rules.over = usual_crossing;
  return rules;
}

}  // namespace tidewater
