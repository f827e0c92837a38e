#include "dsp/limiter.hpp"

#include <algorithm>
#include <cmath>

namespace tidewater {
namespace {

// Below -1 dBTP by what an estimate at four times the rate may miss of full-band noise.
const double ceiling = std::pow(10.0, -1.2 / 20);
constexpr double release_seconds = 0.12;

// Phases 0 and 1; phases 3 and 2 are the same, backwards.
constexpr float phases[2][12] = {
    {0.0017089843750F, 0.0109863281250F, -0.0196533203125F, 0.0332031250000F, -0.0594482421875F, 0.1373291015625F, 0.9721679687500F,
     -0.1022949218750F, 0.0476074218750F, -0.0266113281250F, 0.0148925781250F, -0.0083007812500F},
    {-0.0291748046875F, 0.0292968750000F, -0.0517578125000F, 0.0891113281250F, -0.1665039062500F, 0.4650878906250F, 0.7797851562500F,
     -0.2003173828125F, 0.1015625000000F, -0.0582275390625F, 0.0330810546875F, -0.0189208984375F}};
// No phase's weights add up, in magnitude, to more than this: below ceiling / bound no peak between samples can matter.
constexpr double bound = 2.1;

}  // namespace

Limiter::Limiter(double rate) : release_step_(1 - std::exp(-1 / (release_seconds * rate))) {
  needed_.fill(1);
  released_.fill(1);
}

double Limiter::peak_at(std::int64_t frame) const {
  float peak = 0;
  for (const auto& channel : past_) {
    float sums[4] = {};
    for (int tap = 0; tap < taps; ++tap) {
      const float x = channel[static_cast<std::size_t>((frame - tap) & (history - 1))];
      sums[0] += x * phases[0][tap];
      sums[1] += x * phases[1][tap];
      sums[2] += x * phases[1][taps - 1 - tap];
      sums[3] += x * phases[0][taps - 1 - tap];
    }
    for (const float sum : sums) peak = std::max(peak, std::abs(sum));
    peak = std::max(peak, std::abs(channel[static_cast<std::size_t>((frame - filter_delay) & (history - 1))]));
  }
  return static_cast<double>(peak);
}

double Limiter::needed_gain(std::int64_t frame, bool loud) const {
  const double peak = loud ? peak_at(frame) : 0;
  return peak > ceiling ? ceiling / peak : 1;
}

double Limiter::limited_gain(std::int64_t frame, double needed) {
  needed_[static_cast<std::size_t>(frame % look_ahead)] = needed;
  const double least = *std::min_element(needed_.begin(), needed_.end());
  reached_ = least < reached_ ? least : reached_ + (least - reached_) * release_step_;
  if (1 - reached_ < 1e-6) reached_ = 1;
  released_[static_cast<std::size_t>(frame % look_ahead)] = reached_;
  double sum = 0;
  for (const double gain : released_) sum += gain;
  return std::min(1.0, sum / look_ahead);
}

void Limiter::run(float* left, float* right, int count) {
  float loudest = 0;
  for (int i = 0; i < count; ++i) {
    // A sum that is not a number must not stay in the filter's memory.
    if (!std::isfinite(left[i])) left[i] = 0;
    if (!std::isfinite(right[i])) right[i] = 0;
    loudest = std::max({loudest, std::abs(left[i]), std::abs(right[i])});
  }
  const bool loud = static_cast<double>(loudest) * bound > ceiling;
  quiet_frames_ = loud ? 0 : quiet_frames_ + count;
  // The filter still sees loud samples of the run before for as long as it is.
  const bool measure = quiet_frames_ < taps + count;
  for (int i = 0; i < count; ++i, ++frame_) {
    const auto now = static_cast<std::size_t>(frame_ & (history - 1));
    past_[0][now] = left[i];
    past_[1][now] = right[i];
    const bool resting = !measure && reached_ == 1 && quiet_frames_ > 2 * look_ahead + count + taps;
    if (resting)
      average_now_ = 1;
    else
      average_now_ = limited_gain(frame_, needed_gain(frame_, measure));
    const auto then = static_cast<std::size_t>((frame_ - delay) & (history - 1));
    const auto gain = static_cast<float>(average_now_);
    left[i] = past_[0][then] * gain;
    right[i] = past_[1][then] * gain;
  }
}

}  // namespace tidewater
