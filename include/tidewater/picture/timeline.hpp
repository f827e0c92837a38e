#pragma once
#include <array>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

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
  /// How far ducks have lowered a group from a frame on; in order.
  void take_duck(std::string_view group, Frames at, Decibels depth);
  /// Interleaved stereo, in order.
  void take(std::span<const float> samples);

  /// PNG or SVG by the file's ending. Throws Error where it cannot be written.
  void draw(const std::string& path, const std::string& title, PictureSize size = {}) const;

 private:
  friend void draw_both(const std::string& path, const std::array<std::string, 2>& titles, const std::array<const Timeline*, 2>& timelines,
                        const std::vector<std::string>& differences, PictureSize size);
  struct State;
  std::unique_ptr<State> state_;
};

/// Draws two timelines, one above the other, and below them what differs, a text each. Throws Error as `draw` does.
void draw_both(const std::string& path, const std::array<std::string, 2>& titles, const std::array<const Timeline*, 2>& timelines,
               const std::vector<std::string>& differences, PictureSize size = {1280, 1000});

}  // namespace tidewater
