#pragma once
/// Holds a stereo signal below a true peak, and leaves it alone, bit for bit, while it is below.
///
/// The true peak is estimated at four times the rate with the filter of ITU-R BS.1770-4, annex 2. The gain looks ahead:
/// a sliding minimum of what each frame needs, released slowly, then averaged over the look-ahead, so that it is down
/// in time and never jumps.

#include <array>
#include <cstdint>

namespace tidewater {

class Limiter {
 public:
  static constexpr int look_ahead = 64;
  static constexpr int filter_delay = 6;
  static constexpr int delay = look_ahead + filter_delay;  ///< frames between input and output
  static constexpr int most_frames = 64;                   ///< at a time

  explicit Limiter(double rate);

  /// In place; the output lags by `delay` frames.
  void run(float* left, float* right, int count);

  /// The gain in force after the last frame, as amplitude: 1 while nothing is limited.
  double gain() const { return average_now_; }

 private:
  static constexpr int taps = 12;
  static constexpr int history = 128;  // a power of two above `delay` and the filter's length together

  double peak_at(std::int64_t frame) const;
  double needed_gain(std::int64_t frame, bool loud) const;
  double limited_gain(std::int64_t frame, double needed);

  std::array<std::array<float, history>, 2> past_{};
  std::array<double, look_ahead> needed_{};    ///< what each of the last frames needs
  std::array<double, look_ahead> released_{};  ///< the minimum of those, rising slowly
  double release_step_;
  double reached_ = 1;
  double average_now_ = 1;
  std::int64_t frame_ = 0;
  std::int64_t quiet_frames_ = 1 << 20;  ///< since anything needed limiting
};

}  // namespace tidewater
