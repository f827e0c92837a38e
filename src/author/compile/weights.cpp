#include "author/compile/weights.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace tidewater {

SolvedWeights solve_weights(std::vector<double> weights) {
  const double total = std::accumulate(weights.begin(), weights.end(), 0.0);
  for (double& weight : weights) weight /= total;
  const auto heaviest = std::max_element(weights.begin(), weights.end());
  if (*heaviest >= 0.5 - 1e-9) {
    // From the heavy one to another with probability b, and always back: its share is 1 / (1 + b).
    const double share = *heaviest;
    return {weights, static_cast<int>(heaviest - weights.begin()), std::max(0.0, (2 * share - 1) / share)};
  }
  // The smaller root for each; the heaviest may need the larger one, on the other side of one half.
  const auto solved = [&](double q, bool larger) {
    std::vector<double> a;
    for (const double& share : weights) {
      const double root = std::sqrt(std::max(0.0, 1 - 4 * q * share));
      a.push_back(larger && &share == &*heaviest ? (1 + root) / 2 : (1 - root) / 2);
    }
    return a;
  };
  const auto sum = [](const std::vector<double>& a) { return std::accumulate(a.begin(), a.end(), 0.0); };
  double low = 0;
  double high = 1 / (4 * *heaviest);
  const bool larger = sum(solved(high, false)) < 1;
  // With the smaller roots the sum grows with q; with the larger one it falls below 1 towards the end.
  for (int step = 0; step < 100; ++step) {
    const double q = (low + high) / 2;
    ((sum(solved(q, larger)) > 1) == larger ? low : high) = q;
  }
  return {solved((low + high) / 2, larger)};
}

}  // namespace tidewater
