#pragma once
#include <string>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/picture/timeline.hpp"

namespace TIDEWATER_API tidewater {

/// One take: what was heard, interleaved stereo, and what to call it.
struct HeardTake {
  std::string label;
  std::vector<float> samples;
};

/// Draws takes one below the other, aligned at their beginning: waveform on the left, spectrogram on the right.
/// At most twelve; takes without samples are left out. Returns how many are drawn, which the picture says as well. PNG or SVG by the file's
/// ending. Throws Error where it cannot be written.
std::size_t draw_takes(const std::vector<HeardTake>& takes, Hertz rate, const std::string& path, const std::string& title,
                       PictureSize size = {});

}  // namespace tidewater
