#pragma once
/// A track on paper: its bars, parts and stems, and every change that can be.
///
///     const Score score = score_of(read_book("book.toml").book, "storm");
///     draw_score(score, "storm.png");

#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

struct ScorePart {
  std::string name;
  std::int64_t first_bar = 0, bars = 0;  ///< counted from 1
  bool loop = false;
  bool ending = false;  ///< it is behind the loop: heard only when the track is left on its end
  Seconds from, to;     ///< in the clip
};

struct ScoreStem {
  std::string name, clip;
  std::vector<std::string> follows;    ///< gauges
  std::vector<float> lowest, highest;  ///< of the samples, in as many columns as the picture has
};

/// A change from one track to another.
struct ScoreChange {
  std::string from, to;
  On on = On::now;
  By by = By::cut;
  Seconds over;
  std::string bridge;
  std::string how;          ///< boundary and way in words: "on the next bar, by way of 'rise'"
  std::vector<Seconds> at;  ///< places in the clip of `from` at which it can fall
};

struct Score {
  std::string track, stand, group;
  Tempo tempo;  ///< 0 for none
  std::uint32_t metre = 4, unit = 4;
  Seconds first_beat, length;
  std::vector<Seconds> bars;  ///< where each begins, and where the last ends
  std::vector<ScorePart> parts;
  std::vector<ScoreStem> stems;
  std::vector<ScoreChange> changes;  ///< from this track to the others of its stand, then from these to this one
};

/// Throws Error if the book has no such track, or if a clip cannot be read.
Score score_of(const Book& book, const std::string& track);

}  // namespace tidewater
