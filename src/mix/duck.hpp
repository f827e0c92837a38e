#pragma once
/// A duck: one group is lowered while another, the key, is heard.

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace tidewater {

/// How a duck works. Its levels in dB, its times in seconds.
struct DuckLaw {
  std::uint32_t key = 0;  ///< group whose output lowers the other
  float by = 0;           ///< change of level, at most 0 dB; 0 for no duck
  float from = -40;       ///< level from which the key counts as heard, dB below full scale
  float attack = 0.08F;   ///< time down to `by`
  float hold = 0.3F;      ///< time that the level stays down after the key was last heard
  float release = 0.6F;   ///< time up again
  friend bool operator==(const DuckLaw&, const DuckLaw&) = default;
};

/// A duck goes by the mean power of the key's output in each quantum, without a delay and without looking ahead.
///
/// "The key is heard" is one bit a quantum, smoothed by an exponential of 25 ms. The duck opens when the smoothed bit reaches a half, and
/// closes, after the hold, below a fifth. A click of 1 ms therefore never opens it, however loud it is, and speech opens it within 20 ms.
/// While it moves, the level changes by the same number of decibels in each quantum.
class Duck {
 public:
  void set(const DuckLaw& law, double quantum_seconds) {
    by_ = law.by;
    if (law.by == 0) {  // it listens no more; what is still lowered comes up as fast as before
      open_ = false;
      return;
    }
    key_ = law.key;
    power_ = std::pow(10.0F, law.from / 10);
    smoothing_ = static_cast<float>(1 - std::exp(-quantum_seconds / smoothing_seconds));
    hold_ = static_cast<std::int32_t>(std::lround(static_cast<double>(law.hold) / quantum_seconds));
    down_ = step_of(law.by, law.attack, quantum_seconds);
    up_ = step_of(law.by, law.release, quantum_seconds);
  }

  /// Whether the duck has a key, which is mixed before the group. A duck that has ended has none, while its group still comes up.
  bool listens() const { return by_ != 0; }
  std::uint32_t key() const { return key_; }
  bool rests() const { return by_ == 0 && depth_ == 0; }

  /// Moves on by a quantum in which the key's output had this mean power, 0 without a key. Returns the change of level at the quantum's
  /// end, in dB.
  float step(float power) {
    const float heard = power > power_ ? 1.0F : 0.0F;
    heard_ += (heard - heard_) * smoothing_;
    if (heard_ >= opens_at) {
      open_ = true;
      left_ = hold_;
    } else if (open_ && heard_ < closes_at && left_-- <= 0) {
      open_ = false;
    }
    const float target = open_ ? by_ : 0;
    depth_ = depth_ > target ? std::max(target, depth_ - down_) : std::min(target, depth_ + up_);
    return depth_;
  }

 private:
  static constexpr double smoothing_seconds = 0.025;
  static constexpr float opens_at = 0.5F, closes_at = 0.2F;

  /// Decibels a quantum.
  static float step_of(float by, float seconds, double quantum_seconds) {
    return static_cast<float>(static_cast<double>(-by) * std::min(1.0, quantum_seconds / std::max(1e-9, static_cast<double>(seconds))));
  }

  std::uint32_t key_ = 0;
  float by_ = 0;
  float power_ = 0;
  float smoothing_ = 0;
  float down_ = 0, up_ = 0;  ///< dB a quantum
  std::int32_t hold_ = 0;    ///< quanta
  std::int32_t left_ = 0;    ///< of the hold
  float heard_ = 0;          ///< the smoothed bit
  float depth_ = 0;          ///< dB
  bool open_ = false;
};

}  // namespace tidewater
