#pragma once
#include <array>
#include <cstdint>
#include <optional>

#include "bank/bank_data.hpp"
#include "base/clip_position.hpp"
#include "base/frame.hpp"

namespace tidewater {

/// A beat of a track, and where it is in the track.
struct BeatPlace {
  std::uint32_t part = 0;  ///< number of the part
  std::int64_t bar = 0;    ///< counted from 0 at the first beat, through every round
  std::uint32_t beat = 0;  ///< of the bar, from 0
};

/// The places of the beats of a track. The clip is the clock: a beat is a frame of the clip, counted from the clip's beginning. Beats are
/// counted from 0 at the first beat and on through every round of the loop.
///
/// Consists of plain bytes, so that a track that plays needs its bank no more.
class TrackTiming {
 public:
  TrackTiming() = default;
  explicit TrackTiming(const BankTrack& track);

  bool has_beats() const { return tempo_.value > 0; }
  bool loops() const { return loops_; }
  std::uint32_t metre() const { return metre_; }
  /// The clip's place of a beat, in frames of the bank. Past the last part of a track that ends, every beat is its end.
  ClipPosition beat(std::int64_t beat) const { return at(own_frame(beat)); }
  /// The clip's place of the end: of the track, or of the first round of its loop.
  ClipPosition end() const { return at(end_frame()); }
  ClipPosition first_beat() const { return has_beats() ? beat(0) : ClipPosition{}; }
  /// The first beat from `beat` on that is a boundary.
  std::int64_t boundary_from(std::int64_t beat, On on) const;
  /// The end of a round: the place in the clip, after so many rounds, counted from 0. Only for loops.
  ClipPosition end_of_round(std::int64_t round) const { return at(frames_ + round * (frames_ - loop_from_)); }
  /// Brings a place of a later round of the loop back into the clip: the track goes on there if it was left at `position`.
  ClipPosition folded(ClipPosition position) const;
  BeatPlace place_of(std::int64_t beat) const;
  /// Estimates the last beat at or before a place in the clip. The estimate is never too late, and less than three beats too early; it is
  /// -1 if there may be none.
  std::int64_t beat_near(ClipPosition place) const;
  /// Estimates the last round that ends at or before a place. The estimate is never too late, and less than three rounds too early; it is
  /// -1 if there may be none. Only for loops.
  std::int64_t round_near(ClipPosition place) const;
  std::int64_t beats() const { return std::int64_t{bars_[parts_]} * metre_; }
  /// False for a state from outside that no track can have.
  bool makes_sense() const;

 private:
  std::int64_t own_frame(std::int64_t beat) const;
  std::int64_t end_frame() const { return loops_ || !has_beats() ? frames_ : own_frame(beats()); }
  ClipPosition at(std::int64_t own_frame) const;
  /// Turns a place in the bank's clip into a frame of the author's clip, rounded down.
  std::int64_t own_frame_at(ClipPosition place) const { return (place.whole * per_ - offset_) / to_; }
  std::int64_t loop_begin() const { return std::int64_t{bars_[loop_part_]} * metre_; }
  std::int64_t loop_end() const { return std::int64_t{bars_[loop_part_ + 1]} * metre_; }
  /// The number in the first round of a beat of a later round.
  std::int64_t in_first_round(std::int64_t beat) const;

  Tempo tempo_;
  Hertz rate_;
  std::uint32_t metre_ = 4;
  std::int64_t first_ = 0, before_ = 0;
  std::int64_t frames_ = 0, loop_from_ = 0;
  std::int64_t offset_ = 0, to_ = 1, per_ = 1;
  bool loops_ = false;
  std::uint32_t loop_part_ = 0;
  std::uint32_t parts_ = 0;
  std::array<std::uint32_t, most_parts_of_a_track + 1> bars_{};  ///< before each part, and of all
};

/// How a place in a clip is reached: a voice is at `source` on `frame`, and goes on by `step`.
struct Course {
  ScopeFrame frame;
  ClipPosition source;
  std::uint64_t step = std::uint64_t{1} << 32;

  /// The first frame on which the voice has come to a place.
  ScopeFrame reaches(ClipPosition place) const;
  ClipPosition at(ScopeFrame when) const;
};

}  // namespace tidewater
