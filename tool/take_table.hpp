#pragma once
#include <set>
#include <span>
#include <string>

#include "tidewater/author/audition.hpp"

namespace tidewater::tool {

/// Prints a row for each take of an audition.
class TakeTable {
 public:
  /// `measured` where the takes' loudness is known. Columns are as wide as the sides' names; clips that are placeholders are marked.
  TakeTable(bool measured, std::span<const AuditionSide> sides);

  void print(const AuditionTake& take);

 private:
  bool measured_;
  std::set<std::string> placeholders_;
  std::size_t sound_width_ = 5, clip_width_ = 4;
  bool headed_ = false;
};

/// " + low.flac + high.flac"
std::string more_clips_of(const AuditionTake& take);

/// How often each clip came, how long nothing repeats, how even it is.
void print_in_common(std::span<const AuditionTake> takes);

}  // namespace tidewater::tool
