#pragma once
/// Brings samples from one rate to another for good, as reading does: a windowed sinc at exact rational places. Each frame
/// follows from its place alone, so that reading may begin anywhere and gives the bits of reading through.
///
/// 128 taps of Kaiser's window (beta 12.5), at the lower of the two rates: some 120 dB down, flat to 0.45 of that rate.
/// Thread: any; making one takes a few milliseconds and allocates.

#include <cstdint>
#include <memory>
#include <vector>

#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

class RateConverter {
 public:
  RateConverter(Hertz from, Hertz to);

  /// Frames that so many become.
  static std::int64_t length(std::int64_t source_frames, Hertz from, Hertz to);

  /// Source frames on either side of a place that its frame depends on; none where both rates are one.
  std::int64_t half() const { return half_; }
  /// The source frame at or before the place of a frame.
  std::int64_t source_of(std::int64_t frame) const { return place(frame).whole; }

  /// `count` frames from `frame` on, each `stride` after the one before. `source` points at source frame `first`; all from
  /// source_of(frame) - half() to source_of(frame + count - 1) + half() must be there.
  void convert(const float* source, std::int64_t first, std::int64_t frame, std::int64_t count, float* out, std::int64_t stride) const;

 private:
  struct Ratio {
    std::int64_t to = 1, from = 1;  ///< without a common factor
  };
  struct Place {
    std::int64_t whole, phase;
  };
  static Ratio ratio_of(Hertz from, Hertz to);
  Place place(std::int64_t frame) const;

  Ratio ratio_;
  std::int64_t half_ = 0;
  std::int64_t rows_ = 0;       ///< of weights
  bool between_ = false;        ///< rows are interpolated: there are too many places
  std::vector<float> weights_;  ///< of each row in turn; one more row where they are interpolated
};

/// One for each pair of rates, made when it is first asked for and kept as long as somebody has it.
std::shared_ptr<const RateConverter> converter_for(Hertz from, Hertz to);

}  // namespace tidewater
