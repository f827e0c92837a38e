#pragma once
#include <memory>
#include <span>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/journal.hpp"

namespace TIDEWATER_API tidewater {

struct PictureSize {
  double width = 1280;  ///< pixels
  double height = 800;
};

/// Gathers a rendering and draws it: time along the bottom, the waveform, a lane for each group with a bar for each
/// playback, a mark for each event, and what was refused, with the reason.
/// Thread: one at a time.
class Timeline {
 public:
  explicit Timeline(Hertz rate);
  ~Timeline();
  Timeline(const Timeline&) = delete;
  Timeline& operator=(const Timeline&) = delete;

  void take(const JournalEntry& entry);
  /// Interleaved stereo, in order.
  void take(std::span<const float> samples);

  /// PNG or SVG by the file's ending. Throws Error where it cannot be written.
  void draw(const std::string& path, const std::string& title, PictureSize size = {}) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
