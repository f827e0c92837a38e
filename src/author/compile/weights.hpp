#pragma once
#include <vector>

namespace tidewater {

/// How to draw "any but the last" so that in the long run each clip comes as often as its weight says.
struct SolvedWeights {
  std::vector<double> draw;  ///< of each clip, for a draw among all but the last
  /// The one that weighs half of all or more: after any other it is its turn, and after itself again with this probability.
  int heavy = -1;
  double again = 0;
};

/// Drawn by weights a, never one twice running, the long-run shares are as a (1 - a), where the a add up to 1: for shares p
/// that is a = (1 - sqrt(1 - 4 q p)) / 2, with the one q for which they do. From a share of one half on there is none.
/// Weights are zero or more, and one at least is not zero.
SolvedWeights solve_weights(std::vector<double> weights);

}  // namespace tidewater
