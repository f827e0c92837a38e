#pragma once
#include <optional>
#include <string>
#include <vector>

#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

struct Audio {
  int channels = 1;
  Hertz rate;
  std::vector<float> samples;              ///< interleaved; full scale is 1
  std::optional<Range<Frames>> loop = {};  ///< its own loop points, as WAV and AIFF may have: [low, high)
  bool placeholder = false;                ///< the file says that it stands in for a better one
  bool rendered = false;                   ///< from notes: it cannot be streamed from its file
  bool sixteen_bits = false;               ///< every sample is a multiple of 1/32768

  Seconds length() const { return seconds({static_cast<std::int64_t>(samples.size()) / channels}, rate); }
};

/// The longest clip that is held in memory.
inline constexpr Seconds longest_clip{20 * 60};

/// Reads a whole audio file. Throws Error: missing, not audio, empty, too long, of other than one or two channels,
/// or with samples that are not numbers.
Audio decode_file(const std::string& path);

}  // namespace tidewater
